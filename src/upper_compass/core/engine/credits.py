"""Conversions credited to the values of a dimension by a model (rules, chapter 11)."""

from __future__ import annotations

from collections.abc import Callable, Hashable
from dataclasses import dataclass, replace
from functools import cached_property
from typing import ClassVar, TypeVar

import numpy as np
import polars as pl

from upper_compass.core.dataset.coded_hits import Bools, Floats, Ints
from upper_compass.core.dataset.shard import Shard, ascending_once, ranges
from upper_compass.core.dataset.visits import NO_VISIT, Rows
from upper_compass.core.definitions.attribution import USUAL_REACH, CreditModel, PositionBased, Reach, TimeDecay
from upper_compass.core.engine.credit_kernels import DAY, Stretches, every_touch, linear, position_based, time_decay
from upper_compass.core.engine.dimensions import Dimension
from upper_compass.core.engine.group_by import KeySpace, sums
from upper_compass.core.engine.keys import Array, KeyedBy
from upper_compass.core.engine.protocol import PRESENCE, Tally
from upper_compass.core.engine.selection import Selection

T = TypeVar("T")
# Less than this is what is left of sums that cancel each other.
NO_CREDIT = 1e-9


@dataclass(frozen=True)
class Crediting:
    """By which model, from how far back, and whether direct visits count beside others."""

    model: CreditModel
    reach: Reach = USUAL_REACH
    counts_direct: bool = False


@dataclass(frozen=True)
class Credits(KeyedBy):
    """How it is broken down, by one dimension or more, and the columns that are wanted: `conversions`, `value`, `value_squared`.

    The first dimension says what touches are: visits, or runs of hits with the same value; the others, what they are opened into. What is credited to
    no touch stands by the empty values.
    """

    columns: frozenset[str] = frozenset()
    crediting: Crediting = Crediting("linear")
    additive: ClassVar[bool] = True

    @property
    def key(self) -> Hashable:
        """See Breakdown."""
        return self.columns, self.crediting, tuple(dimension.name for dimension in self.dimensions), self.edges, self.within

    def tally(self, selection: Selection) -> Tally:
        """A row per key: `key_0` … (codes of labels), `bucket` (i64, of the conversion, place among the edges), and the columns (f64, sums)."""
        parts = [self._of(selection, counted, bucket) for bucket, counted in self._by_bucket(selection)]
        names = [f"key_{i}" for i in range(len(self.dimensions))]
        keys = dict.fromkeys(names, selection.shard.lookups.labels) | ({"bucket": None} if self.edges else {})
        columns = [*sorted(self.columns), PRESENCE]
        schema = dict.fromkeys(names, pl.UInt32) | dict.fromkeys(keys.keys() - set(names), pl.Int64) | dict.fromkeys(columns, pl.Float64) | {PRESENCE: pl.Int64}
        return Tally(pl.concat(parts) if parts else pl.DataFrame(schema=schema), keys, dict.fromkeys(columns, "sum"))

    def _by_bucket(self, selection: Selection) -> list[tuple[int, Ints]]:
        """The conversions (places) of each bucket that has any; without edges, all."""
        counted = selection.counted_conversions
        if not self.edges:
            return [(0, counted)] if len(counted) else []
        bucket = self._bucket(selection, "at", selection.conversions.row[counted])
        return [(int(one), counted[bucket == one]) for one in np.unique(bucket)]

    def _of(self, selection: Selection, counted: Ints, bucket: int) -> pl.DataFrame:
        worth = selection.conversions.value[counted]
        made = {"conversions": np.ones(len(counted)), "value": worth, "value_squared": worth**2}
        wanted = {name: amounts for name, amounts in made.items() if name in self.columns} | {PRESENCE: np.ones(len(counted))}
        if self.crediting.model == "on the spot":
            labels, found = self._on_the_spot(selection, counted, wanted)
        else:
            labels, found = self._by_touches(selection, counted, wanted)
        presence = np.rint(found[PRESENCE]).astype(np.int64)
        there = np.flatnonzero(presence)
        columns = {f"key_{i}": label[there].astype(np.uint32) for i, label in enumerate(labels)}
        columns |= {"bucket": np.full(len(there), bucket, np.int64)} if self.edges else {}
        return pl.DataFrame(columns | {name: found[name][there] for name in sorted(self.columns)} | {PRESENCE: presence[there]})

    def _on_the_spot(self, selection: Selection, counted: Ints, wanted: dict[str, Floats]) -> tuple[list[Ints], dict[str, Floats]]:
        rows, keys = selection.conversions.row[counted], self.on_the_spot(selection, counted)
        _, keys, kept = self.only_within(selection, rows, keys)
        space = KeySpace(keys)
        return space.labels, {name: sums(space.groups[0], space.count, amounts[kept]) for name, amounts in wanted.items()}

    def on_the_spot(self, selection: Selection, counted: Ints) -> list[Array]:
        """The values of the hit of each conversion, or of its visit; where a dimension of the hit has none, none of any."""
        rows = selection.conversions.row[counted]
        keys = replace(self, edges=()).of_rows(selection, rows)
        of_hit = [dimension.of == "hit" for dimension in self.dimensions]
        present = np.logical_and.reduce([key != 0 for key, hit in zip(keys, of_hit, strict=True) if hit] or [np.ones(len(rows), bool)])
        return [np.where(present, key, 0) if hit else key for key, hit in zip(keys, of_hit, strict=True)]

    def _by_touches(self, selection: Selection, counted: Ints, wanted: dict[str, Floats]) -> tuple[list[Ints], dict[str, Floats]]:
        reached, space = self.reached(selection, counted), self.values(selection, counted)
        of_touches, of_nothing = space.groups
        found = {name: sums(of_nothing, space.count, np.array([amounts[~reached.touched].sum()])) for name, amounts in wanted.items()}
        for part in reached.parts:
            for name, credit in part.credited(self.crediting.model, wanted, of_touches, space.count).items():
                found[name] += credit
        labels = space.labels
        if self.within:
            _, labels, kept = self.only_within(selection, np.arange(space.count, dtype=np.int32), labels)
            found = {name: credit[kept] for name, credit in found.items()}
        return labels, found

    def _once(self, selection: Selection, counted: Ints, what: Hashable, make: Callable[[], T]) -> T:
        """What columns share that credit the same conversions; of those over time each bucket has its own."""
        if self.edges:
            return make()
        return selection.once(("credits", selection.ask.key, self.dimensions[0].name, self.crediting.counts_direct, len(counted), what), make)

    def touches(self, selection: Selection, counted: Ints) -> Touches:
        """The touches of the visitors of these conversions."""
        return self._once(selection, counted, "touches", lambda: Touches.of(self, selection, counted))

    def reached(self, selection: Selection, counted: Ints) -> Reached:
        """Which of the touches count for which of these conversions."""
        touches = self.touches(selection, counted)

        def found() -> Reached:
            return touches.reached(touches.stretches(selection, counted, self.crediting.reach))

        return self._once(selection, counted, ("reached", self.crediting.reach), found)

    def values(self, selection: Selection, counted: Ints) -> KeySpace:
        """The values of each touch, and those of none."""
        return self._once(selection, counted, ("values", tuple(one.name for one in self.dimensions)), lambda: self._values(selection, counted))

    def _values(self, selection: Selection, counted: Ints) -> KeySpace:
        touches = self.touches(selection, counted)
        keys = replace(self, edges=()).of_rows(selection, touches.rows) if len(touches.rows) else [np.empty(0, np.uint32)] * len(self.dimensions)
        return KeySpace(keys, [np.zeros(1, np.uint32)] * len(self.dimensions))


@dataclass(frozen=True)
class Touches:
    """What conversions can be credited to, in order of visitor and time: the hit whose values it has, its visit, its moment, and what it is of.

    `clock` goes on from visitor to visitor, by the start of the visit; `span` is what it goes on by. `is_direct`: passed over where there is another.
    """

    rows: Rows
    visits: Rows
    visitors: Ints
    times: Ints
    clock: Ints
    span: int
    since: int
    is_direct: Bools

    @staticmethod
    def of(by: Credits, selection: Selection, counted: Ints) -> Touches:
        """Those of the visitors of these conversions, from all history."""
        shard = selection.shard
        of_visits = shard.visit("visitor")
        visitors = ascending_once(of_visits[selection.conversions.visit[counted]])
        visits = ranges(of_visits, visitors)
        stands = shard.valid[visits] if selection.ask.with_excluded else shard.valid[visits] & ~shard.visit("excluded")[visits]
        return Touches.of_visits(by, selection, visits[stands])

    @staticmethod
    def of_visits(by: Credits, selection: Selection, visits: Rows) -> Touches:
        """Those of these visits (ascending)."""
        shard = selection.shard
        of_visits, starts = shard.visit("visitor"), shard.visit("start")
        visitors = ascending_once(of_visits[visits])
        dimension = by.dimensions[0]
        if dimension.of == "visit":
            rows, times = shard.visit("first_row")[visits], starts[visits]
            is_direct = np.zeros(len(visits), bool) if by.crediting.counts_direct else _is_direct(shard, visits)
        else:
            rows = _runs(dimension, shard, shard.rows_of_visits(visits))
            visits, times = shard.derived.visit_of[rows], shard.hit("at")[rows]
            is_direct = np.zeros(len(rows), bool)
        since = int(starts[visits].min()) if len(visits) else 0
        span = int(shard.hit("at").max()) - since + 1 if len(visits) else 1
        places = np.searchsorted(visitors, of_visits[visits]).astype(np.int64)
        return Touches(rows, visits, places, times, places * span + starts[visits] - since, span, since, is_direct)

    @staticmethod
    def at_hits(selection: Selection, rows: Rows) -> Touches:
        """The hits themselves, as touches."""
        visits = selection.shard.derived.visit_of[rows]
        times, nothing = selection.shard.hit("at")[rows], np.zeros(len(rows), np.int64)
        return Touches(rows, visits, nothing, times, nothing, 1, 0, np.zeros(len(rows), bool))

    def among_others(self, of: Stretches) -> tuple[Touches, Stretches]:
        """The touches that are not direct, then all of them; and the stretch of each conversion: among the first where it has any, else among all."""
        others = np.flatnonzero(~self.is_direct)
        told = np.concatenate([[0], np.cumsum(~self.is_direct)])
        first, stop = told[of.first], told[of.stop]
        has_others = stop > first
        both = np.concatenate([others, np.arange(len(self.rows))])
        beyond = len(others)
        return self.only(both), Stretches(np.where(has_others, first, of.first + beyond), np.where(has_others, stop, of.stop + beyond))

    def only(self, kept: Ints | Bools) -> Touches:
        """Some of them."""
        return replace(self, **{name: getattr(self, name)[kept] for name in ("rows", "visits", "visitors", "times", "clock", "is_direct")})

    def stretches(self, selection: Selection, counted: Ints, reach: Reach) -> Stretches:
        """The touches in reach of each conversion, none or more."""
        made = selection.conversions
        visit = made.visit[counted]
        stop = np.searchsorted(self.rows, made.row[counted], side="right")
        if reach == "own visit":
            first = np.searchsorted(self.visits, visit, side="left")
        else:
            visitor = selection.shard.visit("visitor")[visit]
            place = np.cumsum(np.append(False, visitor[1:] != visitor[:-1])).astype(np.int64)
            first = np.searchsorted(self.clock, place * self.span + np.maximum(made.at[counted] - reach * DAY - self.since, 0), side="left")
        return Stretches(np.minimum(first, stop), stop)

    def reached(self, stretches: Stretches) -> Reached:
        """The touches in reach as they count: direct ones are passed over where a conversion has another."""
        touched = stretches.lengths > 0
        of = stretches.only(touched)
        told = np.concatenate([[0], np.cumsum(~self.is_direct)])
        first, stop = told[of.first], told[of.stop]
        others = stop > first
        parts = [
            _Part(np.flatnonzero(~self.is_direct), Stretches(first, stop).only(others), np.flatnonzero(touched)[others], self),
            _Part(np.arange(len(self.rows)), of.only(~others), np.flatnonzero(touched)[~others], self),
        ]
        return Reached(touched, [part for part in parts if len(part.conversions)])


@dataclass(frozen=True)
class Reached:
    """Which of the conversions have a touch, and those in parts: with a touch that is not direct, and with direct ones alone."""

    touched: Bools
    parts: list[_Part]


@dataclass(frozen=True)
class _Part:
    """Conversions (places) with the touches that count for them: stretches of those `among` all touches."""

    among: Ints
    of: Stretches
    conversions: Ints
    touches: Touches

    @cached_property
    def visitors(self) -> Ints:
        visitors: Ints = self.touches.visitors[self.among]
        return visitors

    @cached_property
    def times(self) -> Ints:
        times: Ints = self.touches.times[self.among]
        return times

    def credited(self, model: CreditModel, wanted: dict[str, Floats], groups: Ints, count: int) -> dict[str, Floats]:
        """The credit of each of `count` groups of touches, under each name.

        Under PRESENCE not how much, but how many touches, or conversions, have credit: a row stands as long as there are any.
        """
        groups, found = groups[self.among], {}
        for name, amounts in wanted.items():
            if name == "conversions":  # as many as PRESENCE shares out
                continue
            worth = amounts[self.conversions]
            if model in ("first touch", "last touch", "every touch"):
                found[name] = self._at_once(model, worth, groups, count)
                continue
            credit = self._shared_out(model, worth)
            if name == PRESENCE and "conversions" in wanted:
                found["conversions"] = sums(groups, count, credit)
            found[name] = sums(groups, count, credit > NO_CREDIT if name == PRESENCE else credit)
        if "conversions" in wanted and "conversions" not in found:
            found["conversions"] = found[PRESENCE]
        return found

    def _at_once(self, model: CreditModel, worth: Floats, groups: Ints, count: int) -> Floats:
        if model == "every touch":
            return every_touch(self.of, worth, self.visitors, groups, count)
        return sums(groups[self.of.first if model == "first touch" else self.of.stop - 1], count, worth)

    def _shared_out(self, model: CreditModel, worth: Floats) -> Floats:
        """The credit of each touch."""
        if isinstance(model, PositionBased):
            return position_based(model, self.of, worth, len(self.among))
        if isinstance(model, TimeDecay):
            return time_decay(model, self.of, worth, len(self.among), self.visitors, self.times)
        return linear(self.of, worth, len(self.among))


def _is_direct(shard: Shard, visits: Rows) -> Bools:
    lookups = shard.lookups
    source = shard.visit("traffic_source")[visits]
    direct: Bools = (lookups["source"][source] == lookups.word("direct")) & (lookups["medium"][source] == lookups.word("none"))
    return direct


def _runs(dimension: Dimension, shard: Shard, rows: Rows) -> Rows:
    """The first hit of each run of hits of one visit that have the same value; those without one are passed over."""
    rows = rows[shard.derived.visit_of[rows] != NO_VISIT]
    codes: Array = dimension.read(shard, rows)
    there = np.flatnonzero(codes)
    rows, codes = rows[there], codes[there]
    visits = shard.derived.visit_of[rows]
    fresh = np.append(True, (visits[1:] != visits[:-1]) | (codes[1:] != codes[:-1])) if len(rows) else np.empty(0, bool)
    return rows[fresh]
