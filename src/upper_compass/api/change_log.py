"""A change as it is told: who made it, of what, field by field."""

from __future__ import annotations

import json
from datetime import datetime
from typing import Annotated, Any, Literal

from pydantic import BaseModel, Field, TypeAdapter, ValidationError

from upper_compass.core.definitions.funnels import Funnel
from upper_compass.core.definitions.goals import Goal
from upper_compass.core.definitions.segments import Segment
from upper_compass.core.definitions.text_tests import STORED
from upper_compass.services.history import differences
from upper_compass.store.change_log import Change


class DifferenceOut(BaseModel):
    """One field of a change. `before` is null where there was nothing, `after` where there is nothing any more."""

    field: str
    before: str | None
    after: str | None


class GoalChange(BaseModel):
    """What a goal counted, and what it counts."""

    kind: Literal["goal"]
    before: Goal | None
    after: Goal | None


class SegmentChange(BaseModel):
    """Who was in a segment, and who is."""

    kind: Literal["segment"]
    before: Segment | None
    after: Segment | None


class FunnelChange(BaseModel):
    """The steps that were saved, and those that are."""

    kind: Literal["funnel"]
    before: Funnel | None
    after: Funnel | None


# A longer one, both states as JSON, is told by the first of its fields alone: a list has hundreds of them.
MAX_DEFINITION = 8_000

Definition = Annotated[GoalChange | SegmentChange | FunnelChange, Field(discriminator="kind")]
_DEFINITION: TypeAdapter[GoalChange | SegmentChange | FunnelChange] = TypeAdapter(Definition)


class ChangeOut(BaseModel):
    """A change. `thing`: what kind of thing; `name`: what it is called, where it has a name; `by` is null when they are gone.

    `definition`: of a goal, a segment and a funnel what `fields` tell one by one, whole; null where that did not change, is very long, or cannot be
    read any more.
    """

    id: int
    at: datetime
    by: str | None
    thing: str
    name: str | None
    fields: list[DifferenceOut]
    definition: Definition | None = None


def told_change(change: Change, *, is_defined: bool = False) -> ChangeOut:
    """A change of the log, with its name where it has one; with its definition where that is asked for."""
    named = next((state["name"] for state in (change.after, change.before) if isinstance(state, dict) and isinstance(state.get("name"), str)), None)
    fields = [DifferenceOut.model_validate(one, from_attributes=True) for one in differences(change.before, change.after)]
    definition = _definition_of(change) if is_defined else None
    return ChangeOut(id=change.id, at=change.at, by=change.by, thing=change.thing, name=named, fields=fields, definition=definition)


def _definition_of(change: Change) -> GoalChange | SegmentChange | FunnelChange | None:
    before, after = (_defined(change.thing, state) for state in (change.before, change.after))
    if before == after or len(json.dumps([before, after])) > MAX_DEFINITION:
        return None
    try:
        return _DEFINITION.validate_python({"kind": change.thing, "before": before, "after": after}, context=STORED)
    except ValidationError:  # another kind of thing, or one that was written when there were other rules
        return None


def _defined(thing: str, state: Any) -> Any:  # noqa: ANN401
    """The definition within the state of a thing; a funnel's has beside it what it is split by."""
    definition = state.get("definition") if isinstance(state, dict) else None
    return definition["funnel"] if thing == "funnel" and isinstance(definition, dict) and "funnel" in definition else definition
