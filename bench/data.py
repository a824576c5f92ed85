"""Hits to measure with: 1.2 million visitors for ten million hits, skewed, and one visitor like a robot with 100,000 visits."""

from __future__ import annotations

import numpy as np
import polars as pl

from upper_compass.core.dataset.coded_hits import RAW_SCHEMA
from upper_compass.core.definitions.goals import Goal
from upper_compass.core.definitions.site_rules import SiteRules

RULES = SiteRules(hosts=["mill.example"])
GOAL = Goal.model_validate({"match": {"kind": "event", "names": ["book"]}, "counts": "every time", "value": {"kind": "hit"}})
START, SPAN = 1_761_955_200_000, 395 * 86_400_000  # 1 November 2025, thirteen months
SOURCES = ("", "", "", "", "?via=card", "?utm_source=letter&utm_medium=email", "?utm_source=seekwell&utm_medium=cpc", "?utm_source=murmur&utm_medium=social")
AGENTS = (
    "Mozilla/5.0 (iPhone; CPU iPhone OS 18_5 like Mac OS X) AppleWebKit/605.1.15 (KHTML, like Gecko) Version/18.5 Mobile/15E148 Safari/604.1",
    "Mozilla/5.0 (Windows NT 10.0; Win64; x64; rv:139.0) Gecko/20100101 Firefox/139.0",
    "Mozilla/5.0 (Linux; Android 15; Pixel 8) AppleWebKit/537.36 (KHTML, like Gecko) Chrome/137.0.0.0 Mobile Safari/537.36",
)
PAGES = 2_000


def make(count: int, pages: int = PAGES, some: int = 0) -> pl.DataFrame:
    """So many raw hits (columns of RAW_SCHEMA), the same on every run. `some`: others, of other visitors."""
    rng = np.random.default_rng(7 + some)
    people = max(count * 12 // 100, 10)
    robot_hits = count // 50
    who = np.minimum((rng.pareto(1.1, count) * people / 40).astype(np.int64), people - 1)
    who = np.where(rng.random(count) < 0.85, rng.integers(0, people, count), who)
    who[:robot_hits] = people  # one visitor with half as many visits as hits
    # Hits come in bunches of a visit: a bunch has a start, its hits lie minutes apart.
    bunch = rng.integers(0, 3, count)
    base = (np.abs((who * 2_654_435_761 + bunch * 40_503_001) % 1_000_003) / 1_000_003 * SPAN).astype(np.int64)
    at = START + (base + rng.integers(0, 25 * 60_000, count)) % SPAN
    at[:robot_hits] = START + (np.arange(robot_hits) // 2 * (SPAN // (robot_hits // 2 + 1))) + np.arange(robot_hits) % 2 * 1000
    kind = rng.choice(np.array([1, 1, 1, 1, 1, 2, 4, 4], np.uint8), count)
    page = np.minimum(rng.pareto(0.9, count) * 3, pages - 1).astype(np.int64)
    tag = np.where(rng.random(count) < 0.12, rng.integers(0, len(SOURCES), count), 0)
    urls = [f"https://mill.example/p{p}{tail}" for p in range(pages) for tail in SOURCES]
    book = (kind == 2) & (rng.random(count) < 0.12)
    names = np.where(book, 1, np.where(kind == 2, 2, 0))
    columns = {
        "seq": pl.Series(np.arange(1, count + 1)),
        "at": pl.Series(at),
        "kind": pl.Series(kind),
        "value": pl.Series(np.where(book, rng.integers(5, 200, count), np.nan).astype(np.float64)),
        "engaged_ms": pl.Series(np.where(kind == 4, rng.integers(500, 60_000, count), 0)),
        "visitor": pl.Series(who + some * (people + 1)).cast(pl.String),
        "url": pl.Series(urls).gather(pl.Series(page * len(SOURCES) + tag)),
        "name": pl.Series(["", "book", "scroll depth"]).gather(pl.Series(names)),
        "user_agent": pl.Series(AGENTS).gather(pl.Series(who % len(AGENTS))),
        "language": pl.Series(["en", "de", "fr"]).gather(pl.Series(who % 3)),
        "timezone": pl.Series(["Europe/Dublin", "Europe/Berlin"]).gather(pl.Series(who % 2)),
    }
    return as_raw(pl.DataFrame(columns))


def as_raw(hits: pl.DataFrame) -> pl.DataFrame:
    """Hits with all columns of RAW_SCHEMA: texts that are missing are empty."""
    count = len(hits)
    missing = {name: pl.Series([""]).new_from_index(0, count) for name, kind_ in RAW_SCHEMA.items() if kind_ == pl.String() and name not in hits.columns}
    flags = {name: pl.Series([False]).new_from_index(0, count) for name in ("robot", "internal")}
    return hits.with_columns(**missing, **flags).select(pl.col(name).cast(kind_) for name, kind_ in RAW_SCHEMA.items())
