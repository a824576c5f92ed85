"""What a definition would have done, while it is being written."""

from __future__ import annotations

from difflib import get_close_matches

import numpy as np
import polars as pl
from pydantic import BaseModel

from upper_compass.core.definitions.goals import Goal
from upper_compass.core.definitions.hit_match import PageTest
from upper_compass.core.engine.context import ReportContext
from upper_compass.core.engine.dimensions import DIMENSIONS
from upper_compass.core.engine.protocol import Counting, Tally, tallied
from upper_compass.core.engine.selection import ReportFilter, Selection
from upper_compass.core.engine.tally import GroupBy
from upper_compass.core.reports.event_list import ValueCount

MAX_PAGES = 5
# Comparing two texts takes the product of their lengths, so the most frequent ones of a bounded length are compared.
COMPARED, LONGEST_COMPARED, NEAR = 500, 100, 0.7


class GoalPreview(BaseModel):
    """What a goal would have counted in a period, in how many visits, what it would have been worth, and on which pages.

    `near`: where it would have counted nothing, a page that was seen and is called nearly as the one that the goal asks for.
    """

    conversions: int
    visits: int
    value: float
    pages: list[ValueCount]
    more_pages: int
    near: str | None = None


def preview_goal(context: ReportContext, ask: ReportFilter) -> GoalPreview:
    """The conversions of the question's goal in its period, robots and own traffic left out."""
    whole, by_page = context.tally(ask, Counting(_counted), Counting(_by_page))
    conversions, visits, value = whole.frame.select("conversions", "visits", "value").row(0)
    pages = by_page.as_texts().frame.sort("conversions", "page", descending=[True, False])
    commonest = [ValueCount(value=page, times=times) for page, times in pages.head(MAX_PAGES).select("page", "conversions").iter_rows()]
    near = _near(context, ask, ask.goal.match.page) if isinstance(ask.goal, Goal) and not conversions else None
    return GoalPreview(conversions=conversions, visits=visits, value=value or 0.0, pages=commonest, more_pages=len(pages) - len(commonest), near=near)


def _near(context: ReportContext, ask: ReportFilter, asked: PageTest | None) -> str | None:
    """The page, of those seen most, that is called nearly as one that nobody saw."""
    if asked is None or asked.test not in ("is", "starts with") or len(asked.value) > LONGEST_COMPARED:
        return None
    by_page = GroupBy((DIMENSIONS["page"],), columns=frozenset({"views"}))
    seen = context.tally(ReportFilter(ask.start, ask.stop), by_page)[0].as_texts().frame.filter(pl.col("key_0").str.len_chars() <= LONGEST_COMPARED)
    pages = seen.filter(pl.col("views") > 0).sort("views", "key_0", descending=[True, False]).head(COMPARED)["key_0"].to_list()
    return next(iter(get_close_matches(asked.value, pages, 1, NEAR)), None)


def _counted(selection: Selection) -> Tally:
    """Conversions, visits that hold them, and value, in all."""
    counted = selection.counted_conversions
    visits = len(np.unique(selection.conversions.visit[counted]))
    return tallied(
        pl.DataFrame({"conversions": [len(counted)], "visits": [visits], "value": [float(selection.conversions.value[counted].sum())]}),
        {}, sums=("conversions", "visits", "value"),
    )  # fmt: skip


def _by_page(selection: Selection) -> Tally:
    """Conversions by page."""
    lookups = selection.shard.lookups
    pages = lookups["page"][selection.shard.hit("url")[selection.conversions.row[selection.counted_conversions]]]
    return tallied(pl.DataFrame({"page": pages}, schema={"page": pl.UInt32}), {"page": lookups.labels}, count="conversions")
