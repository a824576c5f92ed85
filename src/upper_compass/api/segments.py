"""Segments that are saved with a site, and how many one holds while it is written."""

from __future__ import annotations

from collections.abc import Callable
from datetime import datetime
from typing import Annotated

import sqlalchemy as sa
from fastapi import APIRouter, Body, Path

from upper_compass.api.access import Access, Analyst, ServicesHere, Viewer, who
from upper_compass.api.deps import goals_for, saving, unfit_segment, with_saved
from upper_compass.api.problems import Problem, responses
from upper_compass.api.routing import Route
from upper_compass.core.definitions.saved_segments import MAX_SAVED, SavedSegment, SegmentUse
from upper_compass.core.definitions.segments import Segment, UnfitSegmentError, resolved
from upper_compass.core.reports.segment_size import SegmentSizeRequest, SegmentSizeResult, segment_size
from upper_compass.store import segments as store
from upper_compass.store.database import reading
from upper_compass.store.segments import StoredSegment

router = APIRouter(prefix="/api/v1/sites/{site}/segments", tags=["Segments"], route_class=Route)
SegmentPath = Annotated[int, Path(ge=1, le=2**31 - 1)]

_SIZE = {
    "period": {"first": "2026-10-26", "last": "2026-11-22"},
    "segment": {"of": "people", "where": {"conditions": [{"kind": "did", "match": {"kind": "event", "names": ["file download"]}}]}},
}


class SegmentOut(SavedSegment):
    """A saved segment with who made it, when, and where it is used. `by` is null when they are gone."""

    id: int
    by: str | None
    at: datetime
    archived: bool
    used_in: list[SegmentUse]


def _out(connection: sa.Connection, access: Access, stored: StoredSegment) -> SegmentOut:
    uses = store.uses_of(connection, access.site.id, store.SAVED.all_of(connection, access.site.id))
    return _told(stored, uses.get(stored.id, []))


def _told(stored: StoredSegment, uses: list[SegmentUse]) -> SegmentOut:
    saved = stored.saved
    return SegmentOut.model_construct(
        name=saved.name, note=saved.note, segment=saved.segment, id=stored.id, by=stored.by, at=stored.at, archived=stored.archived, used_in=uses,
    )  # fmt: skip


def _found(connection: sa.Connection, access: Access, segment: int) -> StoredSegment:
    stored = store.SAVED.one_of(connection, access.site.id, segment)
    if stored is None:
        raise Problem(404, "The site has no such segment.")
    return stored


def _check(connection: sa.Connection, access: Access, given: Segment, own: int | None = None) -> None:
    """Whether it can be read with the segments that it names, itself among them, and whether those that name it still can."""
    saved = store.models_of(connection, access.site.id)
    others = [] if own is None else [one for number, one in saved.items() if number != own]
    if own is not None:
        saved[own] = given
    try:
        for one in (given, *others):
            resolved(one, saved)
    except UnfitSegmentError as error:
        raise unfit_segment(error) from error


@router.get("", openapi_extra=who("viewer"), responses=responses(401, 404))
def list_segments(access: Viewer) -> list[SegmentOut]:
    """All segments that are saved, archived ones too, by name. For the site's viewers."""
    with reading(access.engine) as connection:
        found = store.SAVED.all_of(connection, access.site.id)
        uses = store.uses_of(connection, access.site.id, found)
        return [_told(one, uses.get(one.id, [])) for one in found]


@router.post("", status_code=201, openapi_extra=who("analyst"), responses=responses(401, 403, 404, 409, 422))
def add_segment(given: SavedSegment, access: Analyst) -> SegmentOut:
    """Save a segment under a name. For the site's analysts."""
    with access.engine.begin() as connection:
        _check(connection, access, given.segment)
        with saving("segment", given.name, MAX_SAVED):
            return _out(connection, access, store.SAVED.add(connection, access.site.id, given, access.user.id))


@router.post("/size", openapi_extra=who("viewer"), responses=responses(401, 403, 404, 422))
def size(access: Viewer, services: ServicesHere, request: SegmentSizeRequest = Body(examples=[_SIZE])) -> SegmentSizeResult:  # noqa: B008
    """How many a segment holds, what each of its conditions leaves, and its course. For the site's viewers."""
    return services.reader.read(access.site, segment_size, with_saved(access, request), goals_for(access, request))


@router.put("/{segment}", openapi_extra=who("analyst"), responses=responses(401, 403, 404, 409, 422))
def change_segment(segment: SegmentPath, given: SavedSegment, access: Analyst) -> SegmentOut:
    """Make of a segment another, wherever it is used. For the site's analysts."""
    with access.engine.begin() as connection:
        stored = _found(connection, access, segment)
        _check(connection, access, given.segment, segment)
        with saving("segment", given.name, MAX_SAVED):
            return _out(connection, access, store.SAVED.change(connection, access.site.id, stored, given, access.user.id))


@router.post("/{segment}/archive", openapi_extra=who("analyst"), responses=responses(401, 403, 404, 409))
def archive_segment(segment: SegmentPath, access: Analyst) -> SegmentOut:
    """Put a segment into the archive, while it is used nowhere. For the site's analysts."""

    def may(connection: sa.Connection, stored: StoredSegment) -> None:
        uses = _out(connection, access, stored).used_in
        if uses:
            raise Problem(409, f"It is used in {_named(uses)}; take it out there first.")

    return _moved(access, segment, may, archived=True)


@router.post("/{segment}/restore", openapi_extra=who("analyst"), responses=responses(401, 403, 404, 409))
def restore_segment(segment: SegmentPath, access: Analyst) -> SegmentOut:
    """Take a segment out of the archive. For the site's analysts."""
    return _moved(access, segment, lambda *_: None, archived=False)


def _moved(access: Access, segment: int, may: Callable[[sa.Connection, StoredSegment], None], *, archived: bool) -> SegmentOut:
    with access.engine.begin() as connection:
        stored = _found(connection, access, segment)
        may(connection, stored)
        with saving("segment", stored.saved.name, MAX_SAVED):
            return _out(connection, access, store.SAVED.archive(connection, access.site.id, stored, access.user.id, archived=archived))


def _named(uses: list[SegmentUse]) -> str:
    """Where it is used, the first of very many."""
    words = [f"the segment “{one.name}”" if one.kind == "segment" else f"the logbook’s “{one.name}”" for one in uses[:3]]
    return ", ".join(words) + (f" and {len(uses) - 3} more" if len(uses) > len(words) else "")
