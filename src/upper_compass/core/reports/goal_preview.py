"""What a definition would have done, while it is being written."""

from __future__ import annotations

import numpy as np
import polars as pl
from pydantic import BaseModel

from upper_compass.core.engine.context import ReportContext
from upper_compass.core.engine.protocol import Counting, Tally, tallied
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


def preview_goal(reading: ReportContext, ask: ReportFilter) -> GoalPreview:
    """The conversions of the question's goal in its period, robots and own traffic left out."""
    whole, by_page = reading.tally(ask, Counting(_counted), Counting(_by_page))
    conversions, visits, value = whole.frame.select("conversions", "visits", "value").row(0)
    pages = by_page.as_texts().frame.sort("conversions", "page", descending=[True, False])
    commonest = [ValueCount(value=page, times=times) for page, times in pages.head(MAX_PAGES).select("page", "conversions").iter_rows()]
    return GoalPreview(conversions=conversions, visits=visits, value=value or 0.0, pages=commonest, more_pages=len(pages) - len(commonest))


def _counted(cut: Selection) -> Tally:
    """Conversions, visits that hold them, and value, in all."""
    counted = cut.counted_conversions
    visits = len(np.unique(cut.conversions.visit[counted]))
    return tallied(
        pl.DataFrame({"conversions": [len(counted)], "visits": [visits], "value": [float(cut.conversions.value[counted].sum())]}),
        {}, sums=("conversions", "visits", "value"),
    )  # fmt: skip


def _by_page(cut: Selection) -> Tally:
    """Conversions by page."""
    lookups = cut.shard.lookups
    pages = lookups["page"][cut.shard.hit("url")[cut.conversions.row[cut.counted_conversions]]]
    return tallied(pl.DataFrame({"page": pages}, schema={"page": pl.UInt32}), {"page": lookups.labels}, count="conversions")
