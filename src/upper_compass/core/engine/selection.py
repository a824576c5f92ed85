"""What is asked of a shard, and the part of its hits, visits and conversions that it is about."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass, field
from functools import cached_property
from typing import Any

import numpy as np
import numpy.typing as npt

from upper_compass.core.dataset.coded_hits import Bools, Ints
from upper_compass.core.dataset.conversions import Conversions
from upper_compass.core.dataset.shard import Shard
from upper_compass.core.dataset.visits import NO_VISIT, Rows
from upper_compass.core.definitions.goals import Goal
from upper_compass.core.engine.dimensions import Dimension

Array = npt.NDArray[Any]
MIN_STEP = 60_000


@dataclass(frozen=True)
class ResolvedFilter:
    """Only visits with one of the values, or only those without; a value of a hit is had by a visit with such a hit."""

    dimension: Dimension
    values: tuple[str, ...]
    without: bool


@dataclass(frozen=True)
class ReportFilter:
    """What is asked about: hits and conversions with start ≤ at < stop, and visits that started then."""

    start: int
    stop: int
    goal: Goal | None = None
    narrow: tuple[ResolvedFilter, ...] = ()
    with_excluded: bool = False
    # A goal that is still being written is not kept.
    keep: bool = True


@dataclass(frozen=True)
class GroupBy:
    """How it is broken down, and the additive columns that are wanted. `edges` cut the period into buckets."""

    columns: frozenset[str]
    dimensions: tuple[Dimension, ...] = ()
    edges: tuple[int, ...] = ()

    @property
    def by_hit(self) -> bool:
        """Whether a dimension of the hit is among those asked for."""
        return any(dimension.of == "hit" for dimension in self.dimensions)

    @property
    def keys(self) -> list[str]:
        """The key columns of the tally."""
        return [f"key_{i}" for i in range(len(self.dimensions))] + (["bucket"] if self.edges else [])

    def wants(self, *names: str) -> bool:
        """Whether one of the columns is wanted."""
        return not self.columns.isdisjoint(names)

    def asked(self, columns: Iterable[str]) -> list[str]:
        """Which of these columns are wanted, themselves or as squares."""
        return [name for name in columns if name in self.columns or f"{name}_squared" in self.columns]


@dataclass
class Selection:
    """What of a shard the question is about; shared by all its breakdowns."""

    shard: Shard
    ask: ReportFilter
    conversions: Conversions = field(init=False)
    standing: Bools = field(init=False)

    def __post_init__(self) -> None:
        none = np.empty(0, np.int32)
        self.conversions = (
            self.shard.conversions(self.ask.goal, keep=self.ask.keep) if self.ask.goal else Conversions(none, none, np.empty(0, np.int64), np.empty(0))
        )
        self.visit_mask = self.shard.valid if self.ask.with_excluded else self.shard.valid & ~self.shard.visit("excluded")
        for narrow in self.ask.narrow:
            self.visit_mask = self.visit_mask & (_having(self.shard, narrow) != narrow.without)

    @cached_property
    def started_in_period(self) -> Bools:
        """Whether each visit started in the period and stands."""
        start = self.shard.visit("start")
        return (start >= self.ask.start) & (start < self.ask.stop) & self.visit_mask

    @cached_property
    def visits(self) -> Rows:
        """Visits that started in the period."""
        return np.flatnonzero(self.started_in_period).astype(np.int32)

    @cached_property
    def boundary_visits(self) -> Rows:
        """Visits with hits on both sides of an edge of the period; few, looked at hit by hit."""
        start, until = self.shard.visit("start"), self.shard.visit("until")
        over = ((start < self.ask.start) & (until >= self.ask.start)) | ((start < self.ask.stop) & (until >= self.ask.stop))
        return np.flatnonzero(over & self.visit_mask).astype(np.int32)

    @cached_property
    def contained_visits(self) -> Rows:
        """Visits of which all hits lie in the period."""
        inside = self.started_in_period.copy()
        inside[self.boundary_visits] = False
        return np.flatnonzero(inside).astype(np.int32)

    @cached_property
    def boundary_rows(self) -> Rows:
        """Rows in the period of visits that lie across its edges."""
        rows = self.shard.rows_of_visits(self.boundary_visits)
        at = self.shard.hit("at")[rows]
        return rows[(at >= self.ask.start) & (at < self.ask.stop)]

    @cached_property
    def rows(self) -> Rows:
        """Rows of the hits in the period."""
        if not len(self.visit_mask):
            return np.empty(0, np.int32)
        rows = self.shard.rows_between(self.ask.start, self.ask.stop)
        visit = self.shard.derived.visit_of[rows]
        return rows[(visit != NO_VISIT) & self.visit_mask[visit]]

    @cached_property
    def counted_conversions(self) -> Ints:
        """Which of the conversions happened in the period."""
        at = self.conversions.at
        inside = (at >= self.ask.start) & (at < self.ask.stop)
        return np.flatnonzero(inside & self.visit_mask[self.conversions.visit]) if len(at) else np.empty(0, np.int64)

    @cached_property
    def converted_visits(self) -> Bools:
        """Whether each visit holds a conversion, whenever."""
        held = np.zeros(len(self.visit_mask), bool)
        held[self.conversions.visit] = True
        return held

    def kind(self, rows: Rows) -> npt.NDArray[np.uint8]:
        """Kind of each hit, repeated orders told apart."""
        return self.shard.derived.kind[rows]

    def parts_of_rows(self, by: GroupBy, rows: Rows) -> list[Array]:
        """The key of each hit: codes of the dimensions, then its bucket by its own time."""
        owners = self.shard.derived.visit_of[rows]
        parts = [d.read(self.shard, rows) if d.of == "hit" else _spread(d, self.shard, owners) for d in by.dimensions]
        return parts + _buckets(by, self.shard.hit("at")[rows]) or [np.zeros(len(rows), np.int64)]

    def parts_of_visits(self, by: GroupBy, visits: Rows) -> list[Array]:
        """The key of each visit, by dimensions of the visit, then its bucket by its start."""
        parts = [d.read(self.shard, visits) for d in by.dimensions]
        return parts + _buckets(by, self.shard.visit("start")[visits]) or [np.zeros(len(visits), np.int64)]


def _spread(dimension: Dimension, shard: Shard, owners: Rows) -> Array:
    """A dimension of the visit for each hit (by its visit, ascending): read once a visit, then spread."""
    if not len(owners):
        return np.empty(0, np.uint32)
    fresh = np.diff(owners, prepend=owners[0]) != 0
    fresh[0] = True
    places = np.cumsum(fresh) - 1
    return dimension.read(shard, owners[fresh])[places]


def _buckets(by: GroupBy, at: Ints) -> list[Array]:
    if not by.edges:
        return []
    edges = np.array(by.edges, dtype=np.int64)
    lengths = np.diff(edges)
    # Edges lie whole quarters of an hour apart, also where a day has 23 hours, so a table by such steps does; but for the oddest clocks.
    step = int(np.gcd.reduce(lengths))
    if step < MIN_STEP:
        return [np.clip(np.searchsorted(edges, at, side="right") - 1, 0, len(lengths) - 1)]
    table = np.repeat(np.arange(len(lengths)), lengths // step)
    return [table[np.clip((at - edges[0]) // step, 0, len(table) - 1)]]


def _having(shard: Shard, narrow: ResolvedFilter) -> Bools:
    """Which visits have one of the values."""
    count = len(shard.derived.visits)
    of_hits = narrow.dimension.of == "hit"
    read = narrow.dimension.read(shard, np.arange(len(shard.hits) if of_hits else count, dtype=np.int32))
    # Looked up only now: reading a dimension may be what makes its values known.
    codes = [code for code in (shard.lookups.labels.find(value) for value in narrow.values) if code is not None]
    held = np.isin(read, codes)
    if not of_hits:
        return held
    visits = shard.derived.visit_of[held]
    having = np.zeros(count, bool)
    having[visits[visits != NO_VISIT]] = True
    return having
