"""What reports are read from, and what they are asked about."""

from __future__ import annotations

from collections.abc import Sequence
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass
from zoneinfo import ZoneInfo

import polars as pl

from upper_compass.core.dataset.shard import Shard
from upper_compass.core.definitions.goals import Goal
from upper_compass.core.definitions.periods import Period
from upper_compass.core.definitions.requests import DimensionFilter
from upper_compass.core.engine.dimensions import Dimension, dimension_of
from upper_compass.core.engine.selection import GroupBy, ReportFilter, ResolvedFilter, Selection
from upper_compass.core.engine.tally import merge, tally

# Tallies need nothing of each other, and arithmetic on columns leaves other threads room.
_pool = ThreadPoolExecutor(2, thread_name_prefix="tally")


@dataclass(frozen=True)
class ReportContext:
    """What a report is read from: shards whose visitors are disjoint, and the site's time zone."""

    shards: Sequence[Shard]
    zone: ZoneInfo

    def dimension(self, name: str, asked_in: str) -> Dimension:
        """A dimension that the site can be read by. Raises UnknownNameError for the field that it is `asked_in`."""
        return dimension_of(name, self.shards[0].lookups.rules, asked_in)

    def tally(self, ask: ReportFilter, *bys: GroupBy) -> list[pl.DataFrame]:
        """The merged tally of each breakdown: key columns, and a column per additive column wanted."""
        cuts = [Selection(shard, ask) for shard in self.shards]
        tallied = list(_pool.map(tally, *zip(*((cut, by) for by in bys for cut in cuts), strict=True)))
        return [merge(tallied[i * len(cuts) : (i + 1) * len(cuts)], by.keys) for i, by in enumerate(bys)]


def question(reading: ReportContext, period: Period, goal: Goal | None, filters: Sequence[DimensionFilter], *, with_excluded: bool) -> ReportFilter:
    """What is asked about, in the site's time."""
    start, stop = period.bounds(reading.zone)
    narrow = tuple(ResolvedFilter(reading.dimension(n.dimension, "filters"), tuple(n.values), n.without) for n in filters)
    return ReportFilter(start, stop, goal, narrow, with_excluded)
