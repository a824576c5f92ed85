"""How many a segment holds, what each of its conditions leaves, and which of them matters (rules, chapter 7)."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import replace
from functools import reduce
from itertools import accumulate

import numpy as np
import polars as pl
from pydantic import BaseModel, ConfigDict

from upper_compass.core.dataset.coded_hits import Bools
from upper_compass.core.definitions.goals import Goal
from upper_compass.core.definitions.periods import Bucket, Period, edges
from upper_compass.core.definitions.requests import GoalId
from upper_compass.core.definitions.segments import Group, Segment
from upper_compass.core.engine.context import ReportContext, question
from upper_compass.core.engine.protocol import Counting, Tally, tallied
from upper_compass.core.engine.segments import segment_mask
from upper_compass.core.engine.selection import ReportFilter, Selection
from upper_compass.core.engine.tally import GroupBy

# Beyond so many days the course is told by week.
MAX_DAYS_TOLD = 100
COLUMN = {"people": "visitors", "visits": "visits"}
_SIZES = {"place": pl.Int64, "left": pl.Int64, "alone": pl.Int64, "without": pl.Int64}


class SegmentSizeRequest(BaseModel):
    """A segment, as it may still be written, over a period. `goal`: whose value a visit has."""

    model_config = ConfigDict(extra="forbid")
    period: Period
    goal: GoalId | None = None
    segment: Segment

    @property
    def goals(self) -> set[int]:
        """The ids of all goals that are asked for."""
        return set() if self.goal is None else {self.goal}


class Held(BaseModel):
    """How many visits and people."""

    visits: int
    people: int


class ConditionSize(BaseModel):
    """What a condition of the outermost group leaves, in the segment's units: `left` with those before it, `alone` by itself, `without` all but it."""

    left: int
    alone: int
    without: int


class SegmentSizeResult(BaseModel):
    """What a segment holds, of all. `conditions`: one for each of the outermost group, in their order; `course`: its units by `bucket`, whose local
    starts are `at`. Each bucket of people counts those with a hit in it."""

    held: Held
    all: Held
    conditions: list[ConditionSize]
    bucket: Bucket
    at: list[str]
    course: list[int]


def segment_size(context: ReportContext, request: SegmentSizeRequest, goals: Mapping[int, Goal]) -> SegmentSizeResult:
    """How many a segment holds. Raises UnknownNameError."""
    steered_by = goals[request.goal] if request.goal is not None else None
    segment = request.segment
    column = COLUMN[segment.of]

    def asked(*segments: Segment) -> ReportFilter:
        return replace(question(context, request.period, segments), steered_by=steered_by)

    bucket: Bucket = "day" if request.period.days <= MAX_DAYS_TOLD else "week"
    cuts, names = edges(request.period, bucket, context.zone)
    counted = GroupBy(columns=frozenset({"visits", "visitors"}))
    by_bucket = GroupBy(edges=tuple(cuts), columns=frozenset({column}))
    group = segment.where
    alone = tuple(Segment.model_construct(of=segment.of, where=Group.model_construct(of="all", conditions=[one])) for one in group.conditions)
    asked_all, asked_held = asked(), asked(segment)
    by_condition = Counting(_conditions, (segment.of, group.of, alone))
    every, held, course, sizes = context.tallies([(asked_all, counted), (asked_held, counted), (asked_held, by_bucket), (asked_all, by_condition)])
    return SegmentSizeResult(
        held=_held(held.frame), all=_held(every.frame), bucket=bucket, at=names, course=_course(course.frame, column, len(names)),
        conditions=[ConditionSize.model_validate(row) for row in sizes.frame.sort("place").select("left", "alone", "without").to_dicts()],
    )  # fmt: skip


def _conditions(selection: Selection, of: str, group: str, alone: tuple[Segment, ...]) -> Tally:
    """A row for each condition of a group (`place`, in their order) with the units that fit (i64): with those before it, by itself, without it."""
    shard, ask = selection.shard, selection.ask
    # Any visit of a person stands for all of them.
    people = np.unique(selection.people[0]) if of == "people" else None
    visits = selection.visits if people is None else np.searchsorted(shard.visit("visitor"), people).astype(np.int32)
    joint: Callable[[Bools, Bools], Bools] = np.logical_or if group == "any" else np.logical_and
    fitting = [segment_mask(shard, one, ask.start, ask.stop, ask.steered_by, with_excluded=ask.with_excluded)[visits] != (group == "none") for one in alone]
    before, after = list(accumulate(fitting, joint)), list(accumulate(fitting[::-1], joint))[::-1]
    rows = []
    for place, one in enumerate(fitting):
        others = [*before[max(place - 1, 0) : place], *after[place + 1 : place + 2]]
        without = len(visits) if not others else np.count_nonzero(reduce(joint, others))
        rows.append((place, np.count_nonzero(before[place]), np.count_nonzero(one), without))
    return tallied(pl.DataFrame(rows, _SIZES, orient="row"), {"place": None}, sums=("left", "alone", "without"))


def _held(frame: pl.DataFrame) -> Held:
    return Held(visits=int(frame["visits"][0]), people=int(frame["visitors"][0]))


def _course(frame: pl.DataFrame, column: str, count: int) -> list[int]:
    course = np.zeros(count, np.int64)
    course[frame["bucket"].to_numpy()] = frame[column].to_numpy()
    return course.tolist()
