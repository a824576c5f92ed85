"""What is asked of a shard, and the part of its hits, visits and conversions that it is about."""

from __future__ import annotations

from collections.abc import Callable, Hashable
from copy import copy
from dataclasses import dataclass, field, replace
from functools import cached_property
from typing import Any, Literal, TypeVar

import numpy as np
import numpy.typing as npt

from upper_compass.core.dataset.coded_hits import Bools, Codes, Ints
from upper_compass.core.dataset.conversions import Conversions
from upper_compass.core.dataset.shard import Shard, ascending_once, ranges
from upper_compass.core.dataset.visits import NO_VISIT, Rows
from upper_compass.core.definitions.goals import Counted, Goal
from upper_compass.core.definitions.segments import Segment
from upper_compass.core.engine.segments import segment_mask

T = TypeVar("T")
Unit = Literal["visits", "people"]


@dataclass(frozen=True)
class Outside:
    """What is left out: the visits that are in all of these segments, or all visits of the people who have such a visit in the period."""

    segments: tuple[Segment, ...]
    of: Unit


@dataclass(frozen=True)
class ReportFilter:
    """What is asked about: hits and conversions with start ≤ at < stop (ms), and visits that started then, in all of the segments and not `outside`.

    `goal`: what the conversions that are counted are of; `steered_by`: whose value a visit has for the segments.
    """

    start: int
    stop: int
    goal: Counted | None = None
    segments: tuple[Segment, ...] = ()
    steered_by: Goal | None = None
    with_excluded: bool = False
    # A goal that is still being written is not kept.
    keep: bool = True
    outside: Outside | None = None

    @cached_property
    def key(self) -> tuple[object, ...]:
        """The same for filters that ask the same."""
        outside = self.outside.segments if self.outside else ()
        models = (self.goal, *self.segments, self.steered_by if self.is_narrowed else None, None, *outside)
        of = self.outside.of if self.outside else None
        return self.start, self.stop, self.with_excluded, of, *(model and model.model_dump_json() for model in models)

    @property
    def is_narrowed(self) -> bool:
        """Whether it is about less than all visits."""
        return bool(self.segments) or self.outside is not None

    @property
    def plain(self) -> ReportFilter:
        """The same about all visits, whatever the goal."""
        return replace(self, goal=None, segments=(), steered_by=None, outside=None)


@dataclass
class Selection:
    """What of a shard the question is about; shared by all its breakdowns. `within`: the same question without segments, of which this is a part."""

    shard: Shard
    ask: ReportFilter
    within: Selection | None = None
    conversions: Conversions = field(init=False)
    visit_mask: Bools = field(init=False)
    _made: dict[Hashable, Any] = field(init=False, default_factory=dict, repr=False)

    def __post_init__(self) -> None:
        ask, shard = self.ask, self.shard
        self.conversions = shard.conversions(ask.goal, keep=ask.keep)
        if self.within is not None:
            self.visit_mask = self.within.visit_mask
        else:
            self.visit_mask = shard.valid if ask.with_excluded else shard.valid & ~shard.visit("excluded")
        for segment in ask.segments:
            self.visit_mask = self.visit_mask & segment_mask(shard, segment, ask.start, ask.stop, ask.steered_by, with_excluded=ask.with_excluded)
        if ask.outside is not None:
            inside, of = replace(ask, goal=None, segments=ask.outside.segments, outside=None), ask.outside.of
            self.visit_mask = self.visit_mask & ~shard.kept(("outside", of, inside.key), lambda: _mask_of(Selection(shard, inside), of))

    def once(self, key: Hashable, make: Callable[[], T]) -> T:
        """What breakdowns share, whatever the goal: made by the first of them."""
        if key not in self._made:
            self._made[key] = make()
        made: T = self._made[key]
        return made

    def of_goal(self, ask: ReportFilter) -> Selection:
        """The same part of the shard, asked for another goal."""
        other = copy(self)
        other.ask, other.conversions = ask, self.shard.conversions(ask.goal, keep=ask.keep)
        for name in ("counted_conversions", "converted_visits"):
            other.__dict__.pop(name, None)
        return other

    @cached_property
    def started_in_period(self) -> Bools:
        """Whether each visit (all of the shard, by index) started in the period and stands."""
        if self.within is not None:
            return self.within.started_in_period & self.visit_mask
        start = self.shard.visit("start")
        return (start >= self.ask.start) & (start < self.ask.stop) & self.visit_mask

    @cached_property
    def visits(self) -> Rows:
        """Visits (i32, ascending) that started in the period."""
        if self.within is not None:
            return self.within.visits[self.visit_mask[self.within.visits]]
        return np.flatnonzero(self.started_in_period).astype(np.int32)

    @cached_property
    def boundary_visits(self) -> Rows:
        """Visits (i32, ascending) with hits on both sides of an edge of the period; few, looked at hit by hit."""
        if self.within is not None:
            return self.within.boundary_visits[self.visit_mask[self.within.boundary_visits]]
        start, until = self.shard.visit("start"), self.shard.visit("until")
        over = ((start < self.ask.start) & (until >= self.ask.start)) | ((start < self.ask.stop) & (until >= self.ask.stop))
        return np.flatnonzero(over & self.visit_mask).astype(np.int32)

    @cached_property
    def contained_visits(self) -> Rows:
        """Visits (i32, ascending) of which all hits lie in the period."""
        inside = self.started_in_period.copy()
        inside[self.boundary_visits] = False
        return np.flatnonzero(inside).astype(np.int32)

    @cached_property
    def boundary_rows(self) -> Rows:
        """Rows (i32, ascending) in the period of visits that lie across its edges."""
        rows = self.shard.rows_of_visits(self.boundary_visits)
        at = self.shard.hit("at")[rows]
        return rows[(at >= self.ask.start) & (at < self.ask.stop)]

    def owners_of(self, rows: Rows) -> Rows:
        """The visit of each row (i32); those of all `rows` are looked up once."""
        if rows is self.__dict__.get("rows"):  # not worked out only to be told apart
            return self._owners
        owners: Rows = self.shard.derived.visit_of[rows]
        return owners

    @cached_property
    def _owners(self) -> Rows:
        owners: Rows = self.shard.derived.visit_of[self.rows]
        return owners

    @cached_property
    def whole_places(self) -> Ints:
        """Places among `visits` of those of which all hits lie in the period."""
        kept = np.ones(len(self.visits), bool)
        if len(self.visits):
            at = np.minimum(np.searchsorted(self.visits, self.boundary_visits), len(self.visits) - 1)
            kept[at[self.visits[at] == self.boundary_visits]] = False
        return np.flatnonzero(kept)

    @cached_property
    def people(self) -> tuple[Codes, Ints | None]:
        """The visitor of each whole visit and of each of `boundary_rows`, ascending, and the order that makes them so (None: as they stand)."""
        whole = self.shard.visit("visitor")[self.visits[self.whole_places]]
        if not len(self.boundary_rows):
            return whole, None
        visitors = np.concatenate([whole, self.shard.hit("visitor")[self.boundary_rows]])
        order = np.argsort(visitors, kind="stable")
        return visitors[order], order

    @property
    def visits_of_people(self) -> Bools:
        """Which visits (all of the shard, by index) are of visitors with a hit in the period, of a visit that is asked about."""
        of, mask = self.shard.visit("visitor"), np.zeros(len(self.visit_mask), bool)
        visits = np.concatenate([self.contained_visits, self.shard.derived.visit_of[self.boundary_rows]])
        if len(visits):  # all visits of a visitor stand behind each other
            visits.sort()
            mask[ranges(of, ascending_once(of[visits]))] = True
        return mask

    @cached_property
    def rows(self) -> Rows:
        """Rows (i32, ascending) of the hits in the period."""
        if not len(self.visit_mask):
            return np.empty(0, np.int32)
        rows = self.shard.rows_between(self.ask.start, self.ask.stop)
        visit = self.shard.derived.visit_of[rows]
        return rows[(visit != NO_VISIT) & self.visit_mask[visit]]

    @cached_property
    def counted_conversions(self) -> Ints:
        """Which of the conversions (i64, ascending places) happened in the period (rules, chapter 5)."""
        at = self.conversions.at
        inside = (at >= self.ask.start) & (at < self.ask.stop)
        return np.flatnonzero(inside & self.visit_mask[self.conversions.visit]) if len(at) else np.empty(0, np.int64)

    @cached_property
    def converted_visits(self) -> Bools:
        """Whether each visit (all of the shard, by index) holds a conversion, whenever."""
        converted = np.zeros(len(self.visit_mask), bool)
        converted[self.conversions.visit] = True
        return converted

    def kind(self, rows: Rows) -> npt.NDArray[np.uint8]:
        """Kind of each hit (a `Kind`, in the order of the rows), repeated orders told apart."""
        return self.shard.derived.kind[rows]


def _mask_of(selection: Selection, units: Unit) -> Bools:
    """Which visits (all of the shard, by index) are asked about, or are of people who are."""
    return selection.visit_mask if units == "visits" else selection.visits_of_people
