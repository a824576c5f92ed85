"""What a definition would have done, while it is being written."""

from __future__ import annotations

from collections import Counter
from collections.abc import Sequence

import numpy as np
from pydantic import BaseModel

from upper_compass.core.dataset.shard import Shard
from upper_compass.core.engine.selection import ReportFilter, Selection
from upper_compass.core.reports.event_list import ValueCount

MAX_PAGES = 5


class GoalPreview(BaseModel):
    """What a goal would have counted in a period, in how many visits, what it would have been worth, and on which pages."""

    conversions: int
    visits: int
    value: float
    pages: list[ValueCount]
    more_pages: int


def preview_goal(shards: Sequence[Shard], ask: ReportFilter) -> GoalPreview:
    """The conversions of the question's goal in its period, robots and own traffic left out."""
    conversions = visits = 0
    value = 0.0
    pages: Counter[str] = Counter()
    for shard in shards:
        cut = Selection(shard, ask)
        counted = cut.counted_conversions
        conversions += len(counted)
        visits += len(np.unique(cut.conversions.visit[counted]))
        value += float(cut.conversions.value[counted].sum())
        on, times = np.unique(shard.lookups["page"][shard.hit("url")[cut.conversions.row[counted]]], return_counts=True)
        pages.update(dict(zip(shard.lookups.labels.decode(on), times.tolist(), strict=True)))
    commonest = sorted(pages.items(), key=lambda item: (-item[1], item[0]))[:MAX_PAGES]
    listed = [ValueCount(value=page, times=times) for page, times in commonest]
    return GoalPreview(conversions=conversions, visits=visits, value=value, pages=listed, more_pages=len(pages) - len(listed))
