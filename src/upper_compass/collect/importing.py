"""Reading hits from JSON Lines, plain or gzipped, as a stream; what is refused is told by its line."""

from __future__ import annotations

import gzip
import io
from collections.abc import Iterable, Iterator
from concurrent.futures import Future, ThreadPoolExecutor
from dataclasses import dataclass, field
from typing import BinaryIO, cast

from pydantic import ValidationError

from upper_compass.collect.checking import as_rows, check_line, first_problem
from upper_compass.store.hits import HitRow, HitWriter

TOGETHER = 5_000
MOST_TOLD = 1_000
LONGEST_LINE = 256 * 1024
_GZIP = b"\x1f\x8b"


@dataclass
class ImportReport:
    """What became of a file. `refused`: (line, field, sentence) of the first thousand bad lines; `bad` counts all of them."""

    lines: int = 0
    stored: int = 0
    already_there: int = 0
    bad: int = 0
    refused: list[tuple[int, str, str]] = field(default_factory=list)
    broken_off: str | None = None

    def refuse(self, line: int, where: str, why: str) -> None:
        """Note a bad line."""
        self.bad += 1
        if len(self.refused) < MOST_TOLD:
            self.refused.append((line, where, why))


def import_hits(file: BinaryIO, site_id: int, writer: HitWriter) -> ImportReport:
    """Store the hits of a file. Lines that were good stay stored when the file breaks off; the report then says where."""
    report = ImportReport()
    with ThreadPoolExecutor(1) as pool:  # one batch is stored while the next one is read
        _read(file, site_id, report, _Storing(writer, pool, report))
    return report


class _Storing:
    """Gathers rows and stores them in batches, one at a time."""

    def __init__(self, writer: HitWriter, pool: ThreadPoolExecutor, report: ImportReport) -> None:
        self._writer, self._pool, self._report = writer, pool, report
        self._rows: list[HitRow] = []
        self._under_way: tuple[Future[int], int] | None = None

    def add(self, rows: list[HitRow]) -> None:
        self._rows += rows
        if len(self._rows) >= TOGETHER:
            self.flush()

    def flush(self) -> None:
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


def _read(file: BinaryIO, site_id: int, report: ImportReport, storing: _Storing) -> None:
    try:
        for line in _lines(file):
            report.lines += 1
            if not line.strip():
                continue
            if len(line) > LONGEST_LINE:
                report.refuse(report.lines, "", f"this line is longer than {LONGEST_LINE} bytes")
                continue
            try:
                storing.add(as_rows(site_id, [check_line(line)], country=None, own=False))
            except ValidationError as why:
                report.refuse(report.lines, *first_problem(why))
    except (EOFError, gzip.BadGzipFile, OSError) as why:
        report.broken_off = f"The file breaks off after line {report.lines}: {why}"
    storing.flush()
    storing.finish()


def _lines(file: BinaryIO) -> Iterator[bytes]:
    buffered = io.BufferedReader(cast(io.RawIOBase, file)) if not isinstance(file, io.BufferedReader) else file
    opened: Iterable[bytes] = buffered
    if buffered.peek(2)[:2] == _GZIP:
        opened = gzip.GzipFile(fileobj=buffered)
    reader = cast(BinaryIO, opened)
    while line := reader.readline(LONGEST_LINE + 1):
        yield line
        while len(line) > LONGEST_LINE and not line.endswith(b"\n"):  # the rest of an over-long line
            line = reader.readline(LONGEST_LINE + 1)
            if not line:
                return
