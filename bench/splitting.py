"""From how many hits on a site is split into several shards: the ten reports of `bench/reports` on one, as ratios of their time on several, and a new hit.

Each report the median of five, the hit of twenty, both sides in one run, nothing kept in between. Run: ./compass bench splitting.
"""

from __future__ import annotations

import json
import statistics
import time

import polars as pl

from bench.allocators import as_started
from bench.data import RULES, make
from bench.reports import ZONE, reports
from upper_compass.core.dataset.coded_hits import Dictionaries, encode_hits
from upper_compass.core.engine.context import ReportContext
from upper_compass.frames import site_dataset
from upper_compass.frames.site_dataset import SiteDataset
from upper_compass.reference import shipped

COUNTS = (40_000, 200_000, 400_000, 1_000_000)
ROUNDS = 5


def _dataset(hits: pl.DataFrame, split_from: int) -> SiteDataset:
    site_dataset.SPLIT_FROM = split_from
    dictionaries = Dictionaries()
    return site_dataset.start(RULES, shipped(), dictionaries, [encode_hits(hits, dictionaries)], len(hits))


def _times(dataset: SiteDataset) -> dict[str, float]:
    """Seconds of each report, asked as if nothing had been asked before."""
    taken: dict[str, list[float]] = {}
    for _ in range(ROUNDS):
        for place in range(len(reports(ReportContext(dataset.shards, ZONE)))):
            name, ask, _ = reports(ReportContext(dataset.shards, ZONE))[place]
            began = time.perf_counter()
            ask()
            taken.setdefault(name, []).append(time.perf_counter() - began)
    return {name: statistics.median(seconds) for name, seconds in taken.items()}


def _arriving(dataset: SiteDataset, hits: pl.DataFrame) -> float:
    """Seconds that a hit of somebody who was there before takes to be taken in."""
    taken = []
    for place in range(20):
        one = hits.slice(place * 997, 1).with_columns(pl.lit(dataset.seq + 1).alias("seq"))
        began = time.perf_counter()
        dataset = site_dataset.advance(dataset, [one], dataset.seq + 1)
        taken.append(time.perf_counter() - began)
    return statistics.median(taken)


def main() -> None:
    """Measure for each count."""
    as_started("bench.splitting")
    for count in COUNTS:
        hits = make(count)
        one, several = (_dataset(hits, split_from) for split_from in (2**62, 0))
        alone, split = _times(one), _times(several)
        ratios = {name: round(alone[name] / split[name], 2) for name in alone}
        together = round(sum(alone.values()) / sum(split.values()), 2)
        arriving = round(_arriving(one, hits) / _arriving(several, hits), 2)
        print(
            json.dumps(
                {
                    "hits": count,
                    "shards": [len(of.main.shards) for of in (one, several)],
                    "ten reports": together,
                    "a hit taken in": arriving,
                    "by report": ratios,
                }
            ),
            flush=True,
        )


if __name__ == "__main__":
    main()
