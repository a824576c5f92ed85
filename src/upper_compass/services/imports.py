"""Reading a file into a site, with what becomes of it written down as it goes."""

from __future__ import annotations

import time
from dataclasses import dataclass, replace
from typing import BinaryIO

import psycopg
import sqlalchemy as sa

from upper_compass.collect.importing import Import, ImportReport, import_hits
from upper_compass.store.hits import HitWriter
from upper_compass.store.imports import Counts, begin_import, tell_import

# How often it is written down how far it is.
EVERY = 0.5
MAX_NAME = 200


@dataclass(frozen=True)
class GivenFile:
    """A file as it was given, with its name and its size in bytes."""

    file: BinaryIO
    name: str
    size: int


def import_file(engine: sa.Engine, given: GivenFile, into: Import, user_id: int | None) -> tuple[int, ImportReport]:
    """Store the hits of a file; (number of the import, what became of it). `user_id`: who gave it; None on the machine itself."""
    with engine.begin() as connection:
        number = begin_import(connection, into.site_id, given.name[:MAX_NAME], given.size, user_id)
    telling = _Telling(engine, number, given)
    try:
        with psycopg.connect(engine.url.set(drivername="postgresql").render_as_string(hide_password=False)) as connection:
            report = import_hits(given.file, replace(into, told=telling.tell), HitWriter(connection, number))
    except BaseException:
        telling.finish(replace(telling.last, broken_off="Reading it failed; what was stored before stays."))
        raise
    telling.finish(report)
    return number, report


class _Telling:
    def __init__(self, engine: sa.Engine, number: int, given: GivenFile) -> None:
        self._engine, self._number, self._given = engine, number, given
        self._told = time.monotonic()
        self._read = 0
        self.last = ImportReport()

    def tell(self, report: ImportReport) -> None:
        self.last = report
        self._read = min(self._given.file.tell(), self._given.size)
        if time.monotonic() - self._told >= EVERY:
            self._told = time.monotonic()
            self._write(report, finished=False)

    def finish(self, report: ImportReport) -> None:
        if report.broken_off is None:
            self._read = self._given.size
        self._write(report, finished=True)

    def _write(self, report: ImportReport, *, finished: bool) -> None:
        counts = Counts(
            report.format, self._read, report.lines, report.stored, report.already_there, report.bad, report.shortened, report.refused, report.broken_off
        )
        with self._engine.begin() as connection:
            tell_import(connection, self._number, counts, finished=finished)
