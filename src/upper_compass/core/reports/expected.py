"""Between what a figure is expected on each day: a band that knows weekdays, from the days before and around (rules, decisions)."""

from __future__ import annotations

from collections.abc import Mapping
from datetime import date, timedelta
from typing import Annotated

import numpy as np
from pydantic import BaseModel, ConfigDict, JsonValue

from upper_compass.core.dataset.coded_hits import Floats
from upper_compass.core.definitions.goals import Goal
from upper_compass.core.definitions.periods import Period
from upper_compass.core.definitions.requests import Column, GoalId, SeriesRequest
from upper_compass.core.definitions.segments import Name, Segment
from upper_compass.core.definitions.text_tests import storable
from upper_compass.core.engine.context import ReportContext
from upper_compass.core.engine.kept import told_once
from upper_compass.core.engine.measures import MEASURES
from upper_compass.core.engine.statistics import expected_band
from upper_compass.core.reports.tables import series

# Half a year before the period is looked at; fewer than five weeks of days tell no weekday.
HISTORY_DAYS, MIN_DAYS = 182, 35

_ASKED: JsonValue = {"period": {"first": "2026-10-26", "last": "2026-11-22"}, "goal": 1, "measure": "conversions"}


class ExpectedRequest(BaseModel):
    """A measure over the days of a period. `measure`: as in a column."""

    model_config = ConfigDict(extra="forbid", json_schema_extra={"examples": [_ASKED]})
    period: Period
    goal: GoalId | None = None
    segment: Segment | None = None
    measure: Annotated[Name, storable(100, least=1)]

    @property
    def goals(self) -> set[int]:
        """The ids of all goals that are asked for."""
        return set() if self.goal is None else {self.goal}


class ExpectedResult(BaseModel):
    """The band by day of the period (`at`): 99 of 100 days are expected within; empty where there are fewer than 35 days to expect from (`days`)."""

    at: list[str]
    low: list[float]
    high: list[float]
    days: int


@told_once
def expected(context: ReportContext, request: ExpectedRequest, goals: Mapping[int, Goal], today: date) -> ExpectedResult:
    """The band of a measure. Days from `today` on are not over: nothing is learned from them. Raises UnknownNameError."""
    first = request.period.first - timedelta(days=HISTORY_DAYS)
    whole = Period.model_construct(first=first, last=request.period.last)
    columns = [Column(id="measure", measure=request.measure), Column(id="visits", measure="visits")]
    asked = SeriesRequest.model_construct(
        period=whole, versus="none", goal=request.goal, segment=request.segment, columns=columns, with_excluded=False, bucket="day", dimensions=[], rows=[]
    )
    found = series(context, asked, goals)
    values, visits = (np.array([np.nan if one is None else one for one in column.values], float) for column in found.columns)
    over = (today - first).days
    began = int(np.argmax(visits > 0)) if (visits > 0).any() else len(visits)
    known = values[began : max(over, began)]
    if len(known) < MIN_DAYS or request.period.first < first + timedelta(days=began):
        return ExpectedResult(at=[], low=[], high=[], days=len(known))
    low, high = expected_band(_filled(known), len(values) - began, is_count=MEASURES[request.measure].chance == "count")
    inside = slice(HISTORY_DAYS - began, None)
    return ExpectedResult(at=found.at[HISTORY_DAYS:], low=low[inside].tolist(), high=high[inside].tolist(), days=len(known))


def _filled(values: Floats) -> Floats:
    """Days on which a ratio is over nothing stand between the days around them."""
    missing = np.isnan(values)
    if missing.all():
        return np.zeros_like(values)
    places = np.arange(len(values))
    return np.where(missing, np.interp(places, places[~missing], values[~missing]), values)
