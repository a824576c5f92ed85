"""A funnel that suggests itself: the pages that most visits with a hit have seen before it, and far fewer of the others (docs/rules.md, *Funnels*)."""

from __future__ import annotations

import numpy as np
import polars as pl

from upper_compass.core.dataset.coded_hits import Ints
from upper_compass.core.dataset.hit_matching import matching
from upper_compass.core.definitions.funnels import FunnelSuggestion, FunnelSuggestionRequest
from upper_compass.core.definitions.hit_match import HitMatch, PageTest
from upper_compass.core.definitions.hits import Kind
from upper_compass.core.engine.context import ReportContext, question
from upper_compass.core.engine.dimensions import Dimension
from upper_compass.core.engine.protocol import PRESENCE, Counting, Tally, tallied
from upper_compass.core.engine.selection import Selection

# A page is a step when half of the visits with the hit saw it before, and at least twice as large a share of them as of the others.
LEAST_SHARE, LEAST_RATIO = 0.5, 2.0
MAX_SUGGESTED, LEAST_VISITS = 6, 10
# What a test on a page takes.
MAX_PAGE = 500


def funnel_suggestion(context: ReportContext, request: FunnelSuggestionRequest) -> FunnelSuggestion:
    """The steps in the order in which they lie, on the average, on the way to the hit."""
    page = context.dimension("page", "last")
    ask = question(context, request.period, (request.segment,))
    by_page, whole = context.tally(ask, Counting(_before, (request.last, page)), Counting(_sizes, (request.last,)))
    [having, others] = whole.frame.select("having", "others").row(0)
    if having < LEAST_VISITS:
        return FunnelSuggestion(steps=[], visits=having)
    share, rest = pl.col("before") / having, pl.col("others") / max(others, 1)
    steps = (
        by_page.as_texts()
        .frame.with_columns(share.alias("share"), (share / rest).alias("ratio"), (pl.col("place") / pl.col("before")).alias("place"))
        .filter((pl.col("share") >= LEAST_SHARE) & (pl.col("ratio") >= LEAST_RATIO))
        .sort("ratio", "key_0", descending=[True, False])
        .head(MAX_SUGGESTED)
        .sort("place", "key_0")
    )
    pages = [HitMatch(kind="view", page=PageTest(test="is", value=value)) for value in steps["key_0"] if len(value) <= MAX_PAGE]
    return FunnelSuggestion(steps=[*pages, request.last] if pages else [], visits=having)


def _first(selection: Selection, last: HitMatch) -> Ints:
    """Of each visit (all of the shard, by index) that started in the period, the row of its first hit that matches; -1 without one."""
    shard = selection.shard

    def found() -> Ints:
        rows = shard.rows_of_visits(selection.visits)
        fitting = matching(last, shard.hits, shard.derived, shard.lookups, rows)
        first = np.full(len(shard.visit("start")), -1, np.int64)
        first[shard.derived.visit_of[fitting[::-1]]] = fitting[::-1]
        return first

    return selection.once(("first", last.model_dump_json()), found)


def _sizes(selection: Selection, last: HitMatch) -> Tally:
    """How many visits have the hit (`having`), and how many have not (`others`)."""
    having = int((_first(selection, last)[selection.visits] >= 0).sum())
    frame = pl.DataFrame({"having": [having], "others": [len(selection.visits) - having], PRESENCE: [len(selection.visits)]})
    return Tally(frame, {}, dict.fromkeys(("having", "others", PRESENCE), "sum"))


def _before(selection: Selection, last: HitMatch, page: Dimension) -> Tally:
    """By page (`key_0`): visits that saw it before the hit (`before`), and visits without the hit that saw it (`others`).

    `place`: the sum, over the first, of where its last view lay on the way to the hit, from 0 to 1.
    """
    shard, first = selection.shard, _first(selection, last)
    rows = shard.rows_of_visits(selection.visits)
    rows = rows[selection.kind(rows) == Kind.view]
    visit = shard.derived.visit_of[rows]
    goal = first[visit]
    codes = page.read(shard, rows).astype(np.uint32)
    has = first >= 0
    own = np.zeros(len(first), np.uint32)
    own[has] = page.read(shard, first[has].astype(np.int32))
    # The page on which it happens is no step on the way to it.
    kept = (goal < 0) | ((rows < goal) & (codes != own[visit]))
    rows, visit, goal, codes = rows[kept], visit[kept], goal[kept], codes[kept]
    begin = np.zeros(len(first), np.int64)
    begin[visit[::-1]] = rows[::-1]
    place = np.where(goal >= 0, (rows - begin[visit]) / np.maximum(goal - begin[visit], 1), 0.0)
    seen = pl.DataFrame({"visit": visit, "key_0": codes, "place": place, "goal": goal >= 0})
    once = seen.group_by("visit", "key_0").agg(pl.col("place").max(), pl.col("goal").first())
    sides = once.with_columns(pl.col("goal").cast(pl.Int64).alias("before"), (~pl.col("goal")).cast(pl.Int64).alias("others"))
    return tallied(sides, {"key_0": shard.lookups.labels}, sums=("before", "others", "place"))
