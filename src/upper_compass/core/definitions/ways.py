"""Ways through a visit: from a value in the middle, step by step, forwards and backwards (rules, chapter 10)."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import BaseModel, ConfigDict, Field

from upper_compass.core.definitions.text_tests import storable

MAX_WAY = 12
# As many as one node is opened into.
MAX_BRANCHES = 200
Text = Annotated[str, storable(4000, least=1)]
StepsOf = Literal["pages", "page groups", "events", "pages and events"]


class WayStep(BaseModel):
    """One step: a page that was seen, a page group, or an event."""

    model_config = ConfigDict(extra="forbid", frozen=True)
    of: Literal["page", "page_group", "event"] = "page"
    value: Text


class Centre(BaseModel):
    """From where ways are followed: the first hit of a visit that has a value of a dimension; of one of the visit, from where it begins."""

    model_config = ConfigDict(extra="forbid", frozen=True)
    dimension: Annotated[str, storable(100, least=1)]
    value: Text


class Way(BaseModel):
    """A way from the centre: `forward` from there on, `backward` from there back, each in the order in which one comes to them.

    `left`: behind its steps the visit ends; `arrived`: before its steps the visit begins. `next_other_than`: where any is named, behind its steps comes
    one more, which is none of these; `before_other_than`: the same before its steps.
    """

    model_config = ConfigDict(extra="forbid", frozen=True)
    steps: StepsOf = "pages"
    centre: Centre
    forward: Annotated[tuple[WayStep, ...], Field(max_length=MAX_WAY)] = ()
    backward: Annotated[tuple[WayStep, ...], Field(max_length=MAX_WAY)] = ()
    left: bool = False
    arrived: bool = False
    next_other_than: Annotated[tuple[WayStep, ...], Field(max_length=MAX_BRANCHES)] = ()
    before_other_than: Annotated[tuple[WayStep, ...], Field(max_length=MAX_BRANCHES)] = ()
