"""The tally of one shard: additive columns by key, from which every report is finished.

A tally is a frame of `key_0`, `key_1` (texts), `bucket` (number, in a series) and the columns asked for. Tallies of shards are merged by
adding up what has the same key, for a visitor's hits all lie in one shard.

By dimensions of the visit, hits, visits and people count under the value of their visit. By a dimension of the hit, hits count under their
own value, visits and visitors under each value that a hit of theirs has, and a conversion under the values that its visit had up to it
(rules, chapter 6).
"""

from __future__ import annotations

from collections.abc import Callable, Iterable
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
    """What is asked about: hits and conversions with start ≤ at < stop, and visits that started then."""

    start: int
    stop: int
    goal: Goal | None = None
    narrow: tuple[Narrow, ...] = ()
    with_hidden: bool = False


@dataclass(frozen=True)
class By:
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
class Cut:
    """What of a shard the question is about; shared by all its breakdowns."""

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
    def began(self) -> Bools:
        """Whether each visit started in the period and stands."""
        start = self.shard.visit("start")
        return (start >= self.ask.start) & (start < self.ask.stop) & self.standing

    @cached_property
    def visits(self) -> Rows:
        """Visits that started in the period."""
        return np.flatnonzero(self.began).astype(np.int32)

    @cached_property
    def across(self) -> Rows:
        """Visits with hits on both sides of an edge of the period; few, looked at hit by hit."""
        start, until = self.shard.visit("start"), self.shard.visit("until")
        over = ((start < self.ask.start) & (until >= self.ask.start)) | ((start < self.ask.stop) & (until >= self.ask.stop))
        return np.flatnonzero(over & self.standing).astype(np.int32)

    @cached_property
    def whole(self) -> Rows:
        """Visits of which all hits lie in the period."""
        inside = self.began.copy()
        inside[self.across] = False
        return np.flatnonzero(inside).astype(np.int32)

    @cached_property
    def rows_across(self) -> Rows:
        """Rows in the period of visits that lie across its edges."""
        rows = self.shard.rows_of_visits(self.across)
        at = self.shard.hit("at")[rows]
        return rows[(at >= self.ask.start) & (at < self.ask.stop)]

    @cached_property
    def rows(self) -> Rows:
        """Rows of the hits in the period."""
        if not len(self.standing):
            return np.empty(0, np.int32)
        rows = self.shard.rows_between(self.ask.start, self.ask.stop)
        visit = self.shard.derived.visit_of[rows]
        return rows[(visit != NO_VISIT) & self.standing[visit]]

    @cached_property
    def counted(self) -> Ints:
        """Which of the conversions happened in the period."""
        at = self.conversions.at
        inside = (at >= self.ask.start) & (at < self.ask.stop)
        return np.flatnonzero(inside & self.standing[self.conversions.visit]) if len(at) else np.empty(0, np.int64)

    @cached_property
    def holding(self) -> Bools:
        """Whether each visit holds a conversion, whenever."""
        held = np.zeros(len(self.standing), bool)
        held[self.conversions.visit] = True
        return held

    def kind(self, rows: Rows) -> npt.NDArray[np.uint8]:
        """Kind of each hit, repeated orders told apart."""
        return self.shard.derived.kind[rows]

    def parts_of_rows(self, by: By, rows: Rows) -> list[Array]:
        """The key of each hit: codes of the dimensions, then its bucket by its own time."""
        owners = self.shard.derived.visit_of[rows]
        parts = [d.read(self.shard, rows) if d.of == "hit" else _spread(d, self.shard, owners) for d in by.dimensions]
        return parts + _buckets(by, self.shard.hit("at")[rows]) or [np.zeros(len(rows), np.int64)]

    def parts_of_visits(self, by: By, visits: Rows) -> list[Array]:
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


def _buckets(by: By, at: Ints) -> list[Array]:
    if not by.edges:
        return []
    return [np.clip(np.searchsorted(np.array(by.edges), at, side="right") - 1, 0, len(by.edges) - 2)]


def _having(shard: Shard, narrow: Narrow) -> Bools:
    """Which visits have one of the values."""
    count = len(shard.derived.visits)
    of_hits = narrow.dimension.of == "hit"
    read = narrow.dimension.read(shard, np.arange(len(shard.hits) if of_hits else count, dtype=np.int32))
    # Looked up only now: reading a dimension may be what makes its values known.
    codes = [code for code in (shard.lexicon.words.find(value) for value in narrow.values) if code is not None]
    held = np.isin(read, codes)
    if not of_hits:
        return held
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
# Of these, the sum over a visit of which all hits lie in the period is known: a column of the visits.
WHOLE_COLUMNS = {"views": "views"}
PEOPLE_COLUMNS = ("visitors", "people", "converters")
GOAL_COLUMNS = ("conversions", "value", "value_squared", "converting_visits", "converters")
END_COLUMNS = {"entries": "entry", "exits": "exit"}


def tally(cut: Cut, by: By) -> pl.DataFrame:
    """The additive columns of one shard by key."""
    labels, found = _by_hit(cut, by) if by.by_hit else _by_visit(cut, by)
    words = cut.shard.lexicon.words
    keys = {f"key_{i}": words.decode(label).alias(f"key_{i}") for i, label in enumerate(labels[: len(by.dimensions)])}
    if by.edges:
        keys["bucket"] = pl.Series("bucket", labels[-1], dtype=pl.Int64)
    return pl.DataFrame(keys | {name: pl.Series(name, found[name], dtype=pl.Float64) for name in sorted(by.columns)})


def merge(tallies: list[pl.DataFrame], keys: list[str]) -> pl.DataFrame:
    """Tallies added up by key."""
    together = pl.concat(tallies)
    return together.group_by(keys).sum() if keys else together.sum()


def _weighted(by: By, name: str, groups: Ints, count: int, weights: Array | None, found: dict[str, Floats]) -> None:
    """Add a column, and that of its squares, as wanted; what is there already is added to."""
    columns = {name: weights, f"{name}_squared": None if weights is None else weights.astype(np.float64) ** 2}
    for column, values in columns.items():
        if column in by.columns:
            found[column] = found.get(column, 0.0) + sums(groups, count, values)


def _visit_sums(cut: Cut, by: By, visits: Rows, groups: Ints, count: int) -> dict[str, Floats]:
    found: dict[str, Floats] = {}
    for name in by.asked(VISIT_COLUMNS):
        _weighted(by, name, groups, count, VISIT_COLUMNS[name](cut, visits), found)
    return found


def _hit_sums(cut: Cut, by: By, rows: Rows, groups: Ints, count: int) -> dict[str, Floats]:
    found: dict[str, Floats] = {}
    for name in by.asked(HIT_COLUMNS):
        _weighted(by, name, groups, count, HIT_COLUMNS[name](cut, rows), found)
    if by.wants("people"):
        did = cut.kind(rows) == Kind.event
        found["people"] = count_distinct(cut.shard.hit("visitor")[rows[did]], groups[did], count)
    return found


def _by_visit(cut: Cut, by: By) -> tuple[list[Ints], dict[str, Floats]]:
    """By dimensions of the visit, or in all. Whole visits are counted as such; hits are looked at only where that does not do."""
    shard, visits = cut.shard, cut.visits
    empty = np.empty(0, np.int32)
    by_rows = bool(by.edges) or by.wants("people") or any(name not in WHOLE_COLUMNS for name in by.asked(HIT_COLUMNS))
    present = by.wants("visitors") or bool(by.asked(HIT_COLUMNS)) or by_rows
    rows = cut.rows if by_rows else cut.rows_across if present else empty
    counted = cut.counted if by.wants(*GOAL_COLUMNS) else np.empty(0, np.int64)
    converted = cut.conversions.row[counted]
    space = KeySpace(cut.parts_of_visits(by, visits), cut.parts_of_rows(by, rows), cut.parts_of_rows(by, converted))
    of_visits, of_rows, of_conversions = space.groups
    n = space.count
    found = _visit_sums(cut, by, visits, of_visits, n) | _hit_sums(cut, by, rows, of_rows, n)
    whole = np.empty(0, np.int64) if by_rows else np.flatnonzero(np.isin(visits, cut.across, invert=True, assume_unique=True))
    if not by_rows:
        for name in by.asked(HIT_COLUMNS):
            _weighted(by, name, of_visits[whole], n, shard.visit(WHOLE_COLUMNS[name])[visits[whole]], found)
    if by.wants("visitors"):
        found["visitors"] = _visitors(cut, rows, of_rows, visits[whole], of_visits[whole], n)
    for name, end in END_COLUMNS.items():
        if by.wants(name):
            found[name] = sums(of_visits, n, shard.visit(end)[visits] >= 0)
    if by.wants("seen"):
        found["seen"] = sums(of_visits, n, shard.visit("views")[visits] > 0)
    if by.wants(*GOAL_COLUMNS):
        values = cut.conversions.value[counted]
        found["conversions"] = sums(of_conversions, n)
        found["value"] = sums(of_conversions, n, values)
        found["value_squared"] = sums(of_conversions, n, values**2)
        found["converters"] = count_distinct(shard.hit("visitor")[converted], of_conversions, n)
        found["converting_visits"] = sums(of_visits, n, cut.holding[visits])
    return space.labels, found


def _visitors(cut: Cut, rows: Rows, of_rows: Ints, whole: Rows, of_whole: Ints, n: int) -> Floats:
    """Distinct visitors by group, of hits and of whole visits together."""
    units = cut.shard.hit("visitor")[rows]
    if not len(whole):
        return count_distinct(units, of_rows, n)
    visitors = np.concatenate([cut.shard.visit("visitor")[whole], units])
    groups = np.concatenate([of_whole, of_rows])
    if len(rows):
        order = np.argsort(visitors, kind="stable")
        visitors, groups = visitors[order], groups[order]
    return count_distinct(visitors, groups, n)


def _by_hit(cut: Cut, by: By) -> tuple[list[Ints], dict[str, Floats]]:
    shard = cut.shard
    empty = np.empty(0, np.int32)
    with_goal = by.wants(*GOAL_COLUMNS)
    of_visits = bool(by.asked(VISIT_COLUMNS)) or by.wants("seen")
    places = {
        "rows": cut.rows,
        "outside": _rows_outside(cut) if of_visits else empty,
        "entries": _end_rows(cut, "entry") if by.wants("entries") else empty,
        "exits": _end_rows(cut, "exit") if by.wants("exits") else empty,
        "converting": _rows_of_converting(cut) if with_goal else empty,
    }
    parts = {}
    for name, rows in places.items():
        keys = cut.parts_of_rows(by, rows)
        present = np.logical_and.reduce([key != 0 for d, key in zip(by.dimensions, keys, strict=True) if d.of == "hit"])
        if not present.all():
            places[name], keys = rows[present], [key[present] for key in keys]
        parts[name] = keys
    space = KeySpace(*parts.values())
    groups, n = dict(zip(parts, space.groups, strict=True)), space.count
    found = _hit_sums(cut, by, places["rows"], groups["rows"], n)
    if of_visits or by.wants("visitors"):
        visit, group = distinct_pairs(shard.derived.visit_of[places["rows"]], groups["rows"], n)
        if by.wants("visitors"):
            found["visitors"] = count_distinct(shard.visit("visitor")[visit], group, n)
        if of_visits:
            found |= _visits_having(cut, by, (visit, group), places, groups, n)
    found |= {name: sums(groups[name], n) for name in END_COLUMNS if by.wants(name)}
    if with_goal:
        found |= _goal_by_hit(cut, places["converting"], groups["converting"], n)
    return space.labels, found


def _visits_having(cut: Cut, by: By, pairs: tuple[Ints, Ints], places: dict[str, Rows], groups: dict[str, Ints], n: int) -> dict[str, Floats]:
    """Sums over the visits that started in the period and have such a hit anywhere. `pairs`: visits and values of hits in the period."""
    visit_of = cut.shard.derived.visit_of

    def with_outside(visit: Ints, group: Ints, outside: Rows, outside_groups: Ints) -> tuple[Ints, Ints]:
        began = cut.began[visit]
        visit, group = visit[began], group[began]
        # Only visits that lie across an edge have hits outside; theirs are joined, and what is there twice is dropped.
        over = np.isin(visit, visit_of[outside])
        visits = np.concatenate([visit[over], visit_of[outside]])
        order = np.argsort(visits, kind="stable")
        joined, joined_groups = distinct_pairs(visits[order], np.concatenate([group[over], outside_groups])[order], n)
        return np.concatenate([visit[~over], joined]), np.concatenate([group[~over], joined_groups])

    paired, pair_groups = with_outside(*pairs, places["outside"], groups["outside"])
    found = _visit_sums(cut, by, paired.astype(np.int32), pair_groups, n)
    if by.wants("seen"):
        view, view_outside = (cut.kind(places[name]) == Kind.view for name in ("rows", "outside"))
        seen = distinct_pairs(visit_of[places["rows"]][view], groups["rows"][view], n)
        found["seen"] = sums(with_outside(*seen, places["outside"][view_outside], groups["outside"][view_outside])[1], n)
    return found


def _rows_outside(cut: Cut) -> Rows:
    """Rows that lie outside the period, of visits that started in it."""
    rows = cut.shard.rows_of_visits(cut.across[cut.began[cut.across]])
    return rows[cut.shard.hit("at")[rows] >= cut.ask.stop]


def _end_rows(cut: Cut, end: str) -> Rows:
    rows: Rows = cut.shard.visit(end)[cut.visits]
    return rows[rows >= 0]


def _rows_of_converting(cut: Cut) -> Rows:
    """All rows of visits that hold a conversion and matter: those that started in the period, or whose conversion lies in it."""
    mattering = cut.holding & cut.began
    mattering[cut.conversions.visit[cut.counted]] = True
    return cut.shard.rows_of_visits(np.flatnonzero(mattering).astype(np.int32))


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
    low_any, high_any = stretch(all_rows)
    reached = high > low
    return {
        "conversions": sums(group, n, high - low),
        "value": sums(group, n, running[high] - running[low]),
        "value_squared": sums(group, n, squares[high] - squares[low]),
        "converting_visits": sums(group, n, (high_any > low_any) & cut.began[visit]),
        "converters": count_distinct(shard.visit("visitor")[visit[reached]], group[reached], n),
    }
