"""Which visits saw a page before they converted, in whole columns (rules, chapter 11, *Drivers*)."""

from __future__ import annotations

import numpy as np
import polars as pl

from upper_compass.core.dataset.visits import NO_VISIT
from upper_compass.core.definitions.hits import Kind
from upper_compass.core.engine.dimensions import DIMENSIONS
from upper_compass.core.engine.group_by import distinct_pairs
from upper_compass.core.engine.protocol import PRESENCE, Tally
from upper_compass.core.engine.selection import Selection

# What stands for all visits of a channel, whatever they saw.
EVERY_PAGE = ""


def seen_before(selection: Selection) -> Tally:
    """By `page` and `channel` (codes of labels): visits that saw the page (`visits`, i64), and those of them that convert (`converting`).

    Visits that started in the period, each page once a visit; what was seen with or after the first conversion of a visit was not seen before it. A row
    without a page counts all visits of its channel.
    """
    shard, visits = selection.shard, selection.visits
    labels = shard.lookups.labels
    channels = DIMENSIONS["channel"].read(shard, visits)
    converting = selection.converted_visits[visits]
    first = np.full(len(visits), np.iinfo(np.int64).max, np.int64)
    made = selection.conversions
    places = np.searchsorted(visits, made.visit)
    inside = places < len(visits)
    inside[inside] = visits[places[inside]] == made.visit[inside]
    first[places[inside][::-1]] = made.row[inside][::-1]  # rows ascend, so the first one of a visit is written last

    rows = shard.rows_of_visits(visits)
    rows = rows[(shard.derived.kind[rows] == Kind.view) & (shard.derived.visit_of[rows] != NO_VISIT)]
    owners = np.searchsorted(visits, shard.derived.visit_of[rows])
    before = rows < first[owners] if len(rows) else np.zeros(0, bool)
    rows, owners = rows[before], owners[before]
    pages = DIMENSIONS["page"].read(shard, rows) if len(rows) else np.empty(0, np.uint32)
    there = pages > 0
    owners, pages = distinct_pairs(owners[there], pages[there].astype(np.int64), len(labels))
    nothing = np.full(len(visits), labels.find(EVERY_PAGE) or 0, np.int64)
    seen = pl.DataFrame({
        "page": np.concatenate([nothing, pages]).astype(np.uint32), "channel": np.concatenate([channels, channels[owners]]).astype(np.uint32),
        "converting": np.concatenate([converting, converting[owners]]),
    })  # fmt: skip
    counts = [pl.len().cast(pl.Int64).alias(name) for name in ("visits", PRESENCE)]
    frame = seen.group_by("page", "channel").agg(pl.col("converting").cast(pl.Int64).sum(), *counts)
    return Tally(frame, dict.fromkeys(("page", "channel"), labels), {"converting": "sum", "visits": "sum", PRESENCE: "sum"})
