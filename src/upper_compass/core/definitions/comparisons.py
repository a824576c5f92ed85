"""Two groups held against each other: what is asked, and what is told (rules, chapter 8)."""

from __future__ import annotations

from typing import Annotated, Literal, Self

from pydantic import BaseModel, ConfigDict, Field, field_validator, model_validator

from upper_compass.core.definitions.periods import Period
from upper_compass.core.definitions.requests import MAX_ROWS, GoalId
from upper_compass.core.definitions.segments import MAX_CONDITIONS, Name, Segment
from upper_compass.core.definitions.text_tests import check_weights

MAX_DIMENSIONS = 80


class TheRest(BaseModel):
    """All others."""

    model_config = ConfigDict(extra="forbid")
    kind: Literal["rest"] = "rest"


class AnotherSegment(BaseModel):
    """Another segment; without one, everybody."""

    model_config = ConfigDict(extra="forbid")
    kind: Literal["segment"] = "segment"
    segment: Segment | None = None


class AnotherPeriod(BaseModel):
    """The same segment in another period."""

    model_config = ConfigDict(extra="forbid")
    kind: Literal["period"] = "period"
    period: Period


class CompareRequest(BaseModel):
    """Group A held against another, value by value of these dimensions; without dimensions, of all that tell something of their own.

    `segment`: what is read at all, both groups lie in it; `group`: A, everybody without one. `units`: what is counted. Rows of which too little is
    known are told alone, where they are asked for.
    """

    model_config = ConfigDict(extra="forbid")
    period: Period
    goal: GoalId | None = None
    segment: Segment | None = None
    group: Segment | None
    against: Annotated[TheRest | AnotherSegment | AnotherPeriod, Field(discriminator="kind")] = TheRest()
    units: Literal["people", "visits"] = "people"
    dimensions: Annotated[list[Name], Field(max_length=MAX_DIMENSIONS)] = []
    too_few: bool = False
    offset: Annotated[int, Field(ge=0, le=10_000_000)] = 0
    limit: Annotated[int, Field(ge=1, le=MAX_ROWS)] = 100

    @model_validator(mode="before")
    @classmethod
    def _patterns_fit(cls, given: object) -> object:
        return check_weights(given)

    @field_validator("dimensions")
    @classmethod
    def _differ(cls, dimensions: list[str]) -> list[str]:
        if len(set(dimensions)) < len(dimensions):
            raise ValueError("a dimension is asked for twice")
        return dimensions

    @model_validator(mode="after")
    def _fits(self) -> Self:
        segments = [self.segment, self.group, self.against.segment if isinstance(self.against, AnotherSegment) else None]
        if sum(segment.where.size()[0] for segment in segments if segment is not None) > 2 * MAX_CONDITIONS:
            raise ValueError(f"the segments of a comparison have at most {2 * MAX_CONDITIONS} conditions together")
        return self

    @property
    def goals(self) -> set[int]:
        """The ids of all goals that are asked for."""
        return set() if self.goal is None else {self.goal}


class ComparedSizes(BaseModel):
    """How many people, or visits, the groups have. `b` is what is left of the other where A is a part of it (`is_rest`); `both`: in A and in the other."""

    a: int
    b: int
    both: int
    is_rest: bool


class ComparedValue(BaseModel):
    """A value of a dimension."""

    dimension: str
    value: str


class CompareResult(BaseModel):
    """Rows, column by column, by p and then by value: the dimension and value of each, units of A and B with it, the ratio of their shares with its
    95 % interval (`low`, `high`; null where there is none, `high` also where it has no end), p of the row alone and corrected over all rows of the table.

    `count`: rows there are of the kind that is asked for; `count_too_few`: rows too few to say; `tested`: rows that were corrected together;
    `made_of`: values that all of A has and none of B, which are what the groups are made of, and no finding, at most fifty.
    """

    period: Period
    against: Period
    units: Literal["people", "visits"]
    sizes: ComparedSizes
    dimensions: list[str]
    values: list[str]
    a: list[int]
    b: list[int]
    ratio: list[float | None]
    low: list[float | None]
    high: list[float | None]
    p: list[float]
    corrected: list[float]
    count: int
    count_too_few: int
    tested: int
    made_of: list[ComparedValue]
