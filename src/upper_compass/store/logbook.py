"""Entries of the logbook of a site."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import date, datetime
from typing import Any

import sqlalchemy as sa

from upper_compass.core.definitions.logbook import MAX_ENTRIES, LogbookEntry
from upper_compass.store.change_log import log_change
from upper_compass.store.tables import logbook, users


@dataclass(frozen=True)
class StoredEntry:
    """An entry with who wrote it and when. `by` is None when they are gone."""

    id: int
    entry: LogbookEntry
    by: str | None
    at: datetime


class FullError(ValueError):
    """The logbook holds as many entries as it may."""


def entries_of(connection: sa.Connection, site_id: int, first: date | None = None, last: date | None = None) -> Sequence[StoredEntry]:
    """Entries that touch the days from `first` to `last`, the newest day first; those of one day as they were written."""
    query = _whole().where(logbook.c.site_id == site_id, logbook.c.deleted_at.is_(None))
    if first is not None:
        query = query.where(logbook.c.last >= first)
    if last is not None:
        query = query.where(logbook.c.first <= last)
    return [_entry(row) for row in connection.execute(query.order_by(logbook.c.first.desc(), logbook.c.id))]


def entry_of(connection: sa.Connection, site_id: int, entry_id: int, *, deleted: bool = False) -> StoredEntry | None:
    """One entry, or one that was deleted."""
    found = logbook.c.deleted_at.is_not(None) if deleted else logbook.c.deleted_at.is_(None)
    row = connection.execute(_whole().where(logbook.c.site_id == site_id, logbook.c.id == entry_id, found)).one_or_none()
    return _entry(row) if row else None


def add_entry(connection: sa.Connection, site_id: int, entry: LogbookEntry, user_id: int) -> StoredEntry:
    """Write an entry. Raises FullError."""
    count = connection.execute(sa.select(sa.func.count()).where(logbook.c.site_id == site_id, logbook.c.deleted_at.is_(None))).scalar_one()
    if count >= MAX_ENTRIES:
        raise FullError
    made = connection.execute(logbook.insert().values(site_id=site_id, created_by=user_id, **entry.model_dump()).returning(logbook.c.id)).scalar_one()
    log_change(connection, site_id, "logbook", made, user_id, None, entry.model_dump(mode="json"))
    return _there(connection, site_id, made)


def change_entry(connection: sa.Connection, site_id: int, stored: StoredEntry, entry: LogbookEntry, user_id: int) -> StoredEntry:
    """Write an entry anew."""
    connection.execute(logbook.update().where(logbook.c.id == stored.id).values(entry.model_dump()))
    log_change(connection, site_id, "logbook", stored.id, user_id, stored.entry.model_dump(mode="json"), entry.model_dump(mode="json"))
    return _there(connection, site_id, stored.id)


def delete_entry(connection: sa.Connection, site_id: int, entry_id: int, user_id: int, *, deleted: bool) -> None:
    """Delete an entry, or bring it back."""
    connection.execute(logbook.update().where(logbook.c.id == entry_id).values(deleted_at=sa.func.now() if deleted else None))
    log_change(connection, site_id, "logbook", entry_id, user_id, {"deleted": not deleted}, {"deleted": deleted})


def _there(connection: sa.Connection, site_id: int, entry_id: int) -> StoredEntry:
    found = entry_of(connection, site_id, entry_id)
    if found is None:  # it was there a moment ago, in the same transaction
        raise LookupError(entry_id)
    return found


def _whole() -> sa.Select[Any]:
    return sa.select(logbook, users.c.name).outerjoin(users, users.c.id == logbook.c.created_by)


def _entry(row: sa.Row[Any]) -> StoredEntry:
    entry = LogbookEntry.model_construct(kind=row.kind, first=row.first, last=row.last, text=row.text, view=row.view)
    return StoredEntry(row.id, entry, row.name, row.created_at)
