"""The tally of one shard: additive columns by key, from which tables and series are finished.

By dimensions of the visit, hits, visits and people count under the value of their visit. By a dimension of the hit, hits count under their
own value, visits and visitors under each value that a hit of theirs has, and a conversion under the values that its visit had up to it
(rules, chapter 6).
"""

from __future__ import annotations

from collections.abc import Callable, Hashable, Iterable
from dataclasses import dataclass
from typing import ClassVar

import numpy as np
import polars as pl

from upper_compass.core.dataset.coded_hits import Floats, Ints
from upper_compass.core.dataset.money import money
from upper_compass.core.dataset.visits import Rows
from upper_compass.core.definitions.hits import Kind
from upper_compass.core.engine.group_by import KeySpace, count_distinct, distinct_pairs, sums
from upper_compass.core.engine.keys import Array, KeyedBy
from upper_compass.core.engine.protocol import PRESENCE, Tally
from upper_compass.core.engine.selection import Selection


def _worth(selection: Selection, rows: Rows, kind: Kind) -> Floats:
    return np.where(selection.kind(rows) == kind, money(selection.shard.hits, rows, selection.shard.lookups), 0.0)


# Sums over visits: weights of visits, None for one each. A column named `x_squared` is the sum of the squares of `x`.
VISIT_COLUMNS: dict[str, Callable[[Selection, Rows], Array | None]] = {
    "visits": lambda selection, visits: None,
    "bounces": lambda selection, visits: selection.shard.visit("bounce")[visits],
    "bounced_engaged": lambda selection, visits: np.where(selection.shard.visit("bounce")[visits], selection.shard.visit("engaged")[visits], 0),
    "visit_views": lambda selection, visits: selection.shard.visit("views")[visits],
    "duration": lambda selection, visits: selection.shard.visit("end")[visits] - selection.shard.visit("start")[visits],
    "engaged": lambda selection, visits: selection.shard.visit("engaged")[visits],
    "new_visitors": lambda selection, visits: selection.shard.visit("number")[visits] == 1,
    # What was paid for a visit. A site has no record of it yet, so nothing was paid that is known.
    "spend": lambda selection, visits: np.zeros(len(visits)),
}
# Sums over hits in the period.
HIT_COLUMNS: dict[str, Callable[[Selection, Rows], Array]] = {
    "views": lambda selection, rows: selection.kind(rows) == Kind.view,
    "times": lambda selection, rows: selection.kind(rows) == Kind.event,
    "page_engaged": lambda selection, rows: np.where(selection.kind(rows) == Kind.engage, selection.shard.hit("engaged_ms")[rows], 0),
    "orders": lambda selection, rows: selection.kind(rows) == Kind.order,
    "revenue": lambda selection, rows: _worth(selection, rows, Kind.order),
    "event_value": lambda selection, rows: _worth(selection, rows, Kind.event),
}
# Of these, the sum over a visit of which all hits lie in the period is known: a column of the visits.
WHOLE_COLUMNS = {"views": "views"}
PEOPLE_COLUMNS = ("visitors", "people", "converters")
GOAL_COLUMNS = ("conversions", "value", "value_squared", "converting_visits", "converters")
# Of these, what is credited by a model.
CREDITED = frozenset(("conversions", "value", "value_squared"))
END_COLUMNS = {"entries": "entry", "exits": "exit"}


@dataclass(frozen=True)
class GroupBy(KeyedBy):
    """How it is broken down, and the additive columns that are wanted."""

    columns: frozenset[str] = frozenset()
    additive: ClassVar[bool] = True

    @property
    def key(self) -> Hashable:
        """See Breakdown."""
        return self.columns, tuple(dimension.name for dimension in self.dimensions), self.edges, self.within

    def wants(self, *names: str) -> bool:
        """Whether one of the columns is wanted."""
        return not self.columns.isdisjoint(names)

    def asked(self, columns: Iterable[str]) -> list[str]:
        """Which of these columns are wanted, themselves or as squares."""
        return [name for name in columns if name in self.columns or f"{name}_squared" in self.columns]

    def tally(self, selection: Selection) -> Tally:
        """A row per key: `key_0` … (codes of labels), `bucket` (i64, place among the edges), and the columns (f64, sums)."""
        labels, found = _by_hit(selection, self) if self.by_hit else _by_visit(selection, self)
        names = [f"key_{i}" for i in range(len(self.dimensions))]
        keys = dict.fromkeys(names, selection.shard.lookups.labels) | ({"bucket": None} if self.edges else {})
        columns = {name: label.astype(np.uint32) for name, label in zip(names, labels, strict=False)}
        if self.edges:
            columns["bucket"] = labels[-1].astype(np.int64)
        summed = [*sorted(self.columns), PRESENCE]
        for name in summed:
            values = found[name] if keys else found[name].sum(keepdims=True)  # in all there is a row, whatever was found
            columns[name] = values.astype(np.int64 if name == PRESENCE else np.float64)
        there = found[PRESENCE] > 0 if len(keys) > 1 else None
        frame = pl.DataFrame([pl.Series(name, values if there is None else values[there]) for name, values in columns.items()])
        return Tally(frame, keys, dict.fromkeys(summed, "sum"))


def _presence(groups: Iterable[Ints], count: int) -> Ints:
    """How many things of all places lie behind each key."""
    present = np.zeros(count, np.int64)
    for place in groups:
        present += np.bincount(place, minlength=count)
    return present


def _weighted(by: GroupBy, name: str, groups: Ints, count: int, weights: Array | None, found: dict[str, Array]) -> None:
    """Add a column, and that of its squares, as wanted; what is there already is added to."""
    columns = {name: weights, f"{name}_squared": None if weights is None else weights.astype(np.float64) ** 2}
    for column, values in columns.items():
        if column in by.columns:
            found[column] = found.get(column, 0.0) + sums(groups, count, values)


def _visit_sums(selection: Selection, by: GroupBy, visits: Rows, groups: Ints, count: int) -> dict[str, Array]:
    found: dict[str, Array] = {}
    for name in by.asked(VISIT_COLUMNS):
        _weighted(by, name, groups, count, VISIT_COLUMNS[name](selection, visits), found)
    return found


def _hit_sums(selection: Selection, by: GroupBy, rows: Rows, groups: Ints, count: int) -> dict[str, Array]:
    found: dict[str, Array] = {}
    for name in by.asked(HIT_COLUMNS):
        _weighted(by, name, groups, count, HIT_COLUMNS[name](selection, rows), found)
    if by.wants("people"):
        did = selection.kind(rows) == Kind.event
        found["people"] = count_distinct(selection.shard.hit("visitor")[rows[did]], groups[did], count)
    return found


def _by_visit(selection: Selection, by: GroupBy) -> tuple[list[Ints], dict[str, Array]]:
    """By dimensions of the visit, or in all. Whole visits are counted as such; hits are looked at only where that does not do."""
    shard = selection.shard
    empty, none = np.empty(0, np.int32), np.empty(0, np.int64)
    by_rows = bool(by.edges) or by.wants("people") or any(name not in WHOLE_COLUMNS for name in by.asked(HIT_COLUMNS))
    of_hits = by.wants("visitors", "people") or bool(by.asked(HIT_COLUMNS))
    of_visits = by.wants("seen", *END_COLUMNS) or bool(by.asked(VISIT_COLUMNS)) or of_hits
    visits = selection.visits if of_visits else _converting(selection) if by.wants("converting_visits") else empty
    rows = (selection.rows if by_rows else selection.boundary_rows) if of_hits else empty
    counted = selection.counted_conversions if by.wants(*GOAL_COLUMNS) else none
    converted = selection.conversions.row[counted]
    visits, visit_parts, _ = by.only_within(selection, visits, by.of_visits(selection, visits))
    rows, row_parts, _ = by.only_within(selection, rows, by.of_rows(selection, rows))
    # Without buckets a conversion has the key of its visit, which is known.
    of_converted = by.of_rows(selection, converted) if by.edges else by.of_visits(selection, selection.conversions.visit[counted])
    converted, converted_parts, kept = by.only_within(selection, converted, of_converted)
    counted = counted[kept]
    space = KeySpace(visit_parts, row_parts, converted_parts)
    visit_groups, row_groups, conversion_groups = space.groups
    n = space.count
    found: dict[str, Array] = {**_visit_sums(selection, by, visits, visit_groups, n), **_hit_sums(selection, by, rows, row_groups, n)}
    # Without a part that alone is wanted, the visits are all that the question is about.
    whole = none if by_rows or not of_hits else selection.whole_places if not by.within else _all_but(visits, selection.boundary_visits)
    if not by_rows:
        for name in by.asked(HIT_COLUMNS):
            _weighted(by, name, visit_groups[whole], n, shard.visit(WHOLE_COLUMNS[name])[visits[whole]], found)
    if by.wants("visitors"):
        if by_rows or by.within:
            found["visitors"] = _visitors(selection, rows, row_groups, visits[whole], visit_groups[whole], n)
        else:
            people, order = selection.people
            groups = visit_groups[whole] if order is None else np.concatenate([visit_groups[whole], row_groups])[order]
            found["visitors"] = count_distinct(people, groups, n)
    for name, end in END_COLUMNS.items():
        if by.wants(name):
            found[name] = sums(visit_groups, n, shard.visit(end)[visits] >= 0)
    if by.wants("seen"):
        found["seen"] = sums(visit_groups, n, shard.visit("views")[visits] > 0)
    if by.wants(*GOAL_COLUMNS):
        values = selection.conversions.value[counted]
        made: dict[str, Callable[[], Floats]] = {
            "conversions": lambda: sums(conversion_groups, n),
            "value": lambda: sums(conversion_groups, n, values),
            "value_squared": lambda: sums(conversion_groups, n, values**2),
            "converters": lambda: count_distinct(shard.hit("visitor")[converted], conversion_groups, n),
            "converting_visits": lambda: sums(visit_groups, n, selection.converted_visits[visits]),
        }
        found |= {name: make() for name, make in made.items() if by.wants(name)}
    found[PRESENCE] = _presence(space.groups, n)
    return space.labels, found


def _all_but(visits: Rows, few: Rows) -> Ints:
    """Places of the visits that are not among a few others; both ascend."""
    kept = np.ones(len(visits), bool)
    if len(visits):
        at = np.minimum(np.searchsorted(visits, few), len(visits) - 1)
        kept[at[visits[at] == few]] = False
    return np.flatnonzero(kept)


def _visitors(selection: Selection, rows: Rows, of_rows: Ints, whole: Rows, of_whole: Ints, n: int) -> Floats:
    """Distinct visitors by group, of hits and of whole visits together."""
    units = selection.shard.hit("visitor")[rows]
    if not len(whole):
        return count_distinct(units, of_rows, n)
    visitors = np.concatenate([selection.shard.visit("visitor")[whole], units])
    groups = np.concatenate([of_whole, of_rows])
    if len(rows):
        order = np.argsort(visitors, kind="stable")
        visitors, groups = visitors[order], groups[order]
    return count_distinct(visitors, groups, n)


def _by_hit(selection: Selection, by: GroupBy) -> tuple[list[Ints], dict[str, Array]]:
    shard = selection.shard
    empty = np.empty(0, np.int32)
    with_goal = by.wants(*GOAL_COLUMNS)
    of_visits = bool(by.asked(VISIT_COLUMNS)) or by.wants("seen")
    of_hits = of_visits or bool(by.asked(HIT_COLUMNS)) or by.wants("people", "visitors")
    places = {
        "rows": selection.rows if of_hits else empty,
        "outside": _rows_outside(selection) if of_visits else empty,
        "entries": _end_rows(selection, "entry") if by.wants("entries") else empty,
        "exits": _end_rows(selection, "exit") if by.wants("exits") else empty,
        "converting": _rows_of_converting(selection) if with_goal else empty,
    }
    parts = {}
    for name, found_there in places.items():
        rows = by.begun_within(selection, found_there)
        keys = by.of_rows(selection, rows)
        present = np.logical_and.reduce([key != 0 for d, key in zip(by.dimensions, keys, strict=False) if d.of == "hit"])
        if not present.all():
            rows, keys = rows[present], [key[present] for key in keys]
        places[name], parts[name], _ = by.only_within(selection, rows, keys)
    space = KeySpace(*parts.values())
    groups, n = dict(zip(parts, space.groups, strict=True)), space.count
    del parts, keys
    found: dict[str, Array] = {**_hit_sums(selection, by, places["rows"], groups["rows"], n)}
    if of_visits or by.wants("visitors"):
        visit, group = distinct_pairs(shard.derived.visit_of[places["rows"]], groups["rows"], n)
        if by.wants("visitors"):
            found["visitors"] = count_distinct(shard.visit("visitor")[visit], group, n)
        if of_visits:
            found |= _visits_having(selection, by, (visit, group), places, groups, n)
    found |= {name: sums(groups[name], n) for name in END_COLUMNS if by.wants(name)}
    if with_goal:
        found |= _goal_by_hit(selection, by, places["converting"], groups["converting"], n)
    found[PRESENCE] = _presence(groups.values(), n)
    return space.labels, found


def _visits_having(selection: Selection, by: GroupBy, pairs: tuple[Array, Array], places: dict[str, Rows], groups: dict[str, Ints], n: int) -> dict[str, Array]:
    """Sums over the visits that started in the period and have such a hit anywhere. `pairs`: visits and values of hits in the period."""
    visit_of = selection.shard.derived.visit_of

    def with_outside(visit: Array, group: Array, outside: Rows, outside_groups: Ints) -> tuple[Array, Array]:
        started = selection.started_in_period[visit]
        visit, group = visit[started], group[started]
        # Only visits that lie across an edge have hits outside; theirs are joined, and what is there twice is dropped.
        over = np.isin(visit, visit_of[outside])
        visits = np.concatenate([visit[over], visit_of[outside]])
        order = np.argsort(visits, kind="stable")
        joined, joined_groups = distinct_pairs(visits[order], np.concatenate([group[over], outside_groups])[order], n)
        return np.concatenate([visit[~over], joined]), np.concatenate([group[~over], joined_groups])

    paired, pair_groups = with_outside(*pairs, places["outside"], groups["outside"])
    found = _visit_sums(selection, by, paired.astype(np.int32), pair_groups, n)
    if by.wants("seen"):
        view, view_outside = (selection.kind(places[name]) == Kind.view for name in ("rows", "outside"))
        seen = distinct_pairs(visit_of[places["rows"]][view], groups["rows"][view], n)
        found["seen"] = sums(with_outside(*seen, places["outside"][view_outside], groups["outside"][view_outside])[1], n)
    return found


def _rows_outside(selection: Selection) -> Rows:
    """Rows that lie outside the period, of visits that started in it."""
    rows = selection.shard.rows_of_visits(selection.boundary_visits[selection.started_in_period[selection.boundary_visits]])
    return rows[selection.shard.hit("at")[rows] >= selection.ask.stop]


def _converting(selection: Selection) -> Rows:
    """Visits that started in the period and hold a conversion, whenever."""
    visits = selection.conversions.visit  # ascending, as the hits are
    visits = visits[np.diff(visits, prepend=np.int32(-1)) != 0]
    return visits[selection.started_in_period[visits]]


def _end_rows(selection: Selection, end: str) -> Rows:
    rows: Rows = selection.shard.visit(end)[selection.visits]
    return rows[rows >= 0]


def _rows_of_converting(selection: Selection) -> Rows:
    """All rows of visits that hold a conversion and matter: those that started in the period, or whose conversion lies in it."""
    mattering = selection.converted_visits & selection.started_in_period
    mattering[selection.conversions.visit[selection.counted_conversions]] = True
    return selection.shard.rows_of_visits(np.flatnonzero(mattering).astype(np.int32))


def _goal_by_hit(selection: Selection, by: GroupBy, rows: Rows, groups: Ints, n: int) -> dict[str, Array]:
    """Conversions count under a value from the visit's first hit with it on.

    For each visit and value the conversions behind that first hit are a stretch of the visit's conversions, so two look-ups count them; a
    visit with very many of both costs no more than their sum.
    """
    shard, all_rows = selection.shard, selection.conversions.row
    visit = shard.derived.visit_of[rows].astype(np.int64)
    _, at = np.unique(visit * n + groups, return_index=True)
    first, visit, group = rows[at], visit[at], groups[at]
    last = shard.visit("last_row")[visit]

    def stretch(of: Rows) -> tuple[Ints, Ints]:
        return np.searchsorted(of, first, side="left"), np.searchsorted(of, last, side="right")

    def amounts(power: int) -> Floats:
        running = np.concatenate([[0.0], np.cumsum(selection.conversions.value[selection.counted_conversions] ** power)])
        return sums(group, n, running[high] - running[low])

    def converting() -> Floats:
        low_any, high_any = stretch(all_rows)
        return sums(group, n, (high_any > low_any) & selection.started_in_period[visit])

    low, high = stretch(all_rows[selection.counted_conversions])
    reached = high > low
    made: dict[str, Callable[[], Floats]] = {
        "conversions": lambda: sums(group, n, high - low),
        "value": lambda: amounts(1),
        "value_squared": lambda: amounts(2),
        "converting_visits": converting,
        "converters": lambda: count_distinct(shard.visit("visitor")[visit[reached]], group[reached], n),
    }
    return {name: make() for name, make in made.items() if by.wants(name)}
