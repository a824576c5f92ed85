"""What is asked of Worth a look, and what it tells."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Annotated, Literal

import polars as pl
from pydantic import BaseModel, ConfigDict, Field, JsonValue, computed_field

from upper_compass.core.definitions.periods import Period
from upper_compass.core.definitions.requests import GoalId
from upper_compass.core.definitions.segments import Segment

MAX_TOLD = 7
# converters: over- or under-represented among those who reached the goal; weak landing: a landing page whose visits reach it seldom for where they come
# from; seldom entered: a page that many go on to; long bounces: visits that see one page, and read it; short bounces: that leave at once.
Kind = Literal["converters", "grew", "fell", "stopped", "new", "weak landing", "seldom entered", "long bounces", "short bounces"]

_ASKED: JsonValue = {"period": {"first": "2026-10-26", "last": "2026-11-22"}, "goal": 1}


class InsightsRequest(BaseModel):
    """A period, the goal steered by, and what is read at all. `limit`: how many are told, as large as seven on screen."""

    model_config = ConfigDict(extra="forbid", json_schema_extra={"examples": [_ASKED]})
    period: Period
    goal: GoalId | None = None
    segment: Segment | None = None
    limit: Annotated[int, Field(ge=1, le=1000)] = MAX_TOLD

    @property
    def goals(self) -> set[int]:
        """The ids of all goals that are asked for."""
        return set() if self.goal is None else {self.goal}


class Insight(BaseModel):
    """One thing that stands out: a value of a dimension; both are empty where it is of all visits.

    converters: `a` of `a_of` people who reached the goal have the value, `b` of `b_of` others; `ratio` of the shares with its 95 % interval.
    grew, fell, stopped, new: `a` visits of `a_of` in all; `b`: how many were expected; `course`: in windows as long as the period, the last is the period.
    weak landing: `a` converting visits of `a_of` that landed there; `b` were expected of visits from the same channels.
    seldom entered: `a` of `a_of` visits that saw the page began there. long and short bounces: `a` of `a_of` that landed there saw nothing else, of all
    `b` of `b_of`; `engaged` and `engaged_of_all`: seconds a visit that bounced, there and of all.
    `corrected`: p, corrected over everything that was tried; null of what is no test.
    """

    kind: Kind
    dimension: str
    value: str
    a: int
    a_of: int
    b: float | None = None
    b_of: int | None = None
    ratio: float | None = None
    low: float | None = None
    high: float | None = None
    engaged: float | None = None
    engaged_of_all: float | None = None
    course: list[int] = []
    corrected: float | None = None

    @computed_field  # type: ignore[prop-decorator]
    @property
    def key(self) -> str:
        """What tells it from others, whatever the period."""
        return f"{self.kind}:{self.dimension}:{self.value}"


class InsightsResult(BaseModel):
    """What stands out, the most telling first; never the same visits twice. `tried`: how many values were tested; `windows`: how many earlier windows as
    long as the period there were to expect from (under four: nothing can have grown or fallen)."""

    insights: list[Insight]
    tried: int
    windows: int


# A candidate: what an Insight has, its p (null of what is no test), and how much it weighs: the share of all that is more, or less, than expected.
CANDIDATES: dict[str, pl.DataType | type[pl.DataType]] = {
    "kind": pl.String, "dimension": pl.String, "value": pl.String, "a": pl.Int64, "a_of": pl.Int64, "b": pl.Float64, "b_of": pl.Int64,
    "ratio": pl.Float64, "low": pl.Float64, "high": pl.Float64, "engaged": pl.Float64, "engaged_of_all": pl.Float64, "course": pl.List(pl.Int64),
    "p": pl.Float64, "is_telling": pl.Boolean, "size": pl.Float64,
}  # fmt: skip


def candidates(parts: Sequence[pl.DataFrame]) -> pl.DataFrame:
    """Rows one below the other with all columns of CANDIDATES, those that are missing null. `is_telling`: large enough to be told, if it is no chance."""
    rows = pl.concat([pl.DataFrame(schema=CANDIDATES), *parts], how="diagonal_relaxed")
    return rows.select(pl.col(name).cast(dtype) for name, dtype in CANDIDATES.items())
