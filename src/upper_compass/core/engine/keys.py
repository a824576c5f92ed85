"""The key of each visit and of each hit: codes of the dimensions that it is broken down by, then its bucket of time."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any, Literal

import numpy as np
import numpy.typing as npt

from upper_compass.core.dataset.coded_hits import Bools
from upper_compass.core.dataset.shard import Shard
from upper_compass.core.dataset.visits import Rows
from upper_compass.core.engine.dimensions import Dimension
from upper_compass.core.engine.selection import Selection

Array = npt.NDArray[Any]
MIN_STEP = 60_000


@dataclass(frozen=True)
class KeyedBy:
    """What a key is made of. `edges` (ms) cut the period into buckets; `within`: only keys that begin with one of these values are wanted."""

    dimensions: tuple[Dimension, ...] = ()
    edges: tuple[int, ...] = ()
    within: tuple[tuple[str, ...], ...] = ()

    @property
    def by_hit(self) -> bool:
        """Whether a dimension of the hit is among the dimensions."""
        return any(dimension.of == "hit" for dimension in self.dimensions)

    def of_rows(self, selection: Selection, rows: Rows) -> list[Array]:
        """The key of each hit, its bucket by its own time. At least one part, for what is not broken down."""
        if not len(rows):
            return self._nothing()
        parts = [self._of_rows(dimension, selection, rows) for dimension in self.dimensions]
        return parts + self._buckets(selection, "at", rows) or [np.zeros(len(rows), np.int64)]

    def _of_rows(self, dimension: Dimension, selection: Selection, rows: Rows) -> Array:
        return dimension.read(selection.shard, rows) if dimension.of == "hit" else _spread(dimension, selection.shard, selection.owners_of(rows))

    def begun_within(self, selection: Selection, rows: Rows) -> Rows:
        """The rows of which the first part of the key is wanted: no more need be read of the others."""
        if not self.within or len(self.dimensions) < 2 or not len(rows):
            return rows
        known = [selection.shard.lookups.labels.find(prefix[0]) for prefix in self.within]
        return rows[np.isin(self._of_rows(self.dimensions[0], selection, rows), [code for code in known if code is not None])]

    def of_visits(self, selection: Selection, visits: Rows) -> list[Array]:
        """The key of each visit, by dimensions of the visit, its bucket by its start."""
        if not len(visits):
            return self._nothing()
        parts = [d.read(selection.shard, visits) for d in self.dimensions]
        return parts + self._buckets(selection, "start", visits) or [np.zeros(len(visits), np.int64)]

    def _nothing(self) -> list[Array]:
        return [np.empty(0, np.uint32)] * max(1, len(self.dimensions) + bool(self.edges))

    def only_within(self, selection: Selection, items: Rows, parts: list[Array]) -> tuple[Rows, list[Array], Bools | slice]:
        """The items whose key is wanted, their keys, and which of the items they are."""
        if not self.within:
            return items, parts, slice(None)
        labels = selection.shard.lookups.labels
        known = [[labels.find(value) for value in prefix] for prefix in self.within]
        wanted = [prefix for prefix in known if None not in prefix]
        kept = np.full(len(items), bool(wanted))
        for part, codes in zip(parts, zip(*wanted, strict=True), strict=False):
            kept &= np.isin(part, codes)
        if len(wanted) > 1 and len(wanted[0]) > 1:  # each part alone fits; now all of them together
            candidates = np.flatnonzero(kept)
            exact = np.zeros(len(candidates), bool)
            for prefix in wanted:
                exact |= np.logical_and.reduce([part[candidates] == code for part, code in zip(parts, prefix, strict=False)])
            kept[candidates[~exact]] = False
        return items[kept], [part[kept] for part in parts], kept

    def _buckets(self, selection: Selection, column: Literal["at", "start"], items: Rows) -> list[Array]:
        """The bucket of each hit or visit; those of all that a question is about are worked out once for all its breakdowns."""
        if not self.edges:
            return []
        if items is selection.__dict__.get("rows" if column == "at" else "visits"):  # not worked out only to be told apart
            return [selection.once((column, self.edges), lambda: self._bucket(selection, column, items))]
        return [self._bucket(selection, column, items)]

    def _bucket(self, selection: Selection, column: Literal["at", "start"], items: Rows) -> Array:
        return bucket_of((selection.shard.hit if column == "at" else selection.shard.visit)(column)[items], self.edges)


def bucket_of(at: Array, edges: tuple[int, ...]) -> Array:
    """The bucket (place among the edges, which ascend) of each moment (ms); what lies before all or after all, in the first or in the last."""
    bounds = np.array(edges, dtype=np.int64)
    lengths = np.diff(bounds)
    # Edges lie whole quarters of an hour apart, also where a day has 23 hours, so a table by such steps does; but for the oddest clocks.
    step = int(np.gcd.reduce(lengths))
    if step < MIN_STEP:
        return np.clip(np.searchsorted(bounds, at, side="right") - 1, 0, len(lengths) - 1)
    table = np.repeat(np.arange(len(lengths)), lengths // step)
    bucket: Array = table[np.clip((at - bounds[0]) // step, 0, len(table) - 1)]
    return bucket


def _spread(dimension: Dimension, shard: Shard, owners: Rows) -> Array:
    """A dimension of the visit for each hit (by its visit, ascending): read once a visit, then spread."""
    fresh = np.diff(owners, prepend=owners[0]) != 0
    fresh[0] = True
    places = np.cumsum(fresh) - 1
    return dimension.read(shard, owners[fresh])[places]
