"""Funnels: what is asked, and what is told (rules, chapter 9)."""

from __future__ import annotations

from typing import Annotated, Literal, Self

from pydantic import BaseModel, ConfigDict, Field, field_validator, model_validator

from upper_compass.core.definitions.hit_match import HitMatch
from upper_compass.core.definitions.periods import Bucket, Period, Versus, check_buckets
from upper_compass.core.definitions.segments import MAX_STEPS, Name, Segment
from upper_compass.core.definitions.text_tests import check_weights, storable

MAX_BESIDE = 4
MAX_SAVED = 200


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
    """How far people, or visits, came; by the values of a dimension as well, where one is given: each by its value at the first step.

    `beside`: for each of these segments as well, within the one that narrows all.
    """

    model_config = ConfigDict(extra="forbid")
    period: Period
    versus: Versus = "before"
    segment: Segment | None = None
    funnel: Funnel
    dimension: Name | None = None
    beside: Annotated[list[Segment], Field(max_length=MAX_BESIDE)] = []
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


class NextPage(BaseModel):
    """A page that some went on to."""

    page: str
    units: int


class LostTo(BaseModel):
    """Where those went who reached a step and not the next: how many left the site, the pages that most saw next, and how many saw others."""

    left: int
    pages: list[NextPage]
    elsewhere: int


class FunnelResult(BaseModel):
    """The whole, and rows by value, those with the most at the first step first. `count`: how many rows there are in all.

    `matched`: how many have a hit that matches each step, whatever came before; `lost_to`: of each step but the last; `beside`: of each segment.
    """

    period: Period
    versus: Period | None
    whole: FunnelFigures
    matched: list[int]
    lost_to: list[LostTo]
    beside: list[FunnelFigures] = []
    values: list[str] = []
    rows: list[FunnelFigures] = []
    count: int = 0


class FunnelSeriesRequest(BaseModel):
    """The course of a funnel: how many reached each step, by the time of their first one."""

    model_config = ConfigDict(extra="forbid")
    period: Period
    versus: Versus = "before"
    segment: Segment | None = None
    funnel: Funnel
    bucket: Bucket = "day"

    @model_validator(mode="before")
    @classmethod
    def _patterns_fit(cls, given: object) -> object:
        return check_weights(given)

    @model_validator(mode="after")
    def _not_too_fine(self) -> Self:
        check_buckets(self.period, self.bucket)
        return self


class FunnelSeriesResult(BaseModel):
    """For each step, of those who began in each bucket (`at`: its local start): how many reached it, and the median of the seconds that it took them.

    `before`, `median_before`: at the same places of the versus period.
    """

    period: Period
    versus: Period | None
    bucket: Bucket
    at: list[str]
    reached: list[list[int]]
    median: list[list[float | None]]
    before: list[list[int]] | None = None
    median_before: list[list[float | None]] | None = None


class FunnelSuggestionRequest(BaseModel):
    """Which steps lead to a hit: those that most visits with it have taken before, and far fewer of the others."""

    model_config = ConfigDict(extra="forbid")
    period: Period
    segment: Segment | None = None
    last: HitMatch

    @model_validator(mode="before")
    @classmethod
    def _patterns_fit(cls, given: object) -> object:
        return check_weights(given)


class FunnelSuggestion(BaseModel):
    """Steps of a funnel, the given one last; none where too few visits have it, or nothing leads to it. `visits`: how many have it."""

    steps: list[HitMatch]
    visits: int


class SavedFunnel(BaseModel):
    """A funnel under a name, with the dimension that it is split by, where it is."""

    model_config = ConfigDict(extra="forbid")
    name: Annotated[str, storable(100, least=1)]
    funnel: Funnel
    dimension: Name | None = None

    @model_validator(mode="before")
    @classmethod
    def _patterns_fit(cls, given: object) -> object:
        return check_weights(given)

    @field_validator("name")
    @classmethod
    def _said(cls, name: str) -> str:
        if not name.strip():
            raise ValueError("give it a name")
        return name.strip()
