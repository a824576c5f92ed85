"""Reading hits from JSON Lines, plain or gzipped, as a stream; what is refused is told by its line.

A file comes from outside like everything else: it has a limit as it is packed and as it is unpacked, one that is bad line after line is given up,
and reading ends when nobody waits for it any more.
"""

from __future__ import annotations

import gzip
import io
import zlib
from collections.abc import Callable, Iterable, Iterator
from concurrent.futures import Future, ThreadPoolExecutor
from dataclasses import dataclass, field
from datetime import datetime
from typing import BinaryIO, cast

from pydantic import ValidationError

from upper_compass.collect.checking import AHEAD, as_rows, check_line, first_problem, foreign
from upper_compass.core.definitions.hits import FileHit
from upper_compass.store.hits import HitRow, HitWriter

TOGETHER = 5_000
READ_TOGETHER = 500
MAX_TOLD = 1_000
MAX_BAD = 10_000
MAX_LINE = 256 * 1024
MAX_UNPACKED = 4 * 1024**3
# Hits pack to a tenth or so; what packs to a hundredth is one line over and over.
MAX_RATIO, RATIO_FROM = 100, 64 * 1024**2
_GZIP = b"\x1f\x8b"
_MARK = b"\xef\xbb\xbf"


@dataclass(frozen=True)
class Import:
    """Where a file goes, and by what its hits are judged. `hosts`: the site's, without `www.`; None takes any. `given_up`: nobody waits any more."""

    site_id: int
    hosts: frozenset[str] | None
    now: datetime
    max_unpacked: int = MAX_UNPACKED
    given_up: Callable[[], bool] = lambda: False


@dataclass
class ImportReport:
    """What became of a file. `refused`: (line, field, sentence) of the first thousand bad lines; `bad` counts all of them.

    `shortened`: lines of which something was left out.
    """

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


class _BrokenOffError(Exception):
    """The rest of the file is not read; the text says why."""


def import_hits(file: BinaryIO, into: Import, writer: HitWriter) -> ImportReport:
    """Store the hits of a file. Lines that were good stay stored when the file breaks off; the report then says where."""
    report = ImportReport()
    with ThreadPoolExecutor(1) as pool:  # one batch is stored while the next one is read
        _read(file, into, report, _Storing(into.site_id, writer, pool, report))
    return report


class _Storing:
    """Gathers hits and stores them in batches, one at a time."""

    def __init__(self, site_id: int, writer: HitWriter, pool: ThreadPoolExecutor, report: ImportReport) -> None:
        self._site_id, self._writer, self._pool, self._report = site_id, writer, pool, report
        self._hits: list[FileHit] = []
        self._rows: list[HitRow] = []
        self._under_way: tuple[Future[int], int] | None = None

    def add(self, hit: FileHit) -> None:
        self._hits.append(hit)
        if len(self._hits) >= READ_TOGETHER:
            self._take()
            if len(self._rows) >= TOGETHER:
                self.flush()

    def _take(self) -> None:
        self._rows += as_rows(self._site_id, self._hits, country=None, internal=False)
        self._hits = []

    def flush(self) -> None:
        self._take()
        self.finish()
        if self._rows:
            self._under_way = self._pool.submit(self._writer.store, self._rows), len(self._rows)
            self._rows = []

    def finish(self) -> None:
        if self._under_way:
            future, count = self._under_way
            self._under_way = None
            new = future.result()
            self._report.stored += new
            self._report.already_there += count - new


def _read(file: BinaryIO, into: Import, report: ImportReport, storing: _Storing) -> None:
    try:
        for line in _lines(file, into.max_unpacked):
            report.lines += 1
            if not line.strip():
                continue
            _take_line(line, into, report, storing)
            if report.bad > MAX_BAD:
                raise _BrokenOffError(f"more than {MAX_BAD:,} lines are bad; it is most likely another kind of file")
            if report.lines % READ_TOGETHER == 0 and into.given_up():
                raise _BrokenOffError("whoever sent it went away")
    except (EOFError, OSError, zlib.error, _BrokenOffError) as why:
        report.broken_off = f"The file breaks off after line {report.lines}: {why}"
    storing.flush()
    storing.finish()


def _take_line(line: bytes, into: Import, report: ImportReport, storing: _Storing) -> None:
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


def _lines(file: BinaryIO, max_unpacked: int) -> Iterator[bytes]:
    buffered = io.BufferedReader(cast(io.RawIOBase, file)) if not isinstance(file, io.BufferedReader) else file
    packed = buffered.peek(2)[:2] == _GZIP
    opened: Iterable[bytes] = gzip.GzipFile(fileobj=buffered) if packed else buffered
    reader = cast(BinaryIO, opened)
    unpacked = 0
    first = True
    while line := reader.readline(MAX_LINE + 1):
        unpacked += len(line)
        yield line.removeprefix(_MARK) if first else line
        first = False
        while len(line) > MAX_LINE and not line.endswith(b"\n"):  # the rest of an over-long line
            line = reader.readline(MAX_LINE + 1)
            unpacked += len(line)
            if unpacked > max_unpacked:
                break
            if not line:
                return
        if packed and unpacked > RATIO_FROM and unpacked > MAX_RATIO * buffered.tell():
            raise _BrokenOffError("it unpacks to more than a hundred times its size, which no file of hits does")
        if unpacked > max_unpacked:
            raise _BrokenOffError(f"it holds more than {max_unpacked / 1024**2:,.0f} MB; send it in parts")
