"""What an instance tells whoever watches over it, in the format of Prometheus: requests, collecting, memory, work that is under way."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Mapping
from dataclasses import dataclass, field
from ipaddress import ip_address, ip_network

import sqlalchemy as sa
from prometheus_client import CollectorRegistry, Counter, Histogram, generate_latest
from prometheus_client.core import CounterMetricFamily, GaugeMetricFamily, Metric
from prometheus_client.registry import Collector

from upper_compass.collect.writing import GroupWriter
from upper_compass.frames.reader import Reader, ReaderAwayError, ReaderState
from upper_compass.services.retention import Job
from upper_compass.store.tables import imports

SECONDS = (0.005, 0.02, 0.05, 0.1, 0.25, 0.5, 1, 2.5, 5, 15, 60)


@dataclass(frozen=True)
class Sources:
    """What is looked at when somebody asks."""

    engine: sa.Engine
    reader: Reader
    writer: GroupWriter
    jobs: Mapping[str, Job] = field(default_factory=dict)


class _Looked(Collector):
    """Figures that are looked up when they are asked for."""

    def __init__(self, sources: Callable[[], Sources | None]) -> None:
        self._sources = sources

    def collect(self) -> Iterator[Metric]:
        """Each figure; what is away tells nothing."""
        sources = self._sources()
        if sources is None:
            return
        yield from _of_writer(sources.writer)
        yield from _of_jobs(dict(sources.jobs))
        try:
            state = sources.reader.state()
        except ReaderAwayError:
            return
        yield from _of_reader(state)
        try:
            with sources.engine.connect() as connection:
                yield _behind(connection, state)
                running = sa.select(sa.func.count()).select_from(imports).where(imports.c.finished_at.is_(None), imports.c.broken_off.is_(None))
                yield GaugeMetricFamily("compass_imports_running", "Files that are being read.", connection.execute(running).scalar_one())
        except sa.exc.SQLAlchemyError:
            return


def _of_writer(writer: GroupWriter) -> Iterator[Metric]:
    yield GaugeMetricFamily("compass_hits_waiting", "Hits that wait to be stored.", writer.waiting)
    yield CounterMetricFamily("compass_hits_stored", "Hits that were stored as they came.", writer.stored)
    yield CounterMetricFamily("compass_hits_not_stored", "Hits that could not be stored; their senders try again.", writer.failed)


def _of_jobs(jobs: Mapping[str, Job]) -> Iterator[Metric]:
    done = CounterMetricFamily("compass_jobs", "How often what is done once an hour was done, and failed.", labels=["job", "ended"])
    seconds = CounterMetricFamily("compass_job_seconds", "How long that took.", labels=["job"])
    last = GaugeMetricFamily("compass_job_last_done_seconds", "When it was done last, seconds since 1970.", labels=["job"])
    for name, job in jobs.items():
        done.add_metric([name, "done"], job.done)
        done.add_metric([name, "failed"], job.failed)
        seconds.add_metric([name], job.seconds)
        last.add_metric([name], job.last)
    yield from (done, seconds, last)


def _behind(connection: sa.Connection, state: ReaderState) -> Metric:
    """How many hits are committed that no report holds yet: the next one that is asked for takes them in first."""
    behind = GaugeMetricFamily("compass_hits_behind", "Hits of a site in memory that are committed and in no report yet.", labels=["site"])
    held = {"sites": list(state.newest), "numbers": list(state.newest.values())}
    asked = "SELECT site, count(h.seq) FROM unnest(CAST(:sites AS integer[]), CAST(:numbers AS bigint[])) AS held (site, number) "
    for site, count in connection.execute(sa.text(f"{asked} LEFT JOIN hits h ON h.site_id = site AND h.seq > number GROUP BY site"), held):
        behind.add_metric([str(site)], count)
    return behind


def _of_reader(state: ReaderState) -> Iterator[Metric]:
    memory = GaugeMetricFamily("compass_site_memory_bytes", "What the hits of a site take in memory.", labels=["site"])
    for site, size in state.sites.items():
        memory.add_metric([str(site)], size)
    yield memory
    yield GaugeMetricFamily("compass_tallies_bytes", "What kept tallies take in memory.", state.tallies)
    yield CounterMetricFamily("compass_advances", "How often new hits were taken in before a report.", state.advances)
    yield CounterMetricFamily("compass_advance_seconds", "How long that took: from the commit to the report.", state.advance_seconds)


@dataclass
class Metrics:
    """The figures of one instance."""

    sources: Sources | None = None
    registry: CollectorRegistry = field(default_factory=CollectorRegistry)

    def __post_init__(self) -> None:
        self._requests = Counter("compass_requests", "Requests that were answered.", ["method", "route", "status"], registry=self.registry)
        self._seconds = Histogram("compass_request_seconds", "How long an answer took.", ["route"], buckets=SECONDS, registry=self.registry)
        self.registry.register(_Looked(lambda: self.sources))

    def answered(self, method: str, route: str, status: int, seconds: float) -> None:
        """Count a request."""
        self._requests.labels(method, route, str(status)).inc()
        self._seconds.labels(route).observe(seconds)

    def text(self) -> bytes:
        """All figures as text."""
        return generate_latest(self.registry)


def lies_in(address: str, networks: str) -> bool:
    """Whether an address lies in one of these networks, which commas part."""
    try:
        found = ip_address(address)
    except ValueError:
        return False
    return any(found in ip_network(one.strip(), strict=False) for one in networks.split(",") if one.strip())
