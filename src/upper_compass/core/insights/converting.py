"""What those who reached the goal have that the others have not, and landing pages where they seldom do."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import polars as pl

from upper_compass.core.definitions.goals import Goal
from upper_compass.core.definitions.segments import DidCondition, Group, Segment
from upper_compass.core.engine.comparison import compared, held_against
from upper_compass.core.engine.context import ReportContext
from upper_compass.core.engine.dimensions import DIMENSIONS
from upper_compass.core.engine.selection import ReportFilter
from upper_compass.core.engine.statistics import FEW, koopman, poisson_p
from upper_compass.core.engine.tally import GroupBy

# What somebody brings along, or does by the way; what lies on the way to a goal, as its pages do, says nothing of who reaches it.
DIMENSIONS_OF_CONVERTERS = (
    "channel", "source", "medium", "campaign", "content", "term", "label", "referrer_term", "entry_page", "device", "system", "country", "language",
    "visitor_kind", "weekday", "file", "media", "search_term", "promo",
)  # fmt: skip
# Shares differ by so many times, or it is nothing to act on.
MIN_RATIO = 1.5
# A landing page is weak below this share of what was expected.
MAX_OF_EXPECTED = 0.65


def over_represented(context: ReportContext, plain: ReportFilter, goal: Goal) -> pl.DataFrame:
    """Candidates: values that people who reached the goal have more, or less, often than the others."""
    reached = Segment(of="people", where=Group(conditions=[DidCondition(match=goal.match)]))
    whole = replace(plain, steered_by=goal)
    groups = held_against(context, replace(whole, segments=(*plain.segments, reached)), whole, "people")
    sizes = groups.sizes
    if sizes.a < FEW or sizes.b < FEW:
        return pl.DataFrame()
    dimensions = [DIMENSIONS[name] for name in DIMENSIONS_OF_CONVERTERS]
    rows = compared(context, groups, dimensions, "people").filter(~pl.col("is_made_of") & ~pl.col("is_few") & (pl.col("value") != ""))
    a, b = rows["a"].to_numpy(), rows["b"].to_numpy()
    expected = b / sizes.b * sizes.a
    with np.errstate(divide="ignore"):
        ratio = np.where(b > 0, a / np.maximum(expected, 1e-12), np.inf)
    is_telling = (ratio >= MIN_RATIO) | (ratio <= 1 / MIN_RATIO)
    low, high = np.full((2, len(a)), np.nan)
    low[is_telling], high[is_telling] = koopman(a[is_telling], sizes.a, b[is_telling], sizes.b)
    return rows.select(
        pl.lit("converters").alias("kind"), "dimension", "value", "a", pl.lit(sizes.a).alias("a_of"), "b", pl.lit(sizes.b).alias("b_of"),
        pl.Series("ratio", ratio), pl.Series("low", low), pl.Series("high", high), "p",
        pl.Series("is_telling", is_telling), pl.Series("size", np.abs(a - expected) / sizes.a),
    )  # fmt: skip


def weak_landings(context: ReportContext, plain: ReportFilter, goal: Goal) -> pl.DataFrame:
    """Candidates: landing pages whose visits reach the goal less often than visits of the same channels that landed elsewhere."""
    by = GroupBy((DIMENSIONS["entry_page"], DIMENSIONS["channel"]), columns=frozenset({"visits", "converting_visits"}))
    [tally] = context.tally(replace(plain, goal=goal, steered_by=goal), by)
    rows = tally.as_texts().frame.rename({"key_0": "value", "key_1": "channel"}).filter(pl.col("value") != "")
    visits, converting = pl.col("visits"), pl.col("converting_visits")
    elsewhere = (converting.sum().over("channel") - converting) / (visits.sum().over("channel") - visits)
    pages = (
        rows.with_columns(pl.when(elsewhere.is_finite()).then(elsewhere).otherwise(0.0).alias("rate"))
        .group_by("value")
        .agg(visits.sum(), converting.sum().alias("a"), (visits * pl.col("rate")).sum().alias("b"))
        .filter(pl.col("b") >= FEW)
    )
    a, b = pages["a"].to_numpy(), pages["b"].to_numpy()
    total = max(float(rows["converting_visits"].sum()), 1.0)
    return pages.select(
        pl.lit("weak landing").alias("kind"), pl.lit("entry_page").alias("dimension"), "value", "a", pl.col("visits").alias("a_of"), "b",
        pl.Series("p", poisson_p(a, b)), pl.Series("is_telling", a <= MAX_OF_EXPECTED * b), pl.Series("size", np.abs(a - b) / total),
    )  # fmt: skip
