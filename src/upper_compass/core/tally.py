"""The tally of one shard: additive columns by key, from which every report is finished.

A tally is a frame of `key_0`, `key_1` (texts), `bucket` (number, in a series) and the columns asked for. Tallies of shards are merged by
adding up what has the same key, for a visitor's hits all lie in one shard.

By dimensions of the visit, hits, visits and people count under the value of their visit. By a dimension of the hit, hits count under their
own value, visits and visitors under each value that a hit of theirs has, and a conversion under the values that its visit had up to it
(rules, chapter 6).
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field
from functools import cached_property
from typing import Any

import numpy as np
import numpy.typing as npt
import polars as pl

from upper_compass.core.dimensions import Dimension
from upper_compass.core.frame import Bools, Floats, Ints
from upper_compass.core.goals import Conversions, Goal, money
from upper_compass.core.groups import KeySpace, count_distinct, distinct_pairs, sums
from upper_compass.core.hits import Kind
from upper_compass.core.shard import Shard
from upper_compass.core.visits import NO_VISIT, Rows

Array = npt.NDArray[Any]


@dataclass(frozen=True)
class Narrow:
    """Only visits with one of the values, or only those without; a value of a hit is had by a visit with such a hit."""

    dimension: Dimension
    values: tuple[str, ...]
    without: bool


@dataclass(frozen=True)
class Question:
    """What is tallied: hits and conversions with start ≤ at < stop, visits that started then; `edges` cut it into buckets."""

    start: int
    stop: int
    columns: frozenset[str]
    goal: Goal | None = None
    dimensions: tuple[Dimension, ...] = ()
    narrow: tuple[Narrow, ...] = ()
    edges: tuple[int, ...] = ()
    with_hidden: bool = False

    @property
    def by_hit(self) -> bool:
        """Whether a dimension of the hit is among those asked for."""
        return any(dimension.of == "hit" for dimension in self.dimensions)


@dataclass
class Cut:
    """What of a shard the question is about."""

    shard: Shard
    ask: Question
    conversions: Conversions = field(init=False)
    standing: Bools = field(init=False)

    def __post_init__(self) -> None:
        none = np.empty(0, np.int32)
        self.conversions = self.shard.conversions(self.ask.goal) if self.ask.goal else Conversions(none, none, np.empty(0, np.int64), np.empty(0))
        self.standing = self.shard.live if self.ask.with_hidden else self.shard.live & ~self.shard.visit("hidden")
        for narrow in self.ask.narrow:
            self.standing = self.standing & (_having(self.shard, narrow) != narrow.without)

    @cached_property
    def visits(self) -> Rows:
        """Visits that started in the period."""
        began = self.shard.visits_between(self.ask.start, self.ask.stop)
        return began[self.standing[began]]

    @cached_property
    def rows(self) -> Rows:
        """Rows of the hits in the period."""
        rows = self.shard.rows_between(self.ask.start, self.ask.stop)
        visit = self.shard.derived.visit_of[rows]
        return rows[(visit != NO_VISIT) & self.standing[visit]] if len(self.standing) else rows[:0]

    @cached_property
    def counted(self) -> Ints:
        """Which of the conversions happened in the period."""
        at = self.conversions.at
        inside = (at >= self.ask.start) & (at < self.ask.stop)
        return np.flatnonzero(inside & self.standing[self.conversions.visit]) if len(at) else np.empty(0, np.int64)

    def kind(self, rows: Rows) -> npt.NDArray[np.uint8]:
        """Kind of each hit, repeated orders told apart."""
        return self.shard.derived.kind[rows]

    def parts_of_rows(self, rows: Rows) -> list[Array]:
        """The key of each hit: codes of the dimensions, then its bucket by its own time."""
        visits = self.shard.derived.visit_of[rows]
        parts = [d.read(self.shard, rows if d.of == "hit" else visits) for d in self.ask.dimensions]
        return parts + self._buckets(self.shard.hit("at")[rows]) or [np.zeros(len(rows), np.int64)]

    def parts_of_visits(self, visits: Rows) -> list[Array]:
        """The key of each visit, by dimensions of the visit, then its bucket by its start."""
        parts = [d.read(self.shard, visits) for d in self.ask.dimensions]
        return parts + self._buckets(self.shard.visit("start")[visits]) or [np.zeros(len(visits), np.int64)]

    def _buckets(self, at: Ints) -> list[Array]:
        if not self.ask.edges:
            return []
        return [np.clip(np.searchsorted(np.array(self.ask.edges), at, side="right") - 1, 0, len(self.ask.edges) - 2)]


def _having(shard: Shard, narrow: Narrow) -> Bools:
    """Which visits have one of the values."""
    words = shard.lexicon.words
    codes = [code for code in (words.find(value) for value in narrow.values) if code is not None]
    count = len(shard.derived.visits)
    if narrow.dimension.of == "visit":
        return np.isin(narrow.dimension.read(shard, np.arange(count, dtype=np.int32)), codes)
    held = np.isin(narrow.dimension.read(shard, np.arange(len(shard.hits), dtype=np.int32)), codes)
    visits = shard.derived.visit_of[held]
    having = np.zeros(count, bool)
    having[visits[visits != NO_VISIT]] = True
    return having


# Sums over visits: weights of visits, None for one each. A column named `x_squared` is the sum of the squares of `x`.
VISIT_COLUMNS: dict[str, Callable[[Cut, Rows], Array | None]] = {
    "visits": lambda cut, visits: None,
    "bounces": lambda cut, visits: cut.shard.visit("bounce")[visits],
    "visit_views": lambda cut, visits: cut.shard.visit("views")[visits],
    "duration": lambda cut, visits: cut.shard.visit("end")[visits] - cut.shard.visit("start")[visits],
    "engaged": lambda cut, visits: cut.shard.visit("engaged")[visits],
    "new_visitors": lambda cut, visits: cut.shard.visit("number")[visits] == 1,
}
# Sums over hits in the period.
HIT_COLUMNS: dict[str, Callable[[Cut, Rows], Array]] = {
    "views": lambda cut, rows: cut.kind(rows) == Kind.view,
    "times": lambda cut, rows: cut.kind(rows) == Kind.event,
    "page_engaged": lambda cut, rows: np.where(cut.kind(rows) == Kind.engage, cut.shard.hit("engaged_ms")[rows], 0),
    "orders": lambda cut, rows: cut.kind(rows) == Kind.order,
    "revenue": lambda cut, rows: np.where(cut.kind(rows) == Kind.order, money(cut.shard.hits, rows, cut.shard.lexicon), 0.0),
}
PEOPLE_COLUMNS = ("visitors", "people", "converters")
GOAL_COLUMNS = ("conversions", "value", "value_squared", "converting_visits", "converters")
END_COLUMNS = {"entries": "entry", "exits": "exit"}


def tally(shard: Shard, ask: Question) -> pl.DataFrame:
    """The additive columns of one shard by key."""
    cut = Cut(shard, ask)
    found = _by_hit(cut) if ask.by_hit else _by_visit(cut)
    labels = found.pop("labels")
    words = shard.lexicon.words
    keys = {f"key_{i}": words.decode(label).alias(f"key_{i}") for i, label in enumerate(labels[: len(ask.dimensions)])}
    if ask.edges:
        keys["bucket"] = pl.Series("bucket", labels[-1], dtype=pl.Int64)
    return pl.DataFrame(keys | {name: pl.Series(name, found[name], dtype=pl.Float64) for name in sorted(ask.columns)})


def merge(tallies: list[pl.DataFrame], keys: list[str]) -> pl.DataFrame:
    """Tallies added up by key."""
    together = pl.concat(tallies)
    return together.group_by(keys).sum() if keys else together.sum()


def _asked(cut: Cut, columns: dict[str, Callable[[Cut, Rows], Array | None]] | dict[str, Callable[[Cut, Rows], Array]]) -> list[str]:
    return [name for name in columns if name in cut.ask.columns or f"{name}_squared" in cut.ask.columns]


def _weighted(cut: Cut, name: str, groups: Ints, count: int, weights: Array | None, found: dict[str, Floats]) -> None:
    if name in cut.ask.columns:
        found[name] = sums(groups, count, weights)
    if f"{name}_squared" in cut.ask.columns and weights is not None:
        found[f"{name}_squared"] = sums(groups, count, weights.astype(np.float64) ** 2)


def _wants(cut: Cut, *names: str) -> bool:
    return not cut.ask.columns.isdisjoint(names)


def _hit_sums(cut: Cut, rows: Rows, groups: Ints, count: int) -> dict[str, Floats]:
    found: dict[str, Floats] = {}
    for name in _asked(cut, HIT_COLUMNS):
        _weighted(cut, name, groups, count, HIT_COLUMNS[name](cut, rows), found)
    if _wants(cut, "visitors"):
        found["visitors"] = count_distinct(cut.shard.hit("visitor")[rows], groups, count)
    if _wants(cut, "people"):
        did = cut.kind(rows) == Kind.event
        found["people"] = count_distinct(cut.shard.hit("visitor")[rows[did]], groups[did], count)
    return found


def _visit_sums(cut: Cut, visits: Rows, groups: Ints, count: int) -> dict[str, Floats]:
    found: dict[str, Floats] = {}
    for name in _asked(cut, VISIT_COLUMNS):
        _weighted(cut, name, groups, count, VISIT_COLUMNS[name](cut, visits), found)
    return found


def _needs_rows(cut: Cut) -> bool:
    return bool(_asked(cut, HIT_COLUMNS)) or _wants(cut, "visitors", "people")


def _by_visit(cut: Cut) -> dict[str, list[Ints] | Floats]:
    visits = cut.visits
    rows = cut.rows if _needs_rows(cut) else np.empty(0, np.int32)
    counted = cut.counted if _wants(cut, *GOAL_COLUMNS) else np.empty(0, np.int64)
    converted = cut.conversions.row[counted]
    space = KeySpace(cut.parts_of_visits(visits), cut.parts_of_rows(rows), cut.parts_of_rows(converted))
    of_visits, of_rows, of_conversions = space.groups
    n = space.count
    found: dict[str, Floats] = _visit_sums(cut, visits, of_visits, n) | _hit_sums(cut, rows, of_rows, n)
    for name, end in END_COLUMNS.items():
        if _wants(cut, name):
            found[name] = sums(of_visits, n, cut.shard.visit(end)[visits] >= 0)
    if _wants(cut, "seen"):
        found["seen"] = sums(of_visits, n, cut.shard.visit("views")[visits] > 0)
    if _wants(cut, *GOAL_COLUMNS):
        values = cut.conversions.value[counted]
        found["conversions"] = sums(of_conversions, n)
        found["value"] = sums(of_conversions, n, values)
        found["value_squared"] = sums(of_conversions, n, values**2)
        found["converters"] = count_distinct(cut.shard.hit("visitor")[converted], of_conversions, n)
        holding = np.zeros(len(cut.standing), bool)
        holding[cut.conversions.visit] = True
        found["converting_visits"] = sums(of_visits, n, holding[visits])
    return {"labels": space.labels, **found}


def _by_hit(cut: Cut) -> dict[str, list[Ints] | Floats]:
    visits, shard = cut.visits, cut.shard
    with_goal = _wants(cut, *GOAL_COLUMNS)
    empty = np.empty(0, np.int32)
    places = {
        "rows": cut.rows if _needs_rows(cut) else empty,
        "inside": shard.rows_of_visits(visits) if _asked(cut, VISIT_COLUMNS) or _wants(cut, "seen") else empty,
        "entries": _end_rows(cut, "entry") if _wants(cut, "entries") else empty,
        "exits": _end_rows(cut, "exit") if _wants(cut, "exits") else empty,
        "converting": _rows_of_converting(cut) if with_goal else empty,
    }
    parts = {}
    for name, rows in places.items():
        keys = cut.parts_of_rows(rows)
        present = np.logical_and.reduce([key != 0 for d, key in zip(cut.ask.dimensions, keys, strict=True) if d.of == "hit"])
        places[name], parts[name] = rows[present], [key[present] for key in keys]
    space = KeySpace(*parts.values())
    groups, n = dict(zip(parts, space.groups, strict=True)), space.count
    found = _hit_sums(cut, places["rows"], groups["rows"], n)
    owner = shard.derived.visit_of[places["inside"]]
    paired, pair_groups = distinct_pairs(owner, groups["inside"], n)
    found |= _visit_sums(cut, paired.astype(np.int32), pair_groups, n)
    found |= {name: sums(groups[name], n) for name in END_COLUMNS if _wants(cut, name)}
    if _wants(cut, "seen"):
        view = cut.kind(places["inside"]) == Kind.view
        found["seen"] = count_distinct(owner[view], groups["inside"][view], n)
    if with_goal:
        found |= _goal_by_hit(cut, places["converting"], groups["converting"], n)
    return {"labels": space.labels, **found}


def _end_rows(cut: Cut, end: str) -> Rows:
    rows: Rows = cut.shard.visit(end)[cut.visits]
    return rows[rows >= 0]


def _rows_of_converting(cut: Cut) -> Rows:
    """All rows of visits that hold a conversion and matter: those that started in the period, or whose conversion lies in it."""
    holding = np.zeros(len(cut.standing), bool)
    holding[cut.conversions.visit[cut.counted]] = True
    began = np.zeros(len(cut.standing), bool)
    began[cut.visits] = True
    holding[cut.conversions.visit] |= began[cut.conversions.visit]
    return cut.shard.rows_of_visits(np.flatnonzero(holding).astype(np.int32))


def _goal_by_hit(cut: Cut, rows: Rows, groups: Ints, n: int) -> dict[str, Floats]:
    """Conversions count under a value from the visit's first hit with it on.

    For each visit and value the conversions behind that first hit are a stretch of the visit's conversions, so two look-ups count them; a
    visit with very many of both costs no more than their sum.
    """
    shard, all_rows = cut.shard, cut.conversions.row
    visit = shard.derived.visit_of[rows].astype(np.int64)
    _, at = np.unique(visit * n + groups, return_index=True)
    first, visit, group = rows[at], visit[at], groups[at]
    last = shard.visit("last_row")[visit]

    def stretch(of: Rows) -> tuple[Ints, Ints]:
        return np.searchsorted(of, first, side="left"), np.searchsorted(of, last, side="right")

    low, high = stretch(all_rows[cut.counted])
    running = np.concatenate([[0.0], np.cumsum(cut.conversions.value[cut.counted])])
    squares = np.concatenate([[0.0], np.cumsum(cut.conversions.value[cut.counted] ** 2)])
    began = np.zeros(len(cut.standing), bool)
    began[cut.visits] = True
    low_any, high_any = stretch(all_rows)
    reached = high > low
    return {
        "conversions": sums(group, n, high - low),
        "value": sums(group, n, running[high] - running[low]),
        "value_squared": sums(group, n, squares[high] - squares[low]),
        "converting_visits": sums(group, n, (high_any > low_any) & began[visit]),
        "converters": count_distinct(shard.visit("visitor")[visit[reached]], group[reached], n),
    }
