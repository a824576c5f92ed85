"""What Tag health looks at, and how much is enough to speak of."""

from __future__ import annotations

from collections import Counter
from collections.abc import Callable, Sequence
from dataclasses import dataclass
from functools import cached_property

import polars as pl

from upper_compass.core.definitions.goals import Goal
from upper_compass.core.definitions.site_rules import SiteRules
from upper_compass.core.engine.context import ReportContext
from upper_compass.core.engine.dimensions import DIMENSIONS
from upper_compass.core.engine.protocol import Counting, Tally
from upper_compass.core.engine.selection import ReportFilter
from upper_compass.core.engine.tally import GroupBy
from upper_compass.core.tag_health.findings import FindingFigure

DAYS, HISTORY = 30, 42
MIN_VISITS = 3
MAX_EXAMPLES = 4


@dataclass(frozen=True)
class Inspection:
    """What is looked at: the site's hits, midnights (ms) of the last HISTORY complete days and of today, the end, and the goals by name."""

    context: ReportContext
    rules: SiteRules
    midnights: Sequence[int]
    until: int
    goals: Sequence[tuple[str, Goal]]

    @property
    def lately(self) -> ReportFilter:
        """The last 30 days and today. The end moves, so that nothing of it is kept."""
        return ReportFilter(self.midnights[-DAYS - 1], self.until, keep=False)

    @property
    def history(self) -> ReportFilter:
        """The last HISTORY days and today."""
        return ReportFilter(self.midnights[0], self.until, keep=False)

    def counted(self, make: Callable[..., Tally], *given: object, additive: bool = True) -> pl.DataFrame:
        """What was counted lately, texts as keys."""
        return self.context.tally(self.lately, Counting(make, given, additive))[0].as_texts().frame

    @cached_property
    def traffic_sources(self) -> Counter[tuple[str, ...]]:
        """Visits by (source, medium, campaign, channel, raw source)."""
        names = ("source", "medium", "campaign", "channel", "raw_source")
        by = GroupBy(tuple(DIMENSIONS[name] for name in names), columns=frozenset({"visits"}))
        found = self.context.tally(self.lately, by)[0].as_texts().frame
        return Counter({tuple(key): int(visits) for *key, visits in found.select(*(f"key_{i}" for i in range(len(names))), "visits").iter_rows()})


def visits_with(**values: str) -> FindingFigure:
    """The visits lately with these values by dimension."""
    return FindingFigure(measure="visits", values=values, days=DAYS)


def in_visits(count: int) -> str:
    """`1 visit`, `1,204 visits`."""
    return "1 visit" if count == 1 else f"{count:,} visits"
