"""How far it goes: a hundred million hits in Parquet, read by one worker and by two, against DuckDB on Parquet of the same. Run: ./compass bench scale [hits].

The hits are made and written as PostgreSQL hands them on; workers (actors of Ray) build their shards of these files. A table, a series, a funnel and
attribution are asked of five periods that lie a day apart, so that no tally is kept from one to the next; the median is told. DuckDB has two threads and
reads Parquet of the visits and hits as they were derived here, with channel, pages and names as texts; the figures must be the same. Then what it takes from
a commit to the report that holds it, what workers take of memory, and what it costs when all hits are mapped, read before or not.
"""

from __future__ import annotations

import ctypes
import json
import mmap
import os
import secrets
import statistics
import sys
import tempfile
import threading
import time
from collections.abc import Callable, Iterator
from datetime import UTC, datetime, timedelta
from functools import partial
from pathlib import Path
from typing import Any

import duckdb
import polars as pl
import psycopg

from bench.allocators import as_started
from bench.attribution import linear_sql
from bench.data import GOAL
from bench.recording import lay
from bench.reports import COURSE_MEASURES, LAST, VISIT_MEASURES, ZONE, _course, _tables, _visit_table, columns, fetched
from bench.sequences import STEPS, WINDOW_MINUTES, _funnel_sql
from upper_compass.core.dataset.shard_set import ShardSet
from upper_compass.core.definitions.funnels import Funnel, FunnelRequest
from upper_compass.core.definitions.periods import Period
from upper_compass.core.definitions.requests import Column, SeriesRequest, TableRequest
from upper_compass.core.engine.context import ReportContext
from upper_compass.core.reports import funnel, tables
from upper_compass.frames.dataset_cache import DatasetCache
from upper_compass.frames.placing import Places
from upper_compass.frames.reader import reading_from
from upper_compass.reference import shipped
from upper_compass.run.cluster import start_cluster
from upper_compass.spread.order_ledger import OrderLedger
from upper_compass.spread.ray_reader import RayReader
from upper_compass.store import sites
from upper_compass.store.database import connect, migrate
from upper_compass.store.hits import ROW, HitWriter
from upper_compass.store.record_files import VisitorPart
from upper_compass.store.storage import Storage

HITS, ROUNDS = 100_000_000, 5
# Of each worker, for hits, what is derived of them and what was tallied.
MEMORY = 4_000_000_000
LAST_DAY = Period(first=LAST, last=LAST)
LINEAR = [Column(id="linear", measure="conversions", model="linear")]
Ask = Callable[[Any, Period], Any]


def told(what: str, **figures: object) -> None:
    """A line of figures."""
    print(json.dumps({what: figures}), flush=True)


def timed(do: Callable[[], Any]) -> tuple[float, Any]:
    """(seconds, what it gave)."""
    began = time.perf_counter()
    found = do()
    return time.perf_counter() - began, found


def periods(days: int) -> list[Period]:
    """As many as there are rounds, each a day before the last."""
    return [Period(first=LAST - timedelta(days=days - 1 + back), last=LAST - timedelta(days=back)) for back in range(ROUNDS)]


def _rows(found: Any) -> dict[Any, tuple[float, ...]]:
    of = zip(*([value or 0.0 for value in one.values] for one in found.columns), strict=True)
    keys = [row[0] for row in found.rows] if hasattr(found, "rows") else found.at
    return dict(zip(keys, of, strict=True))


def _table(columns_: list[Column], read: Callable[..., Any], period: Period) -> dict[Any, tuple[float, ...]]:
    request = TableRequest(period=period, versus="none", goal=1, dimensions=["channel"], columns=columns_, limit=10_000)
    return _rows(read(tables.table, request, {1: GOAL}))


def _series(read: Callable[..., Any], period: Period) -> dict[Any, tuple[float, ...]]:
    asked = {"period": period, "versus": "none", "columns": columns(COURSE_MEASURES), "bucket": "day"}
    return _rows(read(tables.series, SeriesRequest.model_validate(asked), {}))


def _funnel(read: Callable[..., Any], period: Period) -> dict[Any, tuple[float, ...]]:
    asked = Funnel.model_validate({"steps": STEPS, "units": "visits", "window_minutes": WINDOW_MINUTES})
    return {"reached": tuple(map(float, read(funnel.funnel, FunnelRequest(period=period, versus="none", funnel=asked)).whole.reached))}


def _by_key(rows: list[tuple[Any, ...]]) -> dict[Any, tuple[float, ...]]:
    return {row[0]: tuple(float(one or 0) for one in row[1:]) for row in rows}


QUESTIONS: dict[str, tuple[Ask, list[Period], Callable[[Period], str], Callable[[list[tuple[Any, ...]]], Any]]] = {
    "table, 28 days": (partial(_table, columns(VISIT_MEASURES)), periods(28), partial(_visit_table, "channel"), _by_key),
    "table, 350 days": (partial(_table, columns(VISIT_MEASURES)), periods(350), partial(_visit_table, "channel"), _by_key),
    "series, 28 days": (_series, periods(28), lambda period: _course(period, "day"), _by_key),
    "series, 350 days": (_series, periods(350), lambda period: _course(period, "day"), _by_key),
    "funnel, 28 days": (_funnel, periods(28), lambda period: _funnel_sql("visits", period), lambda rows: {"reached": tuple(map(float, rows[0]))}),
    "attribution, 28 days": (partial(_table, LINEAR), periods(28), linear_sql, _by_key),
}


def _asked(read: Callable[..., Any]) -> dict[str, tuple[float, float, list[Any]]]:
    """Of each question: seconds of the first time, median of the others, and what was found."""
    answers = {}
    for name, (ask, of, _, _) in QUESTIONS.items():
        found = [timed(partial(ask, read, period)) for period in of]
        answers[name] = found[0][0], statistics.median(seconds for seconds, _ in found[1:]), [one for _, one in found]
    return answers


class Watched:
    """The most that processes held while it watches, in bytes: their own memory, and with what is mapped."""

    def __init__(self, name: bytes) -> None:
        self._name, self._ended = name, threading.Event()
        self.own, self.resident = 0, 0

    def __enter__(self) -> Watched:
        self._thread = threading.Thread(target=self._look)
        self._thread.start()
        return self

    def _look(self) -> None:
        while not self._ended.wait(0.1):
            for one in Path("/proc").glob("[0-9]*"):
                try:
                    if (one / "cmdline").read_bytes().startswith(self._name):
                        held = dict(line.split(":", 1) for line in (one / "status").read_text().splitlines())
                        own, file = (int(held[name].split()[0]) * 1024 for name in ("RssAnon", "RssFile"))
                        self.own, self.resident = max(self.own, own), max(self.resident, own + file)
                except (OSError, KeyError):
                    continue

    def __exit__(self, *_: object) -> None:
        self._ended.set()
        self._thread.join()


def workers(url: str, site: sites.Site, places: Places, count: int) -> dict[str, list[Any]]:
    """Build shards with so many workers, and ask them; what they found."""
    with Watched(b"ray::Part") as watched:
        seconds, reader = timed(lambda: RayReader(url, places, MEMORY * count, count))
        read = partial(reader.read, site)
        first, _ = timed(lambda: _series(read, LAST_DAY))
        told(f"{count} workers, shards built", seconds=round(seconds + first), own_gb=round(watched.own / 1e9, 2), resident_gb=round(watched.resident / 1e9, 2))
    with Watched(b"ray::Part") as watched:
        answers = _asked(read)
        figures = {name: {"first_ms": round(first * 1000), "ms": round(median * 1000)} for name, (first, median, _) in answers.items()}
        told(f"{count} workers, reports", **figures)
        told(f"{count} workers, while they report", own_gb=round(watched.own / 1e9, 2), resident_gb=round(watched.resident / 1e9, 2))
    told(f"{count} workers, from a commit to the report", ms=[round(1000 * seconds) for seconds in _arrivals(url, site, read)])
    told(f"{count} workers, put down", seconds=round(timed(reader.close)[0]))
    seconds, again = timed(lambda: RayReader(url, places, MEMORY * count, count))
    told(f"{count} workers, read again", seconds=round(seconds + timed(lambda: _series(partial(again.read, site), LAST_DAY))[0]))
    again.close()
    return {name: found for name, (_, _, found) in answers.items()}


def _arrivals(url: str, site: sites.Site, read: Callable[..., Any]) -> Iterator[float]:
    """Seconds from a commit of a hundred hits until a report of that day holds them."""
    day = Period(first=LAST + timedelta(days=60), last=LAST + timedelta(days=60))
    moment = datetime.combine(day.first, datetime.min.time(), UTC)
    known = next(iter(_series(read, day).values()), (0.0, 0.0, 0.0))[2]
    with psycopg.connect(url.replace("+psycopg", "")) as connection:
        for _ in range(ROUNDS):
            row = dict.fromkeys(ROW) | {"site_id": site.id, "at": moment, "kind": 1, "url": "https://mill.example/p1", "robot": False, "internal": False}
            rows = [tuple((row | {"id": secrets.token_hex(16), "visitor": f"late-{secrets.token_hex(4)}"}).values()) for one in range(100)]
            HitWriter(connection).store(rows)
            seconds, found = timed(lambda: _series(read, day))
            [now] = found.values()
            assert now[2] == known + 100, (now, known)
            known = now[2]
            yield seconds


def as_parquet(url: str, site: sites.Site, places: Places, folder: Path) -> None:
    """What the two workers derived, as files for DuckDB."""
    engine = connect(url)
    as_of = OrderLedger(reading_from(engine), places.storage).as_of_now(site)
    visits = rows = 0
    for number in range(2):
        cache = DatasetCache(reading_from(engine), shipped(), places, MEMORY, VisitorPart(number, 2))
        for place, shard in enumerate(cache.frames(site, as_of).main.shards):
            for name, frame in zip(("visits", "hits"), _tables(shard, visits, rows), strict=True):
                # Visitors are coded apart in each part.
                apart = frame.with_columns(pl.col("visitor").cast(pl.Int64) * 2 + number)
                apart.write_parquet(folder / f"{name}-{number}-{place}.parquet", compression="zstd")
            visits, rows = visits + len(shard.derived.visits), rows + len(shard.hits)
        del cache, shard
    engine.dispose()
    told("derived", visits=visits, hits=rows)


def duck(folder: Path, found: dict[str, list[Any]]) -> None:
    """The same of DuckDB; that its figures are the same."""
    connection = duckdb.connect(config={"threads": 2})
    for name in ("visits", "hits"):
        connection.execute(f"CREATE VIEW {name} AS SELECT * FROM read_parquet('{folder}/{name}-*.parquet')")
    with Watched(Path(f"/proc/{os.getpid()}/cmdline").read_bytes()) as watched:
        for name, (_, of, query, read) in QUESTIONS.items():
            answers = [timed(partial(fetched, connection, query(period))) for period in of]
            for mine, (_, rows) in zip(found[name], answers, strict=True):
                theirs = {key: row for key, row in read(rows).items() if any(row)}
                ours = {key: row for key, row in mine.items() if any(row)}
                assert ours.keys() == theirs.keys(), (name, ours, theirs)
                apart = [abs(a - b) / max(abs(b), 1) for key, row in theirs.items() for a, b in zip(ours[key], row, strict=True)]
                assert max(apart) <= 1e-9, (name, ours, theirs)
            told("duckdb", question=name, first_ms=round(answers[0][0] * 1000), ms=round(statistics.median(one for one, _ in answers[1:]) * 1000), same=True)
    told("duckdb, memory", own_gb=round(watched.own / 1e9, 2))


def mapped(url: str, site: sites.Site, places: Places) -> None:
    """What one part of sixteen costs when its hits stand in memory, when all are mapped, and when none of these is in memory any more."""
    engine = connect(url)
    as_of = OrderLedger(reading_from(engine), places.storage).as_of_now(site)
    for name, memory in (("in memory", 2**62), ("mapped", 0)):
        shards = DatasetCache(reading_from(engine), shipped(), places, memory, VisitorPart(0, 16)).frames(site, as_of).main.shards
        assert {shard.is_mapped for shard in shards} == {name == "mapped"}
        context = ReportContext(ShardSet(shards[0].lookups, shards, shards), ZONE)
        _told_part(name, context, len(shards))
        if name == "mapped":
            for shard in shards:
                _let_go(shard.hits)
            os.sync()
            Path("/proc/sys/vm/drop_caches").write_text("1")
            _told_part("mapped, read from the disk", context, len(shards))
    engine.dispose()


def _told_part(name: str, context: ReportContext, shards: int) -> None:
    answers = _asked(lambda ask, *given: ask(context, *given))
    told(name, shards=shards, **{question: {"first_ms": round(1000 * first), "ms": round(1000 * median)} for question, (first, median, _) in answers.items()})


def _let_go(hits: pl.DataFrame) -> None:
    """Tell the system that nothing of these columns needs to stay in memory."""
    libc, page = ctypes.CDLL("libc.so.6", use_errno=True), mmap.PAGESIZE
    for column in hits:
        if column.dtype != pl.Boolean:
            held = column.to_numpy(allow_copy=False)
            begin = -(-held.ctypes.data // page) * page
            length = (held.ctypes.data + held.nbytes - begin) // page * page
            libc.madvise(ctypes.c_void_p(begin), ctypes.c_size_t(max(length, 0)), mmap.MADV_DONTNEED)


def main() -> None:
    """Measure, and say it."""
    as_started("bench.scale")
    count = int(sys.argv[1]) if len(sys.argv) > 1 else HITS
    cluster = start_cluster()
    name = f"compass_bench_{secrets.token_hex(4)}"
    cluster.ensure_database(name)
    try:
        with tempfile.TemporaryDirectory(dir="/var/tmp", prefix="compass-scale-") as folder:
            url, places, flat = cluster.url(name), Places(Storage(f"{folder}/storage")), Path(folder) / "flat"
            flat.mkdir()
            engine = connect(url)
            migrate(engine)
            seconds, site = timed(lambda: lay(engine, Storage(f"{folder}/storage"), count))
            engine.dispose()
            size = sum(file.stat().st_size for file in Path(folder).rglob("*.parquet"))
            told("made", hits=count, seconds=round(seconds), bytes_a_hit=round(size / count, 1))
            for many in (1, 2):
                found = workers(url, site, places, many)
            shards = sum(file.stat().st_size for file in Path(folder).glob("storage/shards/*/part-*-of-2/**/*") if file.is_file())
            told("shards in storage", bytes_a_hit=round(shards / count, 1))
            as_parquet(url, site, places, flat)
            duck(flat, found)
            mapped(url, site, places)
    finally:
        cluster.drop_database(name)


if __name__ == "__main__":
    main()
