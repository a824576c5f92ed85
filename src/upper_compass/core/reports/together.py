"""What a view asks at once: its tables, courses, the answer at its head and what was to be expected, of one moment."""

from __future__ import annotations

import time
from collections.abc import Mapping
from dataclasses import dataclass
from datetime import date
from typing import Annotated, Literal

from pydantic import BaseModel, ConfigDict, Field

from upper_compass.core.definitions.goals import Goal
from upper_compass.core.definitions.requests import SeriesRequest, SeriesResult, TableRequest, TableResult
from upper_compass.core.engine.context import ReportContext
from upper_compass.core.reports.expected import ExpectedRequest, ExpectedResult, expected
from upper_compass.core.reports.summary import Answer, AnswerRequest, answer
from upper_compass.core.reports.tables import series, table

# So much a view may want at once.
MAX_TOGETHER = 16


class AskedTable(BaseModel):
    """A table among others."""

    model_config = ConfigDict(extra="forbid")
    report: Literal["table"]
    request: TableRequest


class AskedSeries(BaseModel):
    """A course among others."""

    model_config = ConfigDict(extra="forbid")
    report: Literal["series"]
    request: SeriesRequest


class AskedAnswer(BaseModel):
    """An answer among others."""

    model_config = ConfigDict(extra="forbid")
    report: Literal["answer"]
    request: AnswerRequest


class AskedExpected(BaseModel):
    """A band among others."""

    model_config = ConfigDict(extra="forbid")
    report: Literal["expected"]
    request: ExpectedRequest


AskedReport = Annotated[AskedTable | AskedSeries | AskedAnswer | AskedExpected, Field(discriminator="report")]


class TogetherRequest(BaseModel):
    """What is wanted at once, those first that shall not wait for the others."""

    model_config = ConfigDict(extra="forbid")
    asked: Annotated[list[AskedReport], Field(min_length=1, max_length=MAX_TOGETHER)]

    @property
    def goals(self) -> set[int]:
        """The ids of all goals that are asked for."""
        return set[int]().union(*(one.request.goals for one in self.asked))


class TogetherResult(BaseModel):
    """The answers to what was asked first, in its order, all of one moment; what there was no time for is to be asked by itself."""

    answers: list[TableResult | SeriesResult | Answer | ExpectedResult]


@dataclass(frozen=True)
class Named:
    """Goals with their names, by id; and the day that is not over."""

    goals: Mapping[int, Goal]
    names: Mapping[int, str]
    today: date


def together(context: ReportContext, request: TogetherRequest, known: Named, seconds: float) -> TogetherResult:
    """What is asked for, one behind the other until so many seconds are over; the first one in any case."""
    until = time.monotonic() + seconds
    answers: list[TableResult | SeriesResult | Answer | ExpectedResult] = []
    for one in request.asked:
        answers.append(_answered(context, one, known))
        if time.monotonic() >= until:
            break
    return TogetherResult.model_construct(answers=answers)


def _answered(context: ReportContext, one: AskedReport, known: Named) -> TableResult | SeriesResult | Answer | ExpectedResult:
    match one:
        case AskedTable(request=asked):
            return table(context, asked, known.goals)
        case AskedSeries(request=asked):
            return series(context, asked, known.goals)
        case AskedAnswer(request=asked):
            return answer(context, asked, known.goals[asked.goal], known.names[asked.goal])
        case AskedExpected(request=asked):
            return expected(context, asked, known.goals, known.today)
