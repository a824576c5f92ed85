"""Paths: what is asked, and what is told (rules, chapter 10)."""

from __future__ import annotations

from typing import Annotated

from pydantic import BaseModel, ConfigDict, Field, model_validator

from upper_compass.core.definitions.periods import Period, Versus
from upper_compass.core.definitions.segments import Segment
from upper_compass.core.definitions.text_tests import check_weights
from upper_compass.core.definitions.ways import MAX_BRANCHES, MAX_WAY, Centre, StepsOf, WayStep

MAX_OPENED, USUAL_BRANCHES = 60, 5


class OpenedNode(BaseModel):
    """A node whose next steps are wanted, by the whole chain of steps from the centre; none: the centre. At most so many of them by name."""

    model_config = ConfigDict(extra="forbid")
    chain: Annotated[list[WayStep], Field(max_length=MAX_WAY)] = []
    most: Annotated[int, Field(ge=1, le=MAX_BRANCHES)] = USUAL_BRANCHES


class PathsRequest(BaseModel):
    """The ways of visits from a centre.

    `forward`, `backward`: the nodes that are opened; null: the centre and the largest behind it, three steps on, two back.
    """

    model_config = ConfigDict(extra="forbid")
    period: Period
    versus: Versus = "before"
    segment: Segment | None = None
    goal: int | None = None
    steps: StepsOf = "pages"
    centre: Centre
    forward: Annotated[list[OpenedNode], Field(max_length=MAX_OPENED)] | None = None
    backward: Annotated[list[OpenedNode], Field(max_length=MAX_OPENED)] | None = None

    @model_validator(mode="before")
    @classmethod
    def _patterns_fit(cls, given: object) -> object:
        return check_weights(given)

    @property
    def goals(self) -> set[int]:
        """The ids of all goals that are asked for."""
        return set() if self.goal is None else {self.goal}


class PathCount(BaseModel):
    """Visits, those of them that hold a conversion, and how many visits there were in the versus period."""

    visits: int
    converted: int
    before: int | None = None


class PathNode(PathCount):
    """One next step."""

    step: WayStep


class PathRest(PathCount):
    """All further next steps: how many values there are."""

    values: int


class PathBranches(BaseModel):
    """The next steps of a node, the commonest first: those by name, all others, and the visits that end here (backwards: begin). They add up to the node."""

    chain: list[WayStep]
    nodes: list[PathNode]
    more: PathRest
    ended: PathCount


class PathsResult(BaseModel):
    """The centre, and what was opened on either side of it."""

    period: Period
    versus: Period | None
    centre: PathCount
    forward: list[PathBranches]
    backward: list[PathBranches]
