"""The conversions that a goal counts (rules, chapter 5)."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
import polars as pl

from upper_compass.core.dataset.coded_hits import Bools, Floats, Ints
from upper_compass.core.dataset.lookups import DimensionLookups
from upper_compass.core.dataset.site_fields import field_of_hits, field_of_visits
from upper_compass.core.dataset.visits import NO_VISIT, DerivedVisits, Rows
from upper_compass.core.definitions.goals import EventMatch, FieldTest, FixedValue, Goal, NoValue, OrderMatch, PageMatch
from upper_compass.core.definitions.hits import Kind
from upper_compass.core.definitions.text_tests import text_test


@dataclass(frozen=True)
class Conversions:
    """Counted matches in the order of the hits: `row` of the hit, `visit`, `at` in ms, `value` in the site's currency."""

    row: Rows
    visit: Rows
    at: Ints
    value: Floats


def conversions(goal: Goal, hits: pl.DataFrame, derived: DerivedVisits, lookups: DimensionLookups) -> Conversions:
    """All conversions of a shard, over all of its history."""
    rows = np.flatnonzero(_matches(goal, hits, derived, lookups) & (derived.visit_of != NO_VISIT)).astype(np.int32)
    for test in goal.where:
        rows = rows[_field_holds(test, hits, derived, rows, lookups)]
    visit = derived.visit_of[rows]
    if goal.counts == "once a visit" and len(rows):
        first = np.diff(visit, prepend=np.int32(-1)) != 0
        rows, visit = rows[first], visit[first]
    return Conversions(rows, visit, hits["at"].to_numpy()[rows], _values(goal, hits, derived, rows, lookups))


def _matches(goal: Goal, hits: pl.DataFrame, derived: DerivedVisits, lookups: DimensionLookups) -> Bools:
    match goal.match:
        case PageMatch(test=test, pattern=pattern):
            wanted = text_test(lookups.labels.texts, test, pattern).to_numpy()
            on_page: Bools = wanted[lookups["page"]][hits["url"].to_numpy()]
            return (derived.kind == Kind.view) & on_page
        case EventMatch(name=name, props=props):
            meant = lookups.events_called(name)
            if not len(meant):
                return np.zeros(len(hits), bool)
            named: Bools = (derived.kind == Kind.event) & np.isin(hits["name"].to_numpy(), meant)
            return named & lookups.properties.passing(props)[hits["props"].to_numpy()] if props else named
        case OrderMatch():
            return derived.kind == Kind.order


def _field_holds(test: FieldTest, hits: pl.DataFrame, derived: DerivedVisits, rows: Rows, lookups: DimensionLookups) -> Bools:
    """Which rows pass a condition on a field; a field that the site no longer has has no value anywhere."""
    field = next((one for one in lookups.rules.fields if one.key == test.field), None)
    if field is None:
        codes = np.zeros(len(rows), np.uint32)
    elif field.of == "hit":
        codes = field_of_hits(field, hits, lookups, rows)
    else:
        codes = field_of_visits(field, hits, derived, lookups)[derived.visit_of[rows]]
    distinct, places = np.unique(codes, return_inverse=True)
    passing: Bools = text_test(lookups.labels.decode(distinct), test.test, test.value).to_numpy()
    return passing[places]


def _values(goal: Goal, hits: pl.DataFrame, derived: DerivedVisits, rows: Rows, lookups: DimensionLookups) -> Floats:
    if isinstance(goal.value, FixedValue):
        return np.full(len(rows), goal.value.amount)
    if isinstance(goal.value, NoValue):
        return np.zeros(len(rows))
    amounts = money(hits, rows, lookups)
    return amounts if goal.value.kind == "hit" else np.where(derived.kind[rows] == Kind.order, amounts, 0.0)


def money(hits: pl.DataFrame, rows: Rows, lookups: DimensionLookups) -> Floats:
    """Amounts of hits in the site's currency; a missing amount and a currency without a rate are 0."""
    rates = lookups["rate"][hits["currency"].to_numpy()[rows]]
    amounts: Floats = np.nan_to_num(hits["value"].to_numpy()[rows] * rates, nan=0.0)
    return amounts
