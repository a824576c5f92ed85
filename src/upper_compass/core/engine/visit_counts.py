"""Counting visits by the values of a dimension over time, many dimensions at once."""

from __future__ import annotations

from collections.abc import Hashable
from dataclasses import dataclass
from typing import ClassVar

import numpy as np
import polars as pl

from upper_compass.core.dataset.coded_hits import Codes, Ints
from upper_compass.core.dataset.visits import NO_VISIT, Rows
from upper_compass.core.engine.dimensions import Dimension
from upper_compass.core.engine.group_by import counted, distinct_pairs
from upper_compass.core.engine.keys import Array, bucket_of
from upper_compass.core.engine.protocol import PRESENCE, Tally
from upper_compass.core.engine.selection import Selection
from upper_compass.core.engine.values import in_batches, numbered_together

_Parts = tuple[Ints, Ints, Ints, Ints]


@dataclass(frozen=True)
class VisitsByValue:
    """Visits that started in the period, by value and bucket: what a breakdown by each of the dimensions and these edges (ms) counts as `visits`.

    By a dimension of the visit a visit stands in the bucket in which it started; by one of the hit, in each in which it has a hit with the value.
    """

    dimensions: tuple[Dimension, ...]
    edges: tuple[int, ...]
    additive: ClassVar[bool] = True

    @property
    def key(self) -> Hashable:
        """See Breakdown."""
        return tuple(dimension.name for dimension in self.dimensions), self.edges

    def tally(self, selection: Selection) -> Tally:
        """A row per value and bucket that a visit has: `dimension` (i64, place), `key_0` (codes of labels), `bucket` (i64, place among the edges), `visits`
        (f64, sum)."""
        nothing = np.empty(0, np.int64)
        parts = [(nothing, nothing, nothing, nothing)]
        parts += [self._by_visit(selection, some) for some in in_batches(self.dimensions, "visit", len(selection.visits))]
        if any(dimension.of == "hit" for dimension in self.dimensions):
            rows, owners, buckets = selection.once(("hits of visits", self.edges), lambda: self._hits(selection))
            parts += [self._by_hit(selection, some, rows, owners, buckets) for some in in_batches(self.dimensions, "hit", len(rows))]
        which, labels, bucket, visits = (np.concatenate(column) for column in zip(*parts, strict=True))
        columns: list[tuple[str, Array]] = [
            ("dimension", which),
            ("key_0", labels.astype(np.uint32)),
            ("bucket", bucket),
            ("visits", visits.astype(np.float64)),
            (PRESENCE, visits),
        ]
        frame = pl.DataFrame([pl.Series(name, values) for name, values in columns])
        return Tally(frame, {"dimension": None, "key_0": selection.shard.lookups.labels, "bucket": None}, {"visits": "sum", PRESENCE: "sum"})

    def _by_visit(self, selection: Selection, some: list[int]) -> _Parts:
        codes = [self.dimensions[place].read(selection.shard, selection.visits) for place in some]
        which, labels, numbers = _numbered(codes, some, len(selection.shard.lookups.labels))
        started = self._started(selection)
        keys = np.concatenate([self._packed(one, started) for one in numbers])
        return self._unpacked(which, labels, keys)

    def _by_hit(self, selection: Selection, some: list[int], rows: Rows, owners: Rows, buckets: Array) -> _Parts:
        codes = [self.dimensions[place].read(selection.shard, rows) for place in some]
        there = [np.flatnonzero(one) for one in codes]
        which, labels, numbers = _numbered([one[kept] for one, kept in zip(codes, there, strict=True)], some, len(selection.shard.lookups.labels))
        keys = np.concatenate([self._packed(one, buckets[kept]) for one, kept in zip(numbers, there, strict=True)])
        span = int(owners.max(initial=0)) + 1
        visits = np.concatenate([owners[kept].astype(np.int64) + number * span for number, kept in enumerate(there)])
        return self._unpacked(which, labels, distinct_pairs(visits, keys, len(labels) * self._width)[1])

    @property
    def _width(self) -> int:
        return len(self.edges) - 1

    def _packed(self, numbers: Array, buckets: Array) -> Ints:
        packed = numbers.astype(np.int64)
        packed *= self._width
        packed += buckets
        return packed

    def _unpacked(self, which: Ints, labels: Ints, keys: Ints) -> _Parts:
        """Of the keys that occur: dimension, label, bucket, and how many visits have it."""
        present, visits = counted(keys, len(labels) * self._width)
        value = present // self._width
        return which[value], labels[value], present % self._width, visits

    def _started(self, selection: Selection) -> Array:
        """The bucket (u16) in which each of the visits started."""
        return selection.once(("started in", self.edges), lambda: bucket_of(selection.shard.visit("start")[selection.visits], self.edges).astype(np.uint16))

    def _hits(self, selection: Selection) -> tuple[Rows, Rows, Array]:
        """All hits of the visits: their rows (ascending), visits, and buckets (u16); what comes after the last edge stands in the last bucket."""
        shard, visits = selection.shard, selection.visits
        rows = shard.rows_of_visits(visits)
        lengths = shard.visit("last_row")[visits] - shard.visit("first_row")[visits] + 1
        started, ended = self._started(selection), bucket_of(shard.visit("until")[visits], self.edges)
        buckets = np.repeat(started, lengths)
        over = np.flatnonzero(np.repeat(started != ended, lengths))  # few lie across an edge
        buckets[over] = bucket_of(shard.hit("at")[rows[over]], self.edges)
        owners = shard.derived.visit_of[rows]
        stand = owners != NO_VISIT
        return (rows, owners, buckets) if stand.all() else (rows[stand], owners[stand], buckets[stand])


def _numbered(codes: list[Codes], some: list[int], bound: int) -> tuple[Ints, Ints, list[Array]]:
    """See `numbered_together`; codes of one dimension alone, of which there are many, are counted as they are."""
    return numbered_together(codes, some, bound) if len(some) > 1 else (np.full(bound, some[0]), np.arange(bound), [*codes])
