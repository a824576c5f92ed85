"""Pages that many see and few enter by, and landing pages that are left at once, after reading or without."""

from __future__ import annotations

import numpy as np
import polars as pl

from upper_compass.core.engine.context import ReportContext
from upper_compass.core.engine.dimensions import DIMENSIONS
from upper_compass.core.engine.selection import ReportFilter
from upper_compass.core.engine.statistics import binomial_p, wilson
from upper_compass.core.engine.tally import GroupBy

# Seen by this share of the visits, entered by at most that share of those who saw it.
MIN_SEEN, MIN_SEEN_SHARE, MAX_ENTERED = 50, 0.02, 0.1
# A step of a way: most who saw it came from one and the same page.
ONE_WAY = 0.5
MIN_LANDED, MIN_RATIO = 50, 1.2


def seldom_entered(context: ReportContext, plain: ReportFilter) -> pl.DataFrame:
    """Candidates: pages that people go on to and seldom enter by. No test: the upper end of the Wilson interval must lie below a tenth."""
    page, before = DIMENSIONS["page"], DIMENSIONS["previous_page"]
    every, seen = context.tally(plain, GroupBy(columns=frozenset({"visits"})), GroupBy((page,), columns=frozenset({"seen", "entries"})))
    visits = max(float(every.frame["visits"][0]), 1.0)
    rows = seen.as_texts().frame.rename({"key_0": "value", "seen": "a_of", "entries": "a"})
    high = wilson(rows["a"].to_numpy(), rows["a_of"].to_numpy())[1]
    often = (pl.col("a_of") >= MIN_SEEN) & (pl.col("a_of") >= MIN_SEEN_SHARE * visits)
    seldom = rows.filter(often & (pl.Series(high) <= MAX_ENTERED))
    if seldom.is_empty():
        return pl.DataFrame()
    # Where from is looked up of these alone.
    from_where = GroupBy((page, before), within=tuple((value,) for value in seldom["value"]), columns=frozenset({"views"}))
    came = context.tally(plain, from_where)[0].as_texts().frame
    ways = came.group_by("key_0").agg((pl.col("views").max() / pl.col("views").sum()).alias("one_way"))
    return seldom.join(ways, left_on="value", right_on="key_0", how="left").select(
        pl.lit("seldom entered").alias("kind"), pl.lit("page").alias("dimension"), "value", "a", "a_of",
        (pl.col("one_way") < ONE_WAY).alias("is_telling"), (pl.col("a_of") / visits / 2).alias("size"),
    )  # fmt: skip


def bounced(context: ReportContext, plain: ReportFilter) -> pl.DataFrame:
    """Candidates: landing pages with more bounces than all have; told apart by whether those who bounced had read: at least as long as all who bounced."""
    by = GroupBy((DIMENSIONS["entry_page"],), columns=frozenset({"visits", "bounces", "bounced_engaged"}))
    rows = context.tally(plain, by)[0].as_texts().frame.filter(pl.col("key_0") != "")
    visits, bounces, engaged = (rows[name].to_numpy() for name in ("visits", "bounces", "bounced_engaged"))
    all_visits, all_bounces = max(float(visits.sum()), 1.0), float(bounces.sum())
    share = all_bounces / all_visits
    of_all = float(engaged.sum()) / max(all_bounces, 1.0) / 1000
    with np.errstate(divide="ignore", invalid="ignore"):
        seconds = np.where(bounces > 0, engaged / np.maximum(bounces, 1) / 1000, 0.0)
        is_more = bounces / np.maximum(visits, 1) >= MIN_RATIO * share
    p = binomial_p(bounces, visits, share)
    return rows.select(
        pl.Series("kind", np.where(seconds >= of_all, "long bounces", "short bounces")), pl.lit("entry_page").alias("dimension"),
        pl.col("key_0").alias("value"), pl.col("bounces").alias("a"), pl.col("visits").alias("a_of"), pl.lit(all_bounces).alias("b"),
        pl.lit(all_visits).alias("b_of"), pl.Series("engaged", seconds), pl.lit(of_all).alias("engaged_of_all"), pl.Series("p", p),
        pl.Series("is_telling", is_more & (visits >= MIN_LANDED)), pl.Series("size", np.abs(bounces - visits * share) / max(all_bounces, 1.0)),
    )  # fmt: skip
