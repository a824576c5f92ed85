"""Reading hits from files, plain or gzipped, as a stream: JSON Lines and server logs; what is refused is told by its line.

A file comes from outside like everything else: it has a limit as it is packed and as it is unpacked, one that is bad line after line is given up,
and reading ends when nobody waits for it any more.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable, Sequence
from concurrent.futures import Future, ThreadPoolExecutor
from dataclasses import dataclass, field
from datetime import datetime
from itertools import chain
from typing import BinaryIO, Literal

import polars as pl

from upper_compass.collect.file_lines import BREAKS, MAX_UNPACKED, BrokenOffError, file_lines, together
from upper_compass.collect.json_hits import JsonHits
from upper_compass.collect.log_hits import read_log, usual_reading
from upper_compass.collect.logs import LogFormat, UnreadableLogError, log_format
from upper_compass.collect.marking import Network, read_networks
from upper_compass.core.definitions.log_reading import LogReading
from upper_compass.core.definitions.site_rules import bare_host
from upper_compass.store.hits import HitWriter
from upper_compass.store.sites import Site

FileFormat = LogFormat | Literal["json lines"]
TOGETHER = 20_000
READ_TOGETHER = 4_000
MAX_TOLD = 1_000
MAX_BAD = 10_000
# Among so many it is seen what a file holds.
FIRST_LINES = 100


@dataclass(frozen=True)
class Import:
    """Where a file goes, and by what its hits are judged. `hosts`: the site's, without `www.`; None takes any. `given_up`: nobody waits any more.

    `logs`: how server logs are read; without it they are none that can be. `networks`: of the site's own people; `country_of`: of an address. `told`: is
    told how far it is, batch by batch.
    """

    site_id: int
    hosts: frozenset[str] | None
    now: datetime
    max_unpacked: int = MAX_UNPACKED
    given_up: Callable[[], bool] = lambda: False
    logs: LogReading | None = None
    networks: Sequence[Network] = ()
    country_of: Callable[[str | None], str | None] = lambda address: None
    told: Callable[[ImportReport], None] = lambda report: None


def file_format(begin: Iterable[bytes], logs: LogReading | None) -> FileFormat:
    """What a file holds that begins with these lines: what is no server log is JSON Lines."""
    first = next((line.decode(errors="replace").strip() for line in begin if line.strip()), "")
    return (log_format(first) if logs else None) or "json lines"


def into_site(site: Site, now: datetime, country_of: Callable[[str | None], str | None] = lambda address: None) -> Import:
    """Where a file for a site goes: only what is of its hosts, its own people marked, server logs read as it says, or as is usual."""
    rules = site.rules
    hosts = frozenset(bare_host(host) for host in rules.hosts)
    return Import(
        site.id, hosts, now, logs=site.logs or usual_reading(rules.hosts), networks=tuple(read_networks(rules.internal_networks)), country_of=country_of
    )


@dataclass
class ImportReport:
    """What became of a file. `refused`: (line, field, sentence) of the first thousand bad lines; `bad` counts all of them.

    `format`: what it holds, once that is seen; `shortened`: lines of which something was left out.
    """

    format: FileFormat | None = None
    lines: int = 0
    stored: int = 0
    already_there: int = 0
    bad: int = 0
    shortened: int = 0
    refused: list[tuple[int, str, str]] = field(default_factory=list)
    broken_off: str | None = None

    def refuse(self, line: int, where: str, why: str) -> None:
        """Note a bad line."""
        self.bad += 1
        if len(self.refused) < MAX_TOLD:
            self.refused.append((line, where, why))


def import_hits(file: BinaryIO, into: Import, writer: HitWriter) -> ImportReport:
    """Store the hits of a file. Lines that were good stay stored when the file breaks off; the report then says where."""
    report = ImportReport()
    with ThreadPoolExecutor(1) as pool:  # one batch is stored while the next one is read
        _read(file, into, report, Storing(into, writer, pool, report))
    return report


class Storing:
    """Gathers hits and stores them in batches, one at a time."""

    def __init__(self, into: Import, writer: HitWriter, pool: ThreadPoolExecutor, report: ImportReport) -> None:
        self._into, self._writer, self._pool, self._report = into, writer, pool, report
        self._hits: list[pl.DataFrame] = []
        self._under_way: tuple[Future[int], int] | None = None

    def add(self, hits: pl.DataFrame) -> None:
        """Hits (columns of ROW_SCHEMA), to be stored with those around them."""
        self._hits.append(hits)
        if sum(map(len, self._hits)) >= TOGETHER:
            self.flush()

    def flush(self) -> None:
        """Begin to store what has gathered."""
        hits = pl.concat(self._hits) if self._hits else None
        self._hits = []
        prepared = self._writer.prepare(hits) if hits is not None else None
        self.finish()
        if hits is not None and prepared and len(hits):
            self._under_way = self._pool.submit(self._writer.store_prepared, prepared), len(hits)

    def finish(self) -> None:
        """Wait until what is being stored is there."""
        if self._under_way:
            future, count = self._under_way
            self._under_way = None
            new = future.result()
            self._report.stored += new
            self._report.already_there += count - new
            self._into.told(self._report)


def _read(file: BinaryIO, into: Import, report: ImportReport, storing: Storing) -> None:
    try:
        batches = together(file_lines(file, into.max_unpacked), FIRST_LINES)
        begin = next(batches)
        report.format = file_format(begin, into.logs)
        whole = chain(begin, chain.from_iterable(batches))
        if report.format != "json lines":
            read_log(report.format, whole, into, report, storing)
        else:
            _read_json_lines(whole, into, report, storing)
    except (*BREAKS, UnreadableLogError) as why:
        report.broken_off = f"The file breaks off after line {report.lines}: {why}"
    storing.flush()
    storing.finish()


def _read_json_lines(lines: Iterable[bytes], into: Import, report: ImportReport, storing: Storing) -> None:
    hits = JsonHits(into)
    for batch in together(lines, READ_TOGETHER):
        read = hits.read(batch)
        for place, where, why in read.refused:
            report.refuse(report.lines + place + 1, where, why)
        report.lines += len(batch)
        report.shortened += read.shortened
        storing.add(read.hits)
        if report.bad > MAX_BAD:
            raise BrokenOffError(f"more than {MAX_BAD:,} lines are bad; it is most likely another kind of file")
        if into.given_up():
            raise BrokenOffError("whoever sent it went away")
