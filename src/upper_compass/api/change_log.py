"""A change as it is told: who made it, of what, field by field."""

from __future__ import annotations

from datetime import datetime

from pydantic import BaseModel

from upper_compass.services.history import differences
from upper_compass.store.sites import Change


class DifferenceOut(BaseModel):
    """One field of a change. `before` is null where there was nothing, `after` where there is nothing any more."""

    field: str
    before: str | None
    after: str | None


class ChangeOut(BaseModel):
    """A change. `thing`: what kind of thing; `name`: what it is called, where it has a name; `by` is null when they are gone."""

    id: int
    at: datetime
    by: str | None
    thing: str
    name: str | None
    fields: list[DifferenceOut]


def told_change(change: Change) -> ChangeOut:
    """A change of the log, with its name where it has one."""
    named = next((state["name"] for state in (change.after, change.before) if isinstance(state, dict) and isinstance(state.get("name"), str)), None)
    fields = [DifferenceOut.model_validate(one, from_attributes=True) for one in differences(change.before, change.after)]
    return ChangeOut(id=change.id, at=change.at, by=change.by, thing=change.thing, name=named, fields=fields)
