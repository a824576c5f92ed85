"""Planted effects found among values without any, over 50 seeds. Run: ./compass bench planted [seeds].

Each sample has 40,000 visitors of one visit in 28 days, of whom one in ten books. A visit has one of 88 values of each of five dimensions (source, campaign,
content, term, landing page): 440 values, of which 20 book 1.75 times as often and 20 a quarter as often, four of each in each dimension, so that those
without an effect stand where all do on average. Told: what of the planted is found, and what of that which is found was not planted; by Worth a look (all of it, not
the first seven) and by Compare over these dimensions (p corrected below 0.05).
"""

from __future__ import annotations

import json
import sys
from zoneinfo import ZoneInfo

import numpy as np
import polars as pl

from bench.data import as_raw
from upper_compass.core.dataset.coded_hits import Dictionaries, encode_hits
from upper_compass.core.definitions.comparisons import CompareRequest
from upper_compass.core.definitions.goals import Goal
from upper_compass.core.definitions.periods import Period
from upper_compass.core.definitions.site_rules import SiteRules
from upper_compass.core.engine.context import ReportContext
from upper_compass.core.insights.looking import worth_a_look
from upper_compass.core.insights.models import InsightsRequest
from upper_compass.core.reports.compare import compare
from upper_compass.frames.site_dataset import start
from upper_compass.reference import shipped

VISITORS, VALUES, PLANTED, RATE = 40_000, 88, 8, 0.1
EFFECTS = np.array([1.75] * 4 + [0.25] * 4 + [1.0] * (VALUES - PLANTED))
DIMENSIONS = ("source", "campaign", "content", "term", "entry_page")
DAY = 86_400_000
GOAL = Goal.model_validate({"match": {"kind": "event", "names": ["book"]}})
REACHED = {"of": "people", "where": {"conditions": [{"kind": "did", "match": {"kind": "event", "names": ["book"]}}]}}
PERIOD = Period.model_validate({"first": "2026-06-01", "last": "2026-06-28"})
FROM = 1_780_272_000_000


def sample(seed: int) -> pl.DataFrame:
    """Hits of one sample, in the columns of the store."""
    dice = np.random.default_rng(seed)
    chosen = dice.integers(0, VALUES, (VISITORS, len(DIMENSIONS)))
    rate = RATE * np.prod(EFFECTS[chosen], axis=1)
    books = dice.random(VISITORS) < np.minimum(rate, 0.9)
    at = FROM + dice.integers(0, 28 * DAY - 3_600_000, VISITORS)
    source, campaign, content, term, page = chosen.T
    query = [
        f"?utm_source=s{s}&utm_medium=email&utm_campaign=c{c}&utm_content=t{t}&utm_term=k{k}"
        for s, c, t, k in zip(source, campaign, content, term, strict=True)
    ]
    url = pl.Series([f"https://a.example/p{p}{q}" for p, q in zip(page, query, strict=True)])
    views = pl.DataFrame({"at": at, "kind": 1, "visitor": np.arange(VISITORS), "url": url, "name": ""})
    booked = views.filter(pl.Series(books)).with_columns(pl.col("at") + 60_000, pl.lit(2).cast(pl.Int32).alias("kind"), name=pl.lit("book"))
    hits = pl.concat([views, booked]).with_columns(pl.col("visitor").cast(pl.String), value=pl.lit(float("nan")), engaged_ms=pl.lit(0))
    return as_raw(hits.with_row_index("seq", 1))


def main() -> None:
    """Measure over so many seeds."""
    seeds = int(sys.argv[1]) if len(sys.argv) > 1 else 50
    planted = {
        (dimension, f"{'/p' if dimension == 'entry_page' else 'sctk'[place]}{value}") for place, dimension in enumerate(DIMENSIONS) for value in range(PLANTED)
    }
    told: dict[str, list[tuple[int, int]]] = {"worth a look": [], "compare": []}
    for seed in range(seeds):
        dictionaries = Dictionaries()
        hits = sample(seed)
        context = ReportContext(start(SiteRules(hosts=["a.example"]), shipped(), dictionaries, [encode_hits(hits, dictionaries)]).shards, ZoneInfo("UTC"))
        found = worth_a_look(context, InsightsRequest(period=PERIOD, goal=1, limit=1000), {1: GOAL})
        seen = {(one.dimension, one.value) for one in found.insights}
        told["worth a look"].append((len(seen & planted), len(seen - planted)))
        asked = CompareRequest.model_validate({"period": PERIOD, "goal": 1, "group": REACHED, "dimensions": list(DIMENSIONS), "limit": 1000})
        rows = compare(context, asked, {1: GOAL})
        sure = {(d, v) for d, v, p in zip(rows.dimensions, rows.values, rows.corrected, strict=True) if p < 0.05}
        told["compare"].append((len(sure & planted), len(sure - planted)))
    for name, counts in told.items():
        right, wrong = np.array(counts).T
        share = wrong / np.maximum(right + wrong, 1)
        summary = {
            "found of 40, least": int(right.min()),
            "mean": round(float(right.mean()), 2),
            "false, mean share": round(float(share.mean()), 4),
            "most": round(float(share.max()), 4),
        }
        print(json.dumps({name: summary, "seeds": seeds}), flush=True)


if __name__ == "__main__":
    main()
