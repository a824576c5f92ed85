"""Asking much at once, again and again, while hits arrive, of ten million hits. Run: ./compass bench asking [hits].

* Five columns with two segments and two goals, against the slowest of them alone.
* A segment of three conditions, one of them *did in order*, and by page with 200,000 rows sorted, page of 100: against DuckDB, with the same figures.
* A new hit in a report, on a fresh base and after 200,000 hits; the ten reports of `bench/reports` asked again with new hits in between, against the
  first time.

All in one process; medians of five, the second part of what is kept for others (masks, tallies) as the application keeps it.
"""

from __future__ import annotations

import json
import statistics
import sys
import time
from collections.abc import Callable
from dataclasses import replace

import numpy as np
import polars as pl

from bench.allocators import as_started
from bench.data import GOAL, RULES, make
from bench.reports import MONTH, ZONE, _timed, columns, into_duckdb, reports
from upper_compass.core.dataset.coded_hits import Dictionaries, encode_hits
from upper_compass.core.definitions.goals import Goal
from upper_compass.core.definitions.requests import Column, TableRequest
from upper_compass.core.definitions.segments import Segment
from upper_compass.core.engine.context import ReportContext
from upper_compass.core.engine.kept import Kept
from upper_compass.core.reports.tables import table
from upper_compass.frames.site_dataset import SiteDataset, advance, start
from upper_compass.reference import shipped

KEPT_BYTES = 1024**3
PAGES = 200_000
ROUNDS = 15
SCROLLED = Goal.model_validate({"match": {"kind": "event", "names": ["scroll depth"]}})
GOALS = {1: GOAL, 2: SCROLLED}
ORDERED = Segment.model_validate(
    {
        "where": {
            "conditions": [
                {"kind": "dimension", "dimension": "device", "test": "is", "values": ["phone"]},
                {"kind": "number", "of": "views", "test": "≥", "than": 2},
                {"kind": "in order", "steps": [{"kind": "view", "page": {"test": "is", "value": "/p0"}}, {"kind": "event", "names": ["book"]}]},
            ]
        }
    }
)
ENGLISH = Segment.model_validate({"where": {"conditions": [{"kind": "dimension", "dimension": "language", "test": "is", "values": ["en"]}]}})
FIVE = [
    Column(id="a", measure="visitors"),
    Column(id="b", measure="visits", segment=ENGLISH),
    Column(id="c", measure="conversion_rate", goal=1, segment=ORDERED),
    Column(id="d", measure="conversions", goal=2, segment=ENGLISH),
    Column(id="e", measure="value", goal=1),
]


def _bounds() -> str:
    first, last = MONTH.bounds(ZONE)
    return f"BETWEEN {first} AND {last - 1}"


_ORDERED_SQL = f"""
WITH o AS (SELECT w.visit, w.source FROM visits w
           JOIN (SELECT visit, min(row) FILTER (kind = 1 AND page = '/p0') AS first, max(row) FILTER (kind = 2 AND name = 'book') AS last,
                        count(*) FILTER (kind = 1) AS views FROM hits GROUP BY 1) s ON s.visit = w.visit
           WHERE w.start {_bounds()} AND w.device = 'phone' AND s.views >= 2 AND s.first < s.last)
SELECT source, count(*) FROM o GROUP BY 1"""
_PAGES_SQL = f"""
SELECT page, sum((kind = 1)::int) AS views, count(DISTINCT visitor) AS visitors FROM hits WHERE ts {_bounds()} GROUP BY 1 ORDER BY views DESC, page LIMIT 100"""


def _columns_together(dataset: SiteDataset) -> dict[str, object]:
    """In turns, so that a minute in which the machine does something else lies on all of them alike."""

    def ask(asked: list[Column]) -> float:
        request = TableRequest(period=MONTH, versus="none", dimensions=["source"], columns=asked)
        began = time.perf_counter()
        table(ReportContext(dataset.shards, ZONE), request, GOALS)
        return time.perf_counter() - began

    rounds = [[ask(asked) for asked in (FIVE, *([column] for column in FIVE))] for _ in range(ROUNDS)]
    together, *alone = (round(statistics.median(taken) * 1000, 1) for taken in zip(*rounds, strict=True))
    return {"together, ms": together, "alone, ms": alone, "ratio": round(together / max(alone), 2)}


def _against(ours: Callable[[], object], theirs: Callable[[], object], *, same: bool) -> dict[str, object]:
    mine, duck = _timed(ours), _timed(theirs)
    return {"same": same, "ms": round(mine * 1000, 1), "duckdb_ms": round(duck * 1000, 1), "ratio": round(mine / duck, 2)}


def _segment(dataset: SiteDataset) -> dict[str, object]:
    request = TableRequest(period=MONTH, versus="none", dimensions=["source"], columns=columns(["visits"]), segment=ORDERED)

    def ask() -> dict[str, float]:
        for shard in dataset.main.shards:  # masks are worked out anew
            shard._kept.clear()
        found = table(ReportContext(dataset.shards, ZONE), request, {})
        return dict(zip((row[0] for row in found.rows), (value or 0 for value in found.columns[0].values), strict=True))

    connection = into_duckdb(dataset.main.shards)
    same = ask() == {key: float(count) for key, count in connection.execute(_ORDERED_SQL).fetchall()}
    return _against(ask, lambda: connection.execute(_ORDERED_SQL).fetchall(), same=same)


def _many_pages(count: int) -> dict[str, object]:
    dictionaries = Dictionaries()
    dataset = start(RULES, shipped(), dictionaries, [encode_hits(make(count, PAGES).with_columns(_spread(count)), dictionaries)])
    request = TableRequest(period=MONTH, versus="none", dimensions=["page"], columns=columns(["views", "visitors"]), sort="views", limit=100)

    def ask() -> tuple[list[tuple[str, float, float]], int]:
        found = table(ReportContext(dataset.shards, ZONE), request, {})
        views, visitors = (one.values for one in found.columns)
        return [(row[0], a or 0, b or 0) for row, a, b in zip(found.rows, views, visitors, strict=True)], found.count

    connection = into_duckdb(dataset.main.shards)
    mine, rows = ask()
    same = mine == [(page, float(views), float(visitors)) for page, views, visitors in connection.execute(_PAGES_SQL).fetchall()]
    return {"rows": rows} | _against(ask, lambda: connection.execute(_PAGES_SQL).fetchall(), same=same)


def _spread(count: int) -> pl.Series:
    """Addresses of all pages alike, so that a month has nearly all of them."""
    rng = np.random.default_rng(3)
    return pl.Series("url", [f"https://mill.example/p{page}" for page in range(PAGES)]).gather(pl.Series(rng.integers(0, PAGES, count)))


def _arriving(dataset: SiteDataset, hits: int) -> dict[str, object]:
    """New hits, one by one and in bunches; half of their visitors were there before."""
    more = (
        make(max(hits, 1_000_000))
        .sample(fraction=1, shuffle=True, seed=5)
        .with_columns(pl.col("visitor") + pl.when(pl.col("seq") % 2 == 0).then(pl.lit("")).otherwise(pl.lit("n")))
    )
    last = MONTH.bounds(ZONE)[1]
    kept = Kept(KEPT_BYTES)
    request = TableRequest(period=MONTH, versus="none", dimensions=["channel"], columns=columns(["visits", "views", "conversions"]), goal=1)
    taken = 0

    def arrive(count: int) -> None:
        nonlocal dataset, taken
        part = more.slice(taken, count).with_columns(pl.lit(dataset.seq) + pl.int_range(1, count + 1).alias("seq"), pl.lit(last - 1).alias("at"))
        taken += count
        dataset = advance(dataset, [part], dataset.seq + count)

    def one_hit() -> float:
        began = time.perf_counter()
        arrive(1)
        table(ReportContext(dataset.shards, ZONE, kept), request, GOALS)
        return time.perf_counter() - began

    told: dict[str, object] = {}
    one_hit()
    told["one hit in a report, ms"] = _spread_of([one_hit() for _ in range(20)])
    while taken < 200_000:
        arrive(500)
    one_hit()
    told["one hit after 200,000, ms"] = _spread_of([one_hit() for _ in range(20)])
    first = _ten(dataset, Kept(0))
    _ten(dataset, kept)
    again = []
    for _ in range(5):
        arrive(20)
        again.append(_ten(dataset, kept))
    told["ten reports"] = {
        "the first time, ms": round(first * 1000, 1),
        "again with new hits, ms": round(statistics.median(again) * 1000, 1),
        "ratio": round(statistics.median(again) / first, 3),
    }
    told["levels"] = [(level.count, [len(shard.hits) for shard in level.retracted]) for level in (dataset.main, *dataset.deltas)]
    return told


def _ten(dataset: SiteDataset, kept: Kept) -> float:
    began = time.perf_counter()
    for _, ask, _ in reports(ReportContext(dataset.shards, ZONE, kept)):
        ask()
    return time.perf_counter() - began


def _spread_of(seconds: list[float]) -> dict[str, float]:
    return {"median": round(statistics.median(seconds) * 1000, 1), "most": round(max(seconds) * 1000, 1)}


def main() -> None:
    """Measure for so many hits."""
    as_started("bench.asking")
    count = int(sys.argv[1]) if len(sys.argv) > 1 else 10_000_000
    print(json.dumps({"by page, many rows": _many_pages(count)}), flush=True)
    dictionaries = Dictionaries()
    hits = encode_hits(make(count), dictionaries)
    dataset = replace(start(RULES, shipped(), dictionaries, [hits]), seq=count)
    del hits
    print(json.dumps({"five columns": _columns_together(dataset)}), flush=True)
    print(json.dumps({"a segment": _segment(dataset)}), flush=True)
    print(json.dumps({"hits arrive": _arriving(dataset, 300_000)}), flush=True)


if __name__ == "__main__":
    main()
