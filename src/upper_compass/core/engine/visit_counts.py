"""Counting visits by the values of a dimension over time, many dimensions one after the other: what is read of them is worked out once."""

from __future__ import annotations

from collections.abc import Hashable
from dataclasses import dataclass
from typing import ClassVar

import numpy as np
import polars as pl

from upper_compass.core.dataset.coded_hits import Ints
from upper_compass.core.dataset.visits import NO_VISIT, Rows
from upper_compass.core.engine.dimensions import Dimension
from upper_compass.core.engine.group_by import counted, distinct_pairs
from upper_compass.core.engine.keys import Array, bucket_of
from upper_compass.core.engine.protocol import PRESENCE, Tally
from upper_compass.core.engine.selection import Selection


@dataclass(frozen=True)
class VisitsByValue:
    """Visits that started in the period, by value and bucket: what a breakdown by the dimension and these edges (ms) counts as `visits`.

    By a dimension of the visit a visit stands in the bucket in which it started; by one of the hit, in each in which it has a hit with the value.
    """

    dimension: Dimension
    edges: tuple[int, ...]
    additive: ClassVar[bool] = True

    @property
    def key(self) -> Hashable:
        """See Breakdown."""
        return self.dimension.name, self.edges

    def tally(self, selection: Selection) -> Tally:
        """A row per value and bucket that a visit has: `key_0` (codes of labels), `bucket` (i64, place among the edges), `visits` (f64, sum)."""
        width = len(self.edges) - 1
        keys, visits = self._by_hit(selection, width) if self.dimension.of == "hit" else self._by_visit(selection, width)
        columns: list[tuple[str, Array]] = [
            ("key_0", (keys // width).astype(np.uint32)),
            ("bucket", keys % width),
            ("visits", visits.astype(np.float64)),
            (PRESENCE, visits),
        ]
        frame = pl.DataFrame([pl.Series(name, values) for name, values in columns])
        return Tally(frame, {"key_0": selection.shard.lookups.labels, "bucket": None}, {"visits": "sum", PRESENCE: "sum"})

    def _by_visit(self, selection: Selection, width: int) -> tuple[Ints, Ints]:
        visits = selection.visits
        return counted(_packed(self.dimension.read(selection.shard, visits), self._started(selection), width), self._bound(selection, width))

    def _by_hit(self, selection: Selection, width: int) -> tuple[Ints, Ints]:
        rows, owners, buckets = selection.once(("hits of visits", self.edges), lambda: self._hits(selection))
        codes = self.dimension.read(selection.shard, rows)
        there = np.flatnonzero(codes)
        if len(there) < len(codes):
            codes, owners, buckets = codes[there], owners[there], buckets[there]
        bound = self._bound(selection, width)
        return counted(distinct_pairs(owners, _packed(codes, buckets, width), bound)[1], bound)

    def _bound(self, selection: Selection, width: int) -> int:
        return len(selection.shard.lookups.labels) * width

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


def _packed(codes: Array, buckets: Array, width: int) -> Ints:
    packed = codes.astype(np.int64)
    packed *= width
    packed += buckets
    return packed
