"""Segments compiled to masks over the visits of a shard (rules, chapter 7)."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np

from upper_compass.core.dataset.coded_hits import Bools, Codes, Floats, Ints
from upper_compass.core.dataset.hit_matching import matching
from upper_compass.core.dataset.shard import Shard, ascending_once, ranges
from upper_compass.core.dataset.visits import Rows
from upper_compass.core.definitions.goals import Goal
from upper_compass.core.definitions.hit_match import NUMBER_TESTS
from upper_compass.core.definitions.hits import Kind
from upper_compass.core.definitions.segments import (
    Condition,
    DidCondition,
    DimensionCondition,
    Group,
    NumberCondition,
    OrderCondition,
    SavedCondition,
    Segment,
    SegmentCondition,
    UnfitSegmentError,
    WayCondition,
)
from upper_compass.core.engine.dimensions import dimension_of
from upper_compass.core.engine.sequences import ways
from upper_compass.core.engine.walks import way_mask

# Of the field of the request in which a segment stands.
ASKED_IN = "segment"


@dataclass(frozen=True)
class Scope:
    """What a segment judges: `count` units, visits or people, each with its visits and the rows of its hits.

    `visits`: ascending; `rows`: ascending; `unit_of`: the unit of each visit of the shard (i32), -1 of those that are not looked at; `within`: the mask
    of another segment over the visits of the shard, asked of the same.
    """

    shard: Shard
    count: int
    visits: Rows
    rows: Rows
    unit_of: Rows
    goal: Goal | None
    within: Callable[[Segment], Bools]

    def any_of(self, visits: Rows, fitting: Bools) -> Bools:
        """Which units have one of these visits for which it held."""
        found = np.zeros(self.count, bool)
        found[self.unit_of[visits[fitting]]] = True
        return found

    def units(self, rows: Rows) -> Rows:
        """The unit of each row."""
        units: Rows = self.unit_of[self.shard.derived.visit_of[rows]]
        return units


def segment_mask(shard: Shard, segment: Segment, start: int, stop: int, goal: Goal | None, *, with_excluded: bool) -> Bools:
    """Which visits of the shard (all, by index) are in the segment, of those with a hit with start ≤ at < stop (ms; rules, chapter 7). It is kept.

    `goal`: whose value a visit has. Of the people, all visits are in. Raises UnknownNameError for a dimension that there is not.
    """
    key = (segment.model_dump_json(), start, stop, goal.model_dump_json() if goal else "", with_excluded)
    return shard.kept(key, lambda: _mask(shard, segment, start, stop, goal, with_excluded=with_excluded))


def _mask(shard: Shard, segment: Segment, start: int, stop: int, goal: Goal | None, *, with_excluded: bool) -> Bools:
    starts, until = shard.visit("start"), shard.visit("until")
    looked_at = (starts < stop) & (until >= start)
    if not with_excluded:
        looked_at &= ~shard.visit("excluded")
    mask = np.zeros(len(looked_at), bool)
    unit_of = np.full(len(looked_at), -1, np.int32)
    visits = np.flatnonzero(looked_at).astype(np.int32)

    def within(other: Segment) -> Bools:
        return segment_mask(shard, other, start, stop, goal, with_excluded=with_excluded)

    if segment.of == "visits":
        unit_of[visits] = np.arange(len(visits), dtype=np.int32)
        scope = Scope(shard, len(visits), visits, shard.rows_of_visits(visits), unit_of, goal, within)
        mask[visits] = _holds(segment.where, scope)
        return mask
    rows = shard.rows_of_visits(visits)
    at = shard.hit("at")[rows]
    rows = rows[(at >= start) & (at < stop)]
    visitors = ascending_once(shard.hit("visitor")[rows])
    unit_of[visits] = np.searchsorted(visitors, shard.visit("visitor")[visits])
    scope = Scope(shard, len(visitors), visits[starts[visits] >= start], rows, unit_of, goal, within)
    mask[ranges(shard.visit("visitor"), visitors[_holds(segment.where, scope)])] = True
    return mask


def _holds(condition: Condition, scope: Scope) -> Bools:
    """Whether a condition holds for each unit."""
    match condition:
        case Group():
            return _group_holds(condition, scope)
        case DimensionCondition():
            return scope.any_of(scope.visits, _dimension_holds(condition, scope))
        case NumberCondition(of=of, test=test, than=than):
            return scope.any_of(scope.visits, NUMBER_TESTS[test](_number(of, scope), than))
        case DidCondition(match=match, test=test, times=times):
            rows = matching(match, scope.shard.hits, scope.shard.derived, scope.shard.lookups, scope.rows)
            counted = np.bincount(scope.units(rows), minlength=scope.count)
            return {"at least": counted >= times, "at most": counted <= times, "exactly": counted == times}[test]
        case OrderCondition() | WayCondition():
            return _in_order(condition, scope) if isinstance(condition, OrderCondition) else _went(condition, scope)
        case SegmentCondition(segment=segment):
            # Of people, all visits are in, whenever they began.
            visits = scope.visits if segment.of == "visits" else np.flatnonzero(scope.unit_of >= 0).astype(np.int32)
            return scope.any_of(visits, scope.within(segment)[visits])
        case SavedCondition():
            raise UnfitSegmentError("the site has no such segment")


def _group_holds(group: Group, scope: Scope) -> Bools:
    if group.of == "one hit":
        return _one_hit_holds(group, scope)
    fitting = [_holds(one, scope) for one in group.conditions]
    if group.of == "all":
        return np.logical_and.reduce(fitting) if fitting else np.ones(scope.count, bool)
    some = np.logical_or.reduce(fitting) if fitting else np.zeros(scope.count, bool)
    return some if group.of == "any" else ~some


def _one_hit_holds(group: Group, scope: Scope) -> Bools:
    """Whether all conditions hold for one of the hits of the unit's visits; a dimension of the visit is the same for each of them."""
    conditions = [one for one in group.conditions if isinstance(one, DimensionCondition)]
    if not conditions:
        return np.ones(scope.count, bool)
    shard = scope.shard
    rows = shard.rows_of_visits(scope.visits)
    fitting = np.ones(len(rows), bool)
    for one in conditions:
        dimension = dimension_of(one.dimension, shard.lookups.rules, ASKED_IN)
        if dimension.of == "hit":
            fitting &= _codes_hold(one, shard, dimension.read(shard, rows))
        else:
            having = np.zeros(len(scope.unit_of), bool)
            having[scope.visits] = _codes_hold(one, shard, dimension.read(shard, scope.visits))
            fitting &= having[shard.derived.visit_of[rows]]
    found = np.zeros(scope.count, bool)
    found[scope.units(rows[fitting])] = True
    return found


def _dimension_holds(condition: DimensionCondition, scope: Scope) -> Bools:
    """Whether a condition on a dimension holds for each of the scope's visits; of a dimension of the hit, whether it does for one of the visit's hits."""
    shard = scope.shard
    dimension = dimension_of(condition.dimension, shard.lookups.rules, ASKED_IN)
    if dimension.of == "visit":
        return _codes_hold(condition, shard, dimension.read(shard, scope.visits))
    denied = condition.test in ("is not", "is empty")
    plain = condition.model_copy(update={"test": "is"}) if condition.test == "is not" else condition
    rows = shard.rows_of_visits(scope.visits)
    codes = dimension.read(shard, rows)
    fitting = codes > 0 if condition.test == "is empty" else _codes_hold(plain, shard, codes)
    having = np.zeros(len(scope.unit_of), bool)
    having[shard.derived.visit_of[rows[fitting]]] = True
    return having[scope.visits] != denied


def _codes_hold(condition: DimensionCondition, shard: Shard, codes: Codes) -> Bools:
    labels = shard.lookups.labels
    match condition.test:
        case "is empty":
            return codes == 0
        case "is" | "is not" | "one of":
            # Looked up only now: reading a dimension may be what makes its values known.
            wanted = [code for code in (labels.find(value) for value in condition.values) if code is not None]
            return np.isin(codes, wanted) != (condition.test == "is not")
        case test:
            return labels.passing(codes, test, condition.values[0])


def _number(of: str, scope: Scope) -> Ints | Floats:
    shard, visits = scope.shard, scope.visits
    match of:
        case "duration":
            seconds: Floats = (shard.visit("end")[visits] - shard.visit("start")[visits]) / 1000
            return seconds
        case "engaged":
            engaged: Floats = shard.visit("engaged")[visits] / 1000
            return engaged
        case "value":
            counted = shard.conversions(scope.goal)
            return np.bincount(counted.visit, counted.value, minlength=len(scope.unit_of))[visits] if len(visits) else np.empty(0)
    column: Ints = shard.visit(of)[visits]
    return column


def _went(condition: WayCondition, scope: Scope) -> Bools:
    return scope.any_of(scope.visits, way_mask(scope.shard, scope.visits, condition, ASKED_IN))


def _in_order(condition: OrderCondition, scope: Scope) -> Bools:
    """From each hit of the first step the earliest of each following step is looked up; some such way must be short enough. *Directly next* as in a funnel."""
    shard = scope.shard
    steps = [matching(step, shard.hits, shard.derived, shard.lookups, scope.rows) for step in condition.steps]
    window = None if condition.within_minutes is None else int(condition.within_minutes * 60_000)
    found = np.zeros(scope.count, bool)
    if condition.directly_next:
        views = scope.rows[shard.derived.kind[scope.rows] == Kind.view]
        came = ways(steps, [scope.units(rows) for rows in steps], shard.hit("at"), window, views)
        found[came.units[came.depth == len(steps)]] = True
        return found
    first = here = steps[0]
    for rows in steps[1:]:
        place = np.searchsorted(rows, here, side="right")
        there = place < len(rows)
        first, here = first[there], rows[place[there]]
        together = scope.units(first) == scope.units(here)
        first, here = first[together], here[together]
    if window is not None:
        at = shard.hit("at")
        first = first[at[here] - at[first] <= window]
    found[scope.units(first)] = True
    return found
