"""Segments that are saved with a site."""

from __future__ import annotations

import re
from collections.abc import Iterator, Mapping, Sequence
from contextlib import contextmanager
from dataclasses import dataclass
from datetime import datetime
from typing import Any

import sqlalchemy as sa

from upper_compass.core.definitions.saved_segments import MAX_SAVED, SavedSegment, SegmentUse
from upper_compass.core.definitions.segments import Segment, saved_in
from upper_compass.core.definitions.text_tests import STORED
from upper_compass.store.sites import log_change
from upper_compass.store.tables import logbook, segments, users

# As an address names a saved segment.
_NAMED = re.compile(r"[?&](?:segment|beside)=(\d{1,10})(?=&|$)")
MAX_TOLD = 80


@dataclass(frozen=True)
class StoredSegment:
    """A saved segment with who made it and when. `by` is None when they are gone."""

    id: int
    saved: SavedSegment
    by: str | None
    at: datetime
    archived: bool


class FullError(ValueError):
    """The site has as many segments as it may."""


class TakenError(ValueError):
    """Another segment, that is not archived, has this name."""


def segments_of(connection: sa.Connection, site_id: int) -> Sequence[StoredSegment]:
    """All of a site, archived ones too, by name."""
    rows = connection.execute(_whole().where(segments.c.site_id == site_id).order_by(sa.func.lower(segments.c.name), segments.c.id))
    return [_stored(row) for row in rows]


def models_of(connection: sa.Connection, site_id: int) -> dict[int, Segment]:
    """The segments of a site by id, archived ones too: what was once addressed stays what it is."""
    query = sa.select(segments.c.id, segments.c.definition).where(segments.c.site_id == site_id)
    return {row.id: _model(row.definition) for row in connection.execute(query)}


def add_segment(connection: sa.Connection, site_id: int, saved: SavedSegment, user_id: int) -> StoredSegment:
    """Save a segment. Raises FullError, TakenError."""
    count = connection.execute(sa.select(sa.func.count()).where(segments.c.site_id == site_id)).scalar_one()
    if count >= MAX_SAVED:
        raise FullError
    with _unless_taken():
        made = connection.execute(segments.insert().values(site_id=site_id, created_by=user_id, **_columns(saved)).returning(segments.c.id)).scalar_one()
    log_change(connection, site_id, "segment", made, user_id, None, _columns(saved))
    return _there(connection, site_id, made)


def change_segment(connection: sa.Connection, site_id: int, stored: StoredSegment, saved: SavedSegment, user_id: int) -> StoredSegment:
    """Make of a segment another, wherever it is used. Raises TakenError."""
    with _unless_taken():
        connection.execute(segments.update().where(segments.c.id == stored.id).values(_columns(saved)))
    log_change(connection, site_id, "segment", stored.id, user_id, _columns(stored.saved), _columns(saved))
    return _there(connection, site_id, stored.id)


def archive_segment(connection: sa.Connection, site_id: int, stored: StoredSegment, user_id: int, *, archived: bool) -> StoredSegment:
    """Put a segment into the archive, or take it out. Raises TakenError when another has its name by now."""
    with _unless_taken():
        connection.execute(segments.update().where(segments.c.id == stored.id).values(archived_at=sa.func.now() if archived else None))
    log_change(connection, site_id, "segment", stored.id, user_id, {"archived": not archived}, {"archived": archived})
    return _there(connection, site_id, stored.id)


def segment_of(connection: sa.Connection, site_id: int, segment_id: int) -> StoredSegment | None:
    """One segment, archived or not."""
    row = connection.execute(_whole().where(segments.c.site_id == site_id, segments.c.id == segment_id)).one_or_none()
    return _stored(row) if row else None


def uses_of(connection: sa.Connection, site_id: int, all_segments: Sequence[StoredSegment]) -> Mapping[int, list[SegmentUse]]:
    """Where each segment is used, by its id: in other segments that are not archived, and in views that the logbook holds on to."""
    found: dict[int, list[SegmentUse]] = {}
    for one in all_segments:
        if not one.archived:
            for named in saved_in(one.saved.segment.where):
                found.setdefault(named, []).append(SegmentUse(kind="segment", id=one.id, name=one.saved.name))
    bearing = sa.or_(logbook.c.view.contains("segment="), logbook.c.view.contains("beside="))
    query = sa.select(logbook.c.id, logbook.c.text, logbook.c.view).where(logbook.c.site_id == site_id, logbook.c.deleted_at.is_(None), bearing)
    for entry in connection.execute(query.order_by(logbook.c.id)):
        for named in sorted({int(number) for number in _NAMED.findall(entry.view)}):
            found.setdefault(named, []).append(SegmentUse(kind="logbook", id=entry.id, name=entry.text[:MAX_TOLD]))
    return found


@contextmanager
def _unless_taken() -> Iterator[None]:
    """The index of names knows, also when two are saved at once."""
    try:
        yield
    except sa.exc.IntegrityError as error:
        raise TakenError from error


def _there(connection: sa.Connection, site_id: int, segment_id: int) -> StoredSegment:
    found = segment_of(connection, site_id, segment_id)
    if found is None:  # it was there a moment ago, in the same transaction
        raise LookupError(segment_id)
    return found


def _whole() -> sa.Select[Any]:
    return sa.select(segments, users.c.name.label("by")).outerjoin(users, users.c.id == segments.c.created_by)


def _columns(saved: SavedSegment) -> dict[str, Any]:
    return {"name": saved.name, "note": saved.note, "definition": saved.segment.model_dump(mode="json")}


def _model(definition: Any) -> Segment:  # noqa: ANN401
    return Segment.model_validate(definition, context=STORED)


def _stored(row: sa.Row[Any]) -> StoredSegment:
    saved = SavedSegment.model_construct(name=row.name, note=row.note, segment=_model(row.definition))
    return StoredSegment(row.id, saved, row.by, row.created_at, row.archived_at is not None)
