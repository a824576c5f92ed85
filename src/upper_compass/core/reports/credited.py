"""The conversions behind a credit of a table, newest first, each with its touches and their weights (rules, chapter 11)."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Annotated

from pydantic import BaseModel, ConfigDict, Field, model_validator

from upper_compass.core.definitions.goals import Goal
from upper_compass.core.definitions.periods import Period
from upper_compass.core.definitions.requests import Column, GoalId, ReportRequest
from upper_compass.core.definitions.segments import Name, Segment, Value
from upper_compass.core.definitions.text_tests import check_weights
from upper_compass.core.engine.context import ReportContext
from upper_compass.core.engine.credited import credited_conversions, credited_count
from upper_compass.core.engine.credits import Credits
from upper_compass.core.engine.dimensions import UnknownNameError
from upper_compass.core.engine.protocol import Counting
from upper_compass.core.reports.columns import plan

MAX_LISTED = 100


class CreditedRequest(BaseModel):
    """What is behind the credit of a row: of a column with a model, by these dimensions, the row of these values."""

    model_config = ConfigDict(extra="forbid")
    period: Period
    goal: GoalId | None = None
    segment: Segment | None = None
    column: Column
    dimensions: Annotated[list[Name], Field(min_length=1, max_length=4)]
    values: Annotated[list[Value], Field(max_length=4)]
    limit: Annotated[int, Field(ge=1, le=MAX_LISTED)] = 20

    @model_validator(mode="before")
    @classmethod
    def _patterns_fit(cls, given: object) -> object:
        return check_weights(given)

    @model_validator(mode="after")
    def _fits(self) -> CreditedRequest:
        if self.column.model is None:
            raise ValueError("a column without a model credits nothing")
        if self.values and len(self.values) != len(self.dimensions):
            raise ValueError("a row has a value of each dimension, or none of any: then it is all of them")
        return self

    @property
    def goals(self) -> set[int]:
        """The ids of all goals that are asked for."""
        return {goal for goal in (self.goal, self.column.goal) if goal is not None}


class Touch(BaseModel):
    """One touch of a conversion: when, in which visit of the visitor, its value, the share that it is credited, and whether it is the row's own."""

    at: int
    number: int
    value: str
    weight: float
    own: bool


class CreditedConversion(BaseModel):
    """A conversion: when and in which visit, what it is worth, and which share of it the row is credited. `touches`: how many; `told`: the first and last."""

    visitor: str
    number: int
    at: int
    worth: float
    credit: float
    touches: int
    told: list[Touch]


class CreditedResult(BaseModel):
    """The newest conversions, and how many there are in all."""

    count: int
    conversions: list[CreditedConversion]


def credited(context: ReportContext, request: CreditedRequest, goals: Mapping[int, Goal]) -> CreditedResult:
    """What a row's credit is made of. Raises UnknownNameError."""
    plain = ReportRequest(period=request.period, versus="none", goal=request.goal, segment=request.segment, columns=[request.column])
    asked = plan(context, plain, goals)
    place, crediting = next((place, one) for place, one in enumerate(asked.credited) if one is not None)
    dimensions = tuple(context.dimension(name, "dimensions") for name in request.dimensions)
    if len({dimension.name for dimension in dimensions}) < len(dimensions):
        raise UnknownNameError("dimensions", "a dimension is asked for twice")
    by = Credits(dimensions, columns=frozenset({"conversions"}), crediting=crediting)
    values = tuple(request.values)
    counted, listed = context.tally(
        asked.questions[place], Counting(credited_count, (by, values)), Counting(credited_conversions, (by, values, request.limit), additive=False)
    )
    newest = listed.frame.sort("at", "seq", descending=True).head(request.limit)
    names = [name for name in CreditedConversion.model_fields if name in newest.columns]
    rows = [CreditedConversion.model_validate(row) for row in newest.select(names).iter_rows(named=True)]
    return CreditedResult(count=int(counted.frame["count"].sum()), conversions=rows)
