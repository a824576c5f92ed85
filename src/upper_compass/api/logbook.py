"""The logbook: notes on days and periods, bound to the views that they were written on."""

from __future__ import annotations

from datetime import date, datetime
from typing import Annotated

from fastapi import APIRouter, Path, Query

from upper_compass.api.access import Access, Analyst, Viewer, who
from upper_compass.api.problems import Problem, responses
from upper_compass.api.routing import Route
from upper_compass.core.definitions.logbook import MAX_ENTRIES, LogbookEntry
from upper_compass.store import logbook as store
from upper_compass.store.database import reading
from upper_compass.store.logbook import StoredEntry

router = APIRouter(prefix="/api/v1/sites/{site}/logbook", tags=["Logbook"], route_class=Route)
EntryId = Annotated[int, Path(ge=1, le=2**31 - 1)]


class LogbookOut(LogbookEntry):
    """An entry with who wrote it and when. `by` is null when they are gone."""

    id: int
    by: str | None
    at: datetime


def _out(stored: StoredEntry) -> LogbookOut:
    return LogbookOut.model_construct(**stored.entry.model_dump(), id=stored.id, by=stored.by, at=stored.at)


def _found(stored: StoredEntry | None) -> StoredEntry:
    if stored is None:
        raise Problem(404, "The logbook has no such entry.")
    return stored


@router.get("", openapi_extra=who("viewer"), responses=responses(401, 404, 422))
def list_entries(
    access: Viewer,
    first: Annotated[date | None, Query(description="Only entries that touch this day or a later one.")] = None,
    last: Annotated[date | None, Query(description="Only entries that touch this day or an earlier one.")] = None,
) -> list[LogbookOut]:
    """Entries, the newest day first. For the site's viewers."""
    with reading(access.engine) as connection:
        return [_out(one) for one in store.entries_of(connection, access.site.id, first, last)]


@router.post("", status_code=201, openapi_extra=who("analyst"), responses=responses(401, 403, 404, 409, 422))
def add_entry(given: LogbookEntry, access: Analyst) -> LogbookOut:
    """Write an entry. For the site's analysts."""
    with access.engine.begin() as connection:
        try:
            return _out(store.add_entry(connection, access.site.id, given, access.user.id))
        except store.FullError as error:
            raise Problem(409, f"The logbook holds {MAX_ENTRIES:,} entries, as many as it may; delete some first.") from error


@router.put("/{entry}", openapi_extra=who("analyst"), responses=responses(401, 403, 404, 422))
def change_entry(entry: EntryId, given: LogbookEntry, access: Analyst) -> LogbookOut:
    """Write an entry anew. For the site's analysts."""
    with access.engine.begin() as connection:
        stored = _found(store.entry_of(connection, access.site.id, entry))
        return _out(store.change_entry(connection, access.site.id, stored, given, access.user.id))


@router.delete("/{entry}", status_code=204, openapi_extra=who("analyst"), responses=responses(401, 403, 404))
def delete_entry(entry: EntryId, access: Analyst) -> None:
    """Delete an entry; it can be restored. For the site's analysts."""
    _moved(access, entry, deleted=True)


@router.post("/{entry}/restore", openapi_extra=who("analyst"), responses=responses(401, 403, 404))
def restore_entry(entry: EntryId, access: Analyst) -> LogbookOut:
    """Bring back an entry that was deleted. For the site's analysts."""
    return _out(_moved(access, entry, deleted=False))


def _moved(access: Access, entry: int, *, deleted: bool) -> StoredEntry:
    with access.engine.begin() as connection:
        stored = _found(store.entry_of(connection, access.site.id, entry, deleted=not deleted))
        store.delete_entry(connection, access.site.id, entry, access.user.id, deleted=deleted)
    return stored
