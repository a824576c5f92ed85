"""Imports of files: what became of each, and taking one back. How a site's server logs are read is kept beside them."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime, timedelta
from typing import Any

import sqlalchemy as sa

from upper_compass.core.definitions.log_reading import LogReading
from upper_compass.store.change_log import log_change
from upper_compass.store.record import erase
from upper_compass.store.record_files import Chosen
from upper_compass.store.storage import Storage
from upper_compass.store.tables import imports, sites, users

MAX_LISTED = 200
# Whoever reads a file says every few seconds how far it is; who says nothing for so long reads no more.
SILENT = timedelta(minutes=2)
_hit_seq = sa.text("(SELECT last_value - (NOT is_called)::integer FROM hit_seq)")


@dataclass(frozen=True)
class Counts:
    """What became of a file so far. `read`: bytes of it; `refused`: (line, field, sentence)."""

    format: str | None
    read: int
    lines: int
    stored: int
    already_there: int
    bad: int
    shortened: int
    refused: Sequence[tuple[int, str, str]]
    broken_off: str | None


@dataclass(frozen=True)
class StoredImport:
    """An import. `by` is None when it was started on the machine itself, or they are gone; `runs`: whether the file is being read."""

    id: int
    name: str
    size: int
    counts: Counts
    by: str | None
    at: datetime
    finished_at: datetime | None
    undone_at: datetime | None
    runs: bool


class RunningError(ValueError):
    """An import that is still running cannot be undone."""


def begin_import(connection: sa.Connection, site_id: int, name: str, size: int, user_id: int | None) -> int:
    """Write down that a file of so many bytes is read now; the import's number."""
    row = {"site_id": site_id, "name": name, "size": size, "created_by": user_id, "after_seq": _hit_seq}
    return int(connection.execute(imports.insert().values(row).returning(imports.c.id)).scalar_one())


def tell_import(connection: sa.Connection, import_id: int, counts: Counts, *, finished: bool) -> None:
    """Write down how far it is."""
    told: dict[str, Any] = {name: getattr(counts, name) for name in ("format", "read", "lines", "stored", "already_there", "bad", "shortened", "broken_off")}
    told |= {"told_at": sa.func.clock_timestamp(), "refused": [list(one) for one in counts.refused]}
    if finished:
        told |= {"finished_at": sa.func.clock_timestamp(), "until_seq": _hit_seq}
    connection.execute(imports.update().where(imports.c.id == import_id).values(told))


def imports_of(connection: sa.Connection, site_id: int) -> Sequence[StoredImport]:
    """The newest imports of a site, the newest first; without the lines that were refused."""
    rows = connection.execute(_whole(without_lines=True).where(imports.c.site_id == site_id).order_by(imports.c.id.desc()).limit(MAX_LISTED))
    return [_import(row) for row in rows]


def import_of(connection: sa.Connection, site_id: int, import_id: int) -> StoredImport | None:
    """One import."""
    row = connection.execute(_whole().where(imports.c.site_id == site_id, imports.c.id == import_id)).one_or_none()
    return _import(row) if row else None


def undo_import(connection: sa.Connection, storage: Storage | None, site_id: int, stored: StoredImport, user_id: int) -> int:
    """Delete the hits that came with an import; how many they were. Raises RunningError, StorageAwayError."""
    row = connection.execute(sa.select(imports).where(imports.c.id == stored.id).with_for_update()).one()
    if row.finished_at is None and stored.runs:
        raise RunningError
    if row.undone_at is not None:
        return 0
    count = erase(connection, storage, site_id, Chosen(of_import=(row.id, row.after_seq, row.until_seq or 2**62)))
    connection.execute(imports.update().where(imports.c.id == row.id).values(undone_at=sa.func.now(), finished_at=row.finished_at or sa.func.now()))
    log_change(connection, site_id, "import", row.id, user_id, {"name": row.name, "hits": count}, {"undone": True})
    return count


def keep_log_reading(connection: sa.Connection, site_id: int, reading: LogReading | None, user_id: int) -> None:
    """Read a site's server logs so from now on; None: as is usual."""
    before = connection.execute(sa.select(sites.c.log_reading).where(sites.c.id == site_id).with_for_update()).scalar_one()
    after = reading.model_dump(mode="json") if reading else None
    connection.execute(sites.update().where(sites.c.id == site_id).values(log_reading=after if after else sa.null()))
    log_change(connection, site_id, "log reading", site_id, user_id, before, after)


def _whole(*, without_lines: bool = False) -> sa.Select[Any]:
    kept = [column for column in imports.c if not (without_lines and column.name == "refused")]
    runs = (imports.c.finished_at.is_(None) & (imports.c.told_at > sa.func.now() - SILENT)).label("runs")
    return sa.select(*kept, users.c.name.label("by"), runs).outerjoin(users, users.c.id == imports.c.created_by)


def _import(row: sa.Row[Any]) -> StoredImport:
    held = row._mapping
    refused = [(line, field, text) for line, field, text in held.get("refused", ())]
    counts = Counts(row.format, row.read, row.lines, row.stored, row.already_there, row.bad, row.shortened, refused, row.broken_off)
    return StoredImport(row.id, row.name, row.size, counts, row.by, row.created_at, row.finished_at, row.undone_at, row.runs)
