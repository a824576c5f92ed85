"""Reading hits from files, plain or gzipped, as a stream: JSON Lines and server logs; what is refused is told by its line.

A file comes from outside like everything else: it has a limit as it is packed and as it is unpacked, one that is bad line after line is given up,
and reading ends when nobody waits for it any more.
"""

from __future__ import annotations

import zlib
from collections.abc import Callable, Iterable, Sequence
from concurrent.futures import Future, ThreadPoolExecutor
from dataclasses import dataclass, field
from datetime import datetime
from itertools import chain, islice
from typing import BinaryIO, Literal

from pydantic import ValidationError

from upper_compass.collect.checking import AHEAD, as_rows, check_line, first_problem, foreign
from upper_compass.collect.file_lines import MAX_LINE, MAX_UNPACKED, BrokenOffError, file_lines
from upper_compass.collect.log_hits import read_log, usual_reading
from upper_compass.collect.logs import LogFormat, UnreadableLogError, log_format
from upper_compass.collect.marking import Network, read_networks
from upper_compass.core.definitions.hits import FileHit
from upper_compass.core.definitions.log_reading import LogReading
from upper_compass.core.definitions.site_rules import bare_host
from upper_compass.store.hits import HitRow, HitWriter
from upper_compass.store.sites import Site

FileFormat = LogFormat | Literal["json lines"]
TOGETHER = 5_000
READ_TOGETHER = 500
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
        self._hits: list[FileHit] = []
        self._rows: list[HitRow] = []
        self._under_way: tuple[Future[int], int] | None = None

    def add(self, hit: FileHit) -> None:
        """A hit, to be stored with those around it."""
        self._hits.append(hit)
        if len(self._hits) >= READ_TOGETHER:
            self._take()
            if len(self._rows) >= TOGETHER:
                self.flush()

    def add_rows(self, rows: Sequence[HitRow]) -> None:
        """Rows as the store takes them."""
        self._rows += rows
        if len(self._rows) >= TOGETHER:
            self.flush()

    def _take(self) -> None:
        self._rows += as_rows(self._into.site_id, self._hits, country=None, internal=False)
        self._hits = []

    def flush(self) -> None:
        """Begin to store what has gathered."""
        self._take()
        self.finish()
        if self._rows:
            self._under_way = self._pool.submit(self._writer.store, self._rows), len(self._rows)
            self._rows = []

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
        lines = file_lines(file, into.max_unpacked)
        begin = list(islice(lines, FIRST_LINES))
        report.format = file_format(begin, into.logs)
        whole = chain(begin, lines)
        if report.format != "json lines":
            read_log(report.format, whole, into, report, storing)
        else:
            _read_json_lines(whole, into, report, storing)
    except (EOFError, OSError, zlib.error, BrokenOffError, UnreadableLogError) as why:
        report.broken_off = f"The file breaks off after line {report.lines}: {why}"
    storing.flush()
    storing.finish()


def _read_json_lines(lines: Iterable[bytes], into: Import, report: ImportReport, storing: Storing) -> None:
    for line in lines:
        report.lines += 1
        if not line.strip():
            continue
        _take_line(line, into, report, storing)
        if report.bad > MAX_BAD:
            raise BrokenOffError(f"more than {MAX_BAD:,} lines are bad; it is most likely another kind of file")
        if report.lines % READ_TOGETHER == 0 and into.given_up():
            raise BrokenOffError("whoever sent it went away")


def _take_line(line: bytes, into: Import, report: ImportReport, storing: Storing) -> None:
    if len(line) > MAX_LINE:
        report.refuse(report.lines, "", f"this line is longer than {MAX_LINE} bytes")
        return
    try:
        hit, left = check_line(line)
    except ValidationError as why:
        report.refuse(report.lines, *first_problem(why))
        return
    problem = foreign(hit, into.hosts) or (("at", "this is in the future") if hit.at > into.now + AHEAD else None)
    if problem:
        report.refuse(report.lines, *problem)
        return
    report.shortened += bool(left)
    storing.add(hit)
