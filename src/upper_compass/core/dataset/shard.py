"""A shard: all hits of some visitors, with what was derived from them. Reports are sums over shards."""

from __future__ import annotations

from bisect import bisect_left
from collections.abc import Callable, Hashable
from dataclasses import dataclass, field, replace
from functools import cached_property
from threading import Lock
from typing import Any, TypeVar

import numpy as np
import numpy.typing as npt
import polars as pl
from cachetools import LRUCache

from upper_compass.core.dataset.coded_hits import Bools, Codes, Ints
from upper_compass.core.dataset.conversions import Conversions, conversions
from upper_compass.core.dataset.lookups import DimensionLookups
from upper_compass.core.dataset.site_fields import field_of_visits
from upper_compass.core.dataset.visits import DerivedVisits, Rows, derive, sources_of_views
from upper_compass.core.definitions.goals import Counted
from upper_compass.core.definitions.site_rules import SiteField

# A period that holds at least this part of a shard's time is found by looking at every hit; a shorter one through the order of time.
SCAN_FROM = 0.4
# Conversions of goals, masks of segments, fields of visits: of each shard so many.
MAX_KEPT = 48

T = TypeVar("T")


def _array(made: dict[str, npt.NDArray[Any]], frame: pl.DataFrame, column: str) -> npt.NDArray[Any]:
    if column not in made:
        made[column] = frame[column].to_numpy()
    return made[column]


@dataclass
class Shard:
    """Coded hits in order, their visits, and which visits still stand (`valid`: those of `tombstoned` visitors, taken over by another shard, do not)."""

    hits: pl.DataFrame
    derived: DerivedVisits
    lookups: DimensionLookups
    valid: Bools
    tombstoned: Codes = field(default_factory=lambda: np.empty(0, np.uint32))
    # A shard that takes others' figures back is -1.
    sign: int = 1
    # Where the hits lie on disk: lets nothing of them stay in memory that nobody is reading.
    let_go: Callable[[], None] | None = None
    # The same object as long as the same is read from it.
    version: object = field(default_factory=object)
    _kept: LRUCache[Hashable, Any] = field(default_factory=lambda: LRUCache(MAX_KEPT))
    _keeping: Lock = field(default_factory=Lock)
    # Views of columns: making one costs as much as counting a small shard does.
    _hit_arrays: dict[str, npt.NDArray[Any]] = field(default_factory=dict)
    _visit_arrays: dict[str, npt.NDArray[Any]] = field(default_factory=dict)

    @staticmethod
    def of(hits: pl.DataFrame, lookups: DimensionLookups, repeated: Ints) -> Shard:
        """A shard of coded hits; `repeated` are the `seq` of repeated orders."""
        derived = derive(hits, lookups, repeated)
        return Shard(hits, derived, lookups, np.ones(len(derived.visits), bool))

    def with_lookups(self, lookups: DimensionLookups) -> Shard:
        """The same visits, read by other look-ups that share the labels: only where each came from is looked up again."""
        visits = self.derived.visits
        entry, hits = visits["entry"].to_numpy(), self.hits
        seen = np.flatnonzero(entry >= 0)
        codes = np.zeros(len(entry), np.uint32)
        url, referrer = (hits[name].to_numpy()[entry[seen]] for name in ("url", "referrer"))
        codes[seen] = np.maximum(sources_of_views(np.ones(len(seen), bool), url, referrer, lookups), 0)
        derived = replace(self.derived, visits=visits.with_columns(pl.Series("traffic_source", codes)))
        return Shard(hits, derived, lookups, self.valid, self.tombstoned, self.sign, self.let_go)

    @property
    def is_mapped(self) -> bool:
        """Whether the hits lie on disk, and take no memory of ours."""
        return self.let_go is not None

    def hit(self, column: str) -> npt.NDArray[Any]:
        """One column of the hits, without a copy."""
        return _array(self._hit_arrays, self.hits, column)

    def visit(self, column: str) -> npt.NDArray[Any]:
        """One column of the visits, without a copy."""
        return _array(self._visit_arrays, self.derived.visits, column)

    @cached_property
    def _by_time(self) -> npt.NDArray[np.uint32]:
        return np.argsort(self.hit("at"), kind="stable").astype(np.uint32)

    def rows_between(self, start: int, stop: int) -> Rows:
        """Rows of the hits with start ≤ at < stop, ascending."""
        at = self.hit("at")
        if not len(at):
            return np.empty(0, np.int32)
        low, high = (bisect_left(self._by_time, edge, key=lambda row: at[row]) for edge in (start, stop))
        if high - low > SCAN_FROM * len(at):
            return np.flatnonzero((at >= start) & (at < stop)).astype(np.int32)
        return np.sort(self._by_time[low:high]).astype(np.int32)

    def visits_between(self, start: int, stop: int) -> Rows:
        """Indices of the visits that started with start ≤ start < stop, ascending."""
        starts = self.visit("start")
        return np.flatnonzero((starts >= start) & (starts < stop)).astype(np.int32)

    def rows_of_visits(self, visits: Rows) -> Rows:
        """All rows of the hits of these visits (ascending indices), ascending."""
        first, last = self.visit("first_row")[visits], self.visit("last_row")[visits]
        lengths = last - first + 1
        if not len(visits):
            return np.empty(0, np.int32)
        ends = np.cumsum(lengths)
        steps = np.ones(int(ends[-1]), np.int32)
        steps[0] = first[0]
        steps[ends[:-1]] = first[1:] - last[:-1]
        return np.cumsum(steps, dtype=np.int32)

    def conversions(self, of: Counted | None, *, keep: bool = True) -> Conversions:
        """The conversions of a goal, or the sales of a product, in all of the shard's history; none of nothing. `keep`: not where somebody still writes."""
        if of is None:
            return Conversions.none()
        if not keep:
            return conversions(of, self.hits, self.derived, self.lookups)
        return self.kept(of.model_dump_json(), lambda: conversions(of, self.hits, self.derived, self.lookups))

    def kept(self, key: Hashable, make: Callable[[], T]) -> T:
        """What was worked out under a key, made when it is not there; the results that were asked for last are kept."""
        with self._keeping:
            found: T | None = self._kept.get(key)
        if found is None:
            found = make()
            with self._keeping:
                self._kept[key] = found
        return found

    def field(self, of: SiteField) -> Codes:
        """The labels (u32) of a field of the whole visit, for all visits, worked out once."""
        return self.kept(of.model_dump_json(), lambda: field_of_visits(of, self.hits, self.derived, self.lookups))

    def rows_of_visitors(self, visitors: npt.NDArray[Any]) -> Rows:
        """Rows of all hits of these visitors (ascending codes)."""
        return ranges(self.hit("visitor"), visitors)

    def tombstone(self, visitors: npt.NDArray[Any]) -> None:
        """Let the visits of these visitors no longer stand."""
        self.tombstoned = np.sort(np.concatenate([self.tombstoned, visitors[~among(visitors, self.tombstoned)]]))
        self.version = object()
        self.valid = self.valid.copy()
        self.valid[ranges(self.visit("visitor"), visitors)] = False


def among(values: npt.NDArray[Any], column: npt.NDArray[Any]) -> Bools:
    """Which of the values a sorted column holds; the column may be long, and is not looked through."""
    if not len(column):
        return np.zeros(len(values), bool)
    found: Bools = column[np.minimum(np.searchsorted(column, values), len(column) - 1)] == values
    return found


def ascending_once(values: npt.NDArray[Any]) -> npt.NDArray[Any]:
    """Each of the values, which ascend, once."""
    return values[np.append(True, values[1:] != values[:-1])] if len(values) else values


def ranges(column: npt.NDArray[Any], wanted: npt.NDArray[Any]) -> Rows:
    """Positions in a sorted column that hold one of the wanted values."""
    low = np.searchsorted(column, wanted, side="left")
    high = np.searchsorted(column, wanted, side="right")
    lengths = high - low
    offsets = np.repeat(low - np.concatenate([[0], np.cumsum(lengths)[:-1]]), lengths) if len(low) else low
    return (np.arange(int(lengths.sum())) + offsets).astype(np.int32)
