"""The commonest sequences of touches before a conversion, how many touches conversions have, and how long it took (rules, chapter 11)."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Annotated

import polars as pl
from pydantic import BaseModel, ConfigDict, Field, model_validator

from upper_compass.core.definitions.goals import Goal
from upper_compass.core.definitions.periods import Period
from upper_compass.core.definitions.requests import Column, GoalId, ReportRequest
from upper_compass.core.definitions.segments import Name, Segment
from upper_compass.core.definitions.text_tests import check_weights
from upper_compass.core.engine.context import ReportContext
from upper_compass.core.engine.credits import Credits
from upper_compass.core.engine.protocol import Counting, quantile
from upper_compass.core.engine.touch_sequences import MAX_LENGTH, SEPARATOR
from upper_compass.core.engine.touch_sequences import touch_sequences as tallied
from upper_compass.core.reports.columns import plan


class SequencesRequest(BaseModel):
    """Of which conversions, and over which reach: those of a column with a model; by the values of a dimension."""

    model_config = ConfigDict(extra="forbid")
    period: Period
    goal: GoalId | None = None
    segment: Segment | None = None
    column: Column
    dimension: Name
    limit: Annotated[int, Field(ge=1, le=100)] = 10

    @model_validator(mode="before")
    @classmethod
    def _patterns_fit(cls, given: object) -> object:
        return check_weights(given)

    @model_validator(mode="after")
    def _fits(self) -> SequencesRequest:
        if self.column.model is None:
            raise ValueError("a column without a model has no touches")
        return self

    @property
    def goals(self) -> set[int]:
        """The ids of all goals that are asked for."""
        return {goal for goal in (self.goal, self.column.goal) if goal is not None}


class TouchSequence(BaseModel):
    """A sequence: its values in order of time, the last ones of a longer one (`has_more`); conversions and their value; median seconds from the first touch."""

    values: list[str]
    has_more: bool
    conversions: int
    value: float
    median: float | None


class TouchCount(BaseModel):
    """How many conversions have so many touches; the last one: so many or more."""

    touches: int
    conversions: int
    value: float
    median: float | None


class SequencesResult(BaseModel):
    """The commonest sequences, how many differ in all, and conversions by how many touches they have."""

    conversions: int
    count: int
    sequences: list[TouchSequence]
    lengths: list[TouchCount]


def touch_sequences(context: ReportContext, request: SequencesRequest, goals: Mapping[int, Goal]) -> SequencesResult:
    """How conversions were come to. Raises UnknownNameError."""
    plain = ReportRequest(period=request.period, versus="none", goal=request.goal, segment=request.segment, columns=[request.column])
    asked = plan(context, plain, goals)
    place, crediting = next((place, one) for place, one in enumerate(asked.credited) if one is not None)
    by = Credits((context.dimension(request.dimension, "dimension"),), columns=frozenset({"conversions"}), crediting=crediting)
    [tally] = context.tally(asked.questions[place], Counting(tallied, (by,)))
    found = tally.frame.sort("count", "length", "sequence", descending=[True, False, False])
    shown = found.filter(pl.col("length") > 0).head(request.limit)
    lengths = found.group_by("length").agg(pl.col("count").sum(), pl.col("value").sum(), pl.col("seconds").explode()).sort("length")
    return SequencesResult(
        conversions=int(found["count"].sum()), count=len(found.filter(pl.col("length") > 0)),
        sequences=[
            TouchSequence(values=sequence.split(SEPARATOR), has_more=length > MAX_LENGTH, conversions=count, value=value, median=median)
            for sequence, length, count, value, median in zip(
                shown["sequence"], shown["length"], shown["count"], shown["value"], quantile(shown["seconds"], 0.5), strict=True
            )
        ],
        lengths=[
            TouchCount(touches=length, conversions=count, value=value, median=median)
            for length, count, value, median in zip(
                lengths["length"], lengths["count"], lengths["value"], quantile(lengths["seconds"], 0.5), strict=True
            )
        ],
    )  # fmt: skip
