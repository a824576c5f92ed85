"""Segments that are saved with a site."""

from __future__ import annotations

import re
from collections.abc import Mapping, Sequence
from typing import Any

import sqlalchemy as sa

from upper_compass.core.definitions.saved_segments import MAX_SAVED, SavedSegment, SegmentUse
from upper_compass.core.definitions.segments import Segment, saved_in
from upper_compass.core.definitions.text_tests import STORED
from upper_compass.store.saved import Saved, Stored
from upper_compass.store.tables import logbook, segments

# As an address names a saved segment.
_NAMED = re.compile(r"[?&](?:segment|beside)=(\d{1,10})(?=&|$)")
MAX_TOLD = 80


def _columns(saved: SavedSegment) -> dict[str, Any]:
    return {"name": saved.name, "note": saved.note, "definition": saved.segment.model_dump(mode="json")}


def _model(definition: Any) -> Segment:  # noqa: ANN401
    return Segment.model_validate(definition, context=STORED)


def _saved(row: sa.Row[Any]) -> SavedSegment:
    return SavedSegment.model_construct(name=row.name, note=row.note, segment=_model(row.definition))


StoredSegment = Stored[SavedSegment]
SAVED = Saved(segments, "segment", MAX_SAVED, _columns, _saved)


def models_of(connection: sa.Connection, site_id: int) -> dict[int, Segment]:
    """The segments of a site by id, archived ones too: what was once addressed stays what it is."""
    query = sa.select(segments.c.id, segments.c.definition).where(segments.c.site_id == site_id)
    return {row.id: _model(row.definition) for row in connection.execute(query)}


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
