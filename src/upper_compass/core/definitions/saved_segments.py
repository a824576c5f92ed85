"""Segments that are saved with a site, and where they are used."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import BaseModel, ConfigDict, JsonValue, field_validator

from upper_compass.core.definitions.segments import Segment
from upper_compass.core.definitions.text_tests import storable

MAX_SAVED = 500

_READERS: JsonValue = {
    "name": "Guide readers",
    "note": "",
    "segment": {"of": "people", "where": {"conditions": [{"kind": "did", "match": {"kind": "event", "names": ["file download"]}}]}},
}


class SavedSegment(BaseModel):
    """A segment under a name."""

    model_config = ConfigDict(extra="forbid", json_schema_extra={"examples": [_READERS]})
    name: Annotated[str, storable(100, least=1)]
    note: Annotated[str, storable(2000)] = ""
    segment: Segment

    @field_validator("name")
    @classmethod
    def _said(cls, name: str) -> str:
        if not name.strip():
            raise ValueError("give it a name")
        return name.strip()


class SegmentUse(BaseModel):
    """Where a saved segment is used: in another one, or in the view that an entry of the logbook holds on to. `name`: of the segment, or what was noted."""

    kind: Literal["segment", "logbook"]
    id: int
    name: str
