"""The conversions that a goal counts (rules, chapter 5), or the sales of a product (chapter 11)."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
import polars as pl

from upper_compass.core.dataset.coded_hits import Floats, Ints
from upper_compass.core.dataset.hit_matching import matching
from upper_compass.core.dataset.lookups import DimensionLookups
from upper_compass.core.dataset.money import exchanged, money
from upper_compass.core.dataset.visits import DerivedVisits, Rows
from upper_compass.core.definitions.goals import Counted, FixedValue, Goal, NoValue, ProductSales
from upper_compass.core.definitions.hit_match import HitMatch
from upper_compass.core.definitions.hits import Kind

ANY_ORDER = HitMatch(kind="order")


@dataclass(frozen=True)
class Conversions:
    """Counted matches in the order of the hits: `row` of the hit, `visit`, `at` in ms, `value` in the site's currency."""

    row: Rows
    visit: Rows
    at: Ints
    value: Floats

    @staticmethod
    def none() -> Conversions:
        """Those without a goal."""
        return Conversions(np.empty(0, np.int32), np.empty(0, np.int32), np.empty(0, np.int64), np.empty(0))


def conversions(of: Counted, hits: pl.DataFrame, derived: DerivedVisits, lookups: DimensionLookups) -> Conversions:
    """All conversions of a shard, over all of its history."""
    rows, value = _sales(of.product, hits, derived, lookups) if isinstance(of, ProductSales) else _matches(of, hits, derived, lookups)
    return Conversions(rows, derived.visit_of[rows], hits["at"].to_numpy()[rows], value)


def _sales(product: str, hits: pl.DataFrame, derived: DerivedVisits, lookups: DimensionLookups) -> tuple[Rows, Floats]:
    orders = matching(ANY_ORDER, hits, derived, lookups)
    held, amounts = lookups.order_items.holding(product)
    lists = hits["items"].to_numpy()[orders]
    rows, lists = orders[held[lists]], lists[held[lists]]
    return rows, exchanged(amounts[lists], hits, rows, lookups)


def _matches(goal: Goal, hits: pl.DataFrame, derived: DerivedVisits, lookups: DimensionLookups) -> tuple[Rows, Floats]:
    rows = matching(goal.match, hits, derived, lookups)
    if goal.counts == "once a visit" and len(rows):
        rows = rows[np.diff(derived.visit_of[rows], prepend=np.int32(-1)) != 0]
    return rows, _values(goal, hits, derived, rows, lookups)


def _values(goal: Goal, hits: pl.DataFrame, derived: DerivedVisits, rows: Rows, lookups: DimensionLookups) -> Floats:
    if isinstance(goal.value, FixedValue):
        return np.full(len(rows), goal.value.amount)
    if isinstance(goal.value, NoValue):
        return np.zeros(len(rows))
    amounts = money(hits, rows, lookups)
    return amounts if goal.value.kind == "hit" else np.where(derived.kind[rows] == Kind.order, amounts, 0.0)
