"""What a definition would have done, while it is being written."""

from __future__ import annotations

from collections import Counter
from collections.abc import Sequence

import numpy as np
from pydantic import BaseModel

from upper_compass.core.dataset.shard import Shard
from upper_compass.core.engine.selection import Cut, Question
from upper_compass.core.reports.event_list import Counted

MOST_PAGES = 5


class GoalPreview(BaseModel):
    """What a goal would have counted in a period, in how many visits, what it would have been worth, and on which pages."""

    conversions: int
    visits: int
    value: float
    pages: list[Counted]
    more_pages: int


def preview_goal(shards: Sequence[Shard], ask: Question) -> GoalPreview:
    """The conversions of the question's goal in its period, robots and own traffic left out."""
    conversions = visits = 0
    value = 0.0
    pages: Counter[str] = Counter()
    for shard in shards:
        cut = Cut(shard, ask)
        counted = cut.counted
        conversions += len(counted)
        visits += len(np.unique(cut.conversions.visit[counted]))
        value += float(cut.conversions.value[counted].sum())
        on, times = np.unique(shard.lexicon["page"][shard.hit("url")[cut.conversions.row[counted]]], return_counts=True)
        pages.update(dict(zip(shard.lexicon.words.decode(on), times.tolist(), strict=True)))
    commonest = sorted(pages.items(), key=lambda item: (-item[1], item[0]))[:MOST_PAGES]
    listed = [Counted(value=page, times=times) for page, times in commonest]
    return GoalPreview(conversions=conversions, visits=visits, value=value, pages=listed, more_pages=len(pages) - len(listed))
