"""Funnels: what is asked, and what is told (rules, chapter 9)."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import BaseModel, ConfigDict, Field, model_validator

from upper_compass.core.definitions.hit_match import HitMatch
from upper_compass.core.definitions.periods import Period, Versus
from upper_compass.core.definitions.segments import MAX_STEPS, Name, Segment
from upper_compass.core.definitions.text_tests import check_weights


class Funnel(BaseModel):
    """Steps, each a hit that matches, in this order; by people or by visits; at most so many minutes from the first to the last of them.

    `directly_next`: no other view lies between two steps.
    """

    model_config = ConfigDict(extra="forbid")
    steps: Annotated[list[HitMatch], Field(min_length=2, max_length=MAX_STEPS)]
    units: Literal["people", "visits"] = "people"
    window_minutes: Annotated[float, Field(gt=0, le=1e7, allow_inf_nan=False)] | None = None
    directly_next: bool = False


class FunnelRequest(BaseModel):
    """How far people, or visits, came; by the values of a dimension as well, where one is given: each by its value at the first step."""

    model_config = ConfigDict(extra="forbid")
    period: Period
    versus: Versus = "before"
    segment: Segment | None = None
    funnel: Funnel
    dimension: Name | None = None
    limit: Annotated[int, Field(ge=1, le=1000)] = 20

    @model_validator(mode="before")
    @classmethod
    def _patterns_fit(cls, given: object) -> object:
        return check_weights(given)


class FunnelFigures(BaseModel):
    """A figure for each step. Shares of the step before have a 95 % Wilson interval; times are seconds from the step before, of those who reached it.

    `lost`: those of the step before who did not reach it. Shares, what was lost and times are null at the first step, and where there is nobody.
    """

    reached: list[int]
    before: list[int] | None = None
    of_first: list[float | None]
    of_previous: list[float | None]
    low: list[float | None]
    high: list[float | None]
    lost: list[int | None]
    quartile: list[float | None]
    median: list[float | None]
    upper_quartile: list[float | None]


class FunnelResult(BaseModel):
    """The whole, and rows by value, those with the most at the first step first. `count`: how many rows there are in all."""

    period: Period
    versus: Period | None
    whole: FunnelFigures
    values: list[str] = []
    rows: list[FunnelFigures] = []
    count: int = 0
