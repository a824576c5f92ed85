"""What Tag health looks at, and how much is enough to speak of."""

from __future__ import annotations

from collections import Counter
from collections.abc import Sequence
from dataclasses import dataclass
from functools import cached_property

import numpy as np

from upper_compass.core.dataset.shard import Shard
from upper_compass.core.definitions.goals import Goal
from upper_compass.core.definitions.site_rules import SiteRules
from upper_compass.core.engine.selection import ReportFilter, Selection

DAYS, HISTORY = 30, 42
MIN_VISITS = 3
MAX_EXAMPLES = 4


@dataclass(frozen=True)
class Inspection:
    """What is looked at: shards, midnights (ms) of the last HISTORY complete days and of today, the end, and the goals by name."""

    shards: Sequence[Shard]
    rules: SiteRules
    midnights: Sequence[int]
    until: int
    goals: Sequence[tuple[str, Goal]]

    @cached_property
    def cuts(self) -> list[Selection]:
        """The last 30 days and today, of each shard."""
        return [Selection(shard, ReportFilter(self.midnights[-DAYS - 1], self.until)) for shard in self.shards]

    @cached_property
    def traffic_sources(self) -> Counter[tuple[str, ...]]:
        """Visits by (source, medium, campaign, channel, raw source)."""
        found: Counter[tuple[str, ...]] = Counter()
        for cut in self.cuts:
            codes, counts = np.unique(cut.shard.visit("traffic_source")[cut.visits], return_counts=True)
            lookups = cut.shard.lookups
            columns = [lookups.labels.decode(lookups[name][codes]) for name in ("source", "medium", "campaign", "channel", "raw_source")]
            for *key, count in zip(*columns, counts.tolist(), strict=True):
                found[tuple(key)] += count
        return found


def in_visits(count: int) -> str:
    """`1 visit`, `1,204 visits`."""
    return "1 visit" if count == 1 else f"{count:,} visits"
