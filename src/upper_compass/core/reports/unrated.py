"""Amounts that count nothing, for their currency has no rate."""

from __future__ import annotations

from collections.abc import Hashable
from dataclasses import dataclass, replace
from typing import ClassVar

import numpy as np
import polars as pl

from upper_compass.core.definitions.goals import Counted, HitValue, ProductSales
from upper_compass.core.definitions.hits import Kind
from upper_compass.core.engine.context import ReportContext
from upper_compass.core.engine.protocol import Tally
from upper_compass.core.engine.selection import Selection
from upper_compass.core.reports.columns import Asked


@dataclass(frozen=True)
class UnratedAmounts:
    """How many amounts that would count in the period have a currency without a rate: of hits of the kinds, of conversions of the goals."""

    kinds: tuple[Kind, ...]
    goals: tuple[Counted, ...]
    additive: ClassVar[bool] = True

    @property
    def key(self) -> Hashable:
        """See Breakdown."""
        return self.kinds, tuple(goal.model_dump_json() for goal in self.goals)

    def tally(self, selection: Selection) -> Tally:
        """One row: `amounts` (i64, sum)."""
        shard = selection.shard
        missing = np.isnan(shard.lookups["rate"])
        rows = [np.empty(0, np.int32)]
        if missing.any() and self.kinds:
            rows.append(selection.rows[np.isin(selection.kind(selection.rows), self.kinds)])
        for goal in self.goals if missing.any() else ():
            of_goal = Selection(shard, replace(selection.ask, goal=goal))
            counted = of_goal.conversions.row[of_goal.counted_conversions]
            every = isinstance(goal, ProductSales) or goal.value.kind == "hit"
            rows.append(counted if every else counted[selection.kind(counted) == Kind.order])
        amounts = np.unique(np.concatenate(rows))
        found = missing[shard.hit("currency")[amounts]] & ~np.isnan(shard.hit("value")[amounts])
        return Tally(pl.DataFrame({"amounts": [int(found.sum())]}), {}, {"amounts": "sum"})


# Columns that are sums of what hits of a kind are worth.
_SUMMED = {"revenue": Kind.order, "event_value": Kind.event}


def unrated(context: ReportContext, asked: Asked) -> int:
    """How many of the amounts that the columns count have a currency without a rate."""
    kinds = tuple(kind for column, kind in _SUMMED.items() if any(column in wanted for wanted in asked.wanted))
    if not kinds and not any("value" in wanted for wanted in asked.wanted):
        return 0
    if not context.may_lack_rates:
        return 0
    valued = [ask.goal for ask, wanted in zip(asked.questions, asked.wanted, strict=True) if "value" in wanted]
    goals = tuple(goal for goal in valued if isinstance(goal, ProductSales) or (goal and isinstance(goal.value, HitValue)))
    tally = context.tally(asked.whole, UnratedAmounts(kinds, goals))[0]
    return int(tally.frame["amounts"][0])
