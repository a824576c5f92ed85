"""Counting the units of two groups by the values that they have, many dimensions at once (rules, chapter 8)."""

from __future__ import annotations

from collections.abc import Hashable
from dataclasses import dataclass, replace
from typing import ClassVar

import numpy as np
import numpy.typing as npt
import polars as pl

from upper_compass.core.dataset.coded_hits import Bools, Ints
from upper_compass.core.dataset.visits import Rows
from upper_compass.core.engine.dimensions import Dimension
from upper_compass.core.engine.group_by import distinct_pairs, sums
from upper_compass.core.engine.keys import Array
from upper_compass.core.engine.protocol import PRESENCE, Tally
from upper_compass.core.engine.selection import ReportFilter, Selection, Unit
from upper_compass.core.engine.values import in_batches, numbered_together

A, B = "a", "b"


@dataclass(frozen=True)
class _Members:
    """Where values are read (visits, or rows of hits; i32, ascending); then, in the `order`, the unit that has each and whether that is in B (else in A).

    In that order the first so many, the `alone`, are each all that their unit has, so that no value of theirs can be there twice; then units ascend.
    """

    items: Rows
    order: Ints
    units: Array
    in_b: Bools
    alone: int

    @staticmethod
    def of(items: Rows, visits: Rows, units: Array, member: npt.NDArray[np.uint8]) -> _Members:
        """Of these items, which belong to these visits, those of the two groups; `units` ascend."""
        among = member[visits]
        kept = np.flatnonzero(among)
        another = np.diff(units[kept]) != 0
        alone = np.append(True, another) & np.append(another, True) if len(kept) else np.empty(0, bool)
        order = np.concatenate([np.flatnonzero(alone), np.flatnonzero(~alone)])
        of = kept[order]
        return _Members(items[kept], order, units[of], among[of] == 2, int(alone.sum()))


@dataclass(frozen=True)
class MembersByValue:
    """How many units of each of two groups, which share none, have each value of some dimensions. It is asked of what both are parts of."""

    dimensions: tuple[Dimension, ...]
    a: ReportFilter
    b: ReportFilter
    unit: Unit
    additive: ClassVar[bool] = True

    @property
    def key(self) -> Hashable:
        """See Breakdown."""
        return tuple(dimension.name for dimension in self.dimensions), self.a.key, self.b.key, self.unit

    def tally(self, selection: Selection) -> Tally:
        """A row per value that a unit of either has: `dimension` (i64, place), `key_0` (codes of labels), `a`, `b` (f64, sums)."""
        parts = [(np.empty(0, np.int64), np.empty(0, np.int64), np.empty(0))]
        for of in sorted({dimension.of for dimension in self.dimensions}):
            members = self._members(selection, by_hit=of == "hit")
            if len(members.items):
                parts += [self._counted(selection, members, some) for some in in_batches(self.dimensions, of, len(members.items))]
        which, labels, counts = (np.concatenate(column) for column in zip(*parts, strict=True))
        a, b = counts[0::2].copy(), counts[1::2].copy()
        columns = {"dimension": which, "key_0": labels.astype(np.uint32), A: a, B: b, PRESENCE: (a + b).astype(np.int64)}
        frame = pl.DataFrame([pl.Series(name, values) for name, values in columns.items()])
        return Tally(frame, {"dimension": None, "key_0": selection.shard.lookups.labels}, dict.fromkeys((A, B, PRESENCE), "sum"))

    def _counted(self, selection: Selection, members: _Members, some: list[int]) -> tuple[Ints, Ints, Array]:
        """The values of some dimensions, and one behind the other for each value the units of A and of B."""
        codes = [self.dimensions[place].read(selection.shard, members.items)[members.order] for place in some]
        # A hit without a value has none; of visits the empty one is a value.
        by_hit = self.dimensions[some[0]].of == "hit"
        there = [np.flatnonzero(one) if by_hit else np.arange(len(one)) for one in codes]
        if by_hit:
            codes = [one[kept] for one, kept in zip(codes, there, strict=True)]
        which, labels, numbers = numbered_together(codes, some, len(selection.shard.lookups.labels))
        alone, others, units = [], [], []
        span = int(members.units.max()) + 1
        for number, (values, kept) in enumerate(zip(numbers, there, strict=True)):
            pairs = 2 * values + members.in_b[kept]
            split = int(np.searchsorted(kept, members.alone))
            alone.append(pairs[:split])
            others.append(pairs[split:])
            units.append(members.units[kept[split:]].astype(np.int64) + number * span)
        count = 2 * len(labels)
        several = distinct_pairs(np.concatenate(units), np.concatenate(others), count)[1]
        return which, labels, sums(np.concatenate(alone), count) + sums(several, count)

    def _members(self, selection: Selection, *, by_hit: bool) -> _Members:
        """Where values are read: worked out once for all dimensions of the hit, and once for all of the visit."""
        groups = (self.a.key, self.b.key)
        member = selection.once(groups, lambda: self._groups_of_visits(selection))
        items = _items_of_people if self.unit == "people" else _items_of_visits
        return selection.once((*groups, self.unit, by_hit), lambda: _Members.of(*items(selection, by_hit=by_hit), member))

    def _groups_of_visits(self, selection: Selection) -> npt.NDArray[np.uint8]:
        """For each visit (all of the shard, by index): 1 in A, 2 in B, 0 in neither."""
        in_a, in_b = (Selection(selection.shard, replace(ask, goal=None)).visit_mask for ask in (self.a, self.b))
        groups: npt.NDArray[np.uint8] = in_a + 2 * in_b.view(np.uint8)
        return groups


def _items_of_people(selection: Selection, *, by_hit: bool) -> tuple[Rows, Rows, Array]:
    """What is read of people: the hits in the period, or the visits with such hits. The visit of each, and its visitor (ascending)."""
    shard = selection.shard
    if by_hit:
        visits = selection.owners_of(selection.rows)
        return selection.rows, visits, shard.visit("visitor")[visits]
    there = np.zeros(len(selection.visit_mask), bool)
    there[selection.contained_visits] = True
    there[shard.derived.visit_of[selection.boundary_rows]] = True
    visits = np.flatnonzero(there).astype(np.int32)
    return visits, visits, shard.visit("visitor")[visits]


def _items_of_visits(selection: Selection, *, by_hit: bool) -> tuple[Rows, Rows, Array]:
    """What is read of visits: those that started in the period, or all of their hits."""
    visits = selection.visits
    if not by_hit:
        return visits, visits, visits
    rows = selection.shard.rows_of_visits(visits)
    owners = selection.shard.derived.visit_of[rows]
    return rows, owners, owners
