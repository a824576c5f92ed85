"""What arrives just now: the newest hits, and who is on the site.

Hits of robots and of the site's own people are among the newest, marked: whoever checks their tags looks for their own. They are not counted as present.
"""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
from pydantic import BaseModel

from upper_compass.core.dataset.coded_hits import Bools, Codes, Ints
from upper_compass.core.dataset.shard import Shard
from upper_compass.core.dataset.visits import NO_VISIT, Rows
from upper_compass.core.definitions.hits import Kind
from upper_compass.core.engine.dimensions import DIMENSIONS
from upper_compass.core.reports.records import HitRecord, hit_records

FIVE_MINUTES, THIRTY_MINUTES = 300_000, 1_800_000
MAX_LISTED = 8


class RankedValue(BaseModel):
    """A value, and how many visitors it stands for."""

    value: str
    visitors: int


class ActiveVisitors(BaseModel):
    """Distinct visitors with a hit in the last 5 and 30 minutes; those of the last 30 by the page they saw last, by source, by event."""

    five: int = 0
    thirty: int = 0
    pages: list[RankedValue] = []
    sources: list[RankedValue] = []
    events: list[RankedValue] = []


class LiveUpdate(BaseModel):
    """What arrived up to number `seq`, newest first; how many hits more there were; who is on the site. `at` in ms since 1970."""

    seq: int
    at: int
    arrived: list[HitRecord]
    left_out: int
    present: ActiveVisitors


def newest_seq(shards: Sequence[Shard]) -> int:
    """Number of the newest hit, 0 without any."""
    return max((int(shard.hit("seq").max()) for shard in shards if len(shard.hits)), default=0)


def arrivals(shards: Sequence[Shard], after: int, limit: int, visitor: str | None = None) -> tuple[list[HitRecord], int]:
    """Hits that arrived after number `after`, newest first, at most `limit`; and how many there are beyond these.

    Only those of one visitor where one is named.
    """
    found: list[HitRecord] = []
    count = 0
    for shard in shards:
        rows = np.flatnonzero(shard.hit("seq") > after)
        if visitor is not None:
            code = shard.lookups.dictionaries["visitor"].find(visitor)
            rows = rows[shard.hit("visitor")[rows] == code] if code is not None else rows[:0]
        rows = rows[_stands(shard, rows)]
        count += len(rows)
        newest = np.argsort(shard.hit("seq")[rows])[::-1][:limit]
        found += hit_records(shard, rows[newest].astype(np.int32))
    found = sorted(found, key=lambda one: -one.seq)[:limit]
    return found, count - len(found)


def _stands(shard: Shard, rows: Ints) -> Bools:
    """Whether each hit is still read from this shard; a visitor who was taken over is read from another."""
    return ~np.isin(shard.hit("visitor")[rows], shard.tombstoned)


def present(shards: Sequence[Shard], now: int) -> ActiveVisitors:
    """Who is on the site at `now` (ms), robots and own traffic left out."""
    five, pages, sources, events = 0, _Counts(), _Counts(), _Counts()
    thirty = 0
    for shard in shards:
        rows = np.flatnonzero((shard.hit("at") > now - THIRTY_MINUTES) & (shard.hit("at") <= now + FIVE_MINUTES)).astype(np.int32)
        visit = shard.derived.visit_of[rows]
        rows = rows[(visit != NO_VISIT) & (shard.valid & ~shard.visit("excluded"))[visit]] if len(shard.valid) else rows[:0]
        if not len(rows):
            continue
        visitor = shard.hit("visitor")[rows]
        thirty += len(np.unique(visitor))
        five += len(np.unique(visitor[shard.hit("at")[rows] > now - FIVE_MINUTES]))
        views = rows[shard.derived.kind[rows] == Kind.view]
        pages.add(shard, DIMENSIONS["page"].read(shard, _last_of_each(shard, views)))
        last = _last_of_each(shard, rows)
        sources.add(shard, DIMENSIONS["source"].read(shard, shard.derived.visit_of[last]))
        done = rows[shard.derived.kind[rows] == Kind.event]
        names = DIMENSIONS["event"].read(shard, done)
        pairs = np.unique(np.stack([shard.hit("visitor")[done].astype(np.int64), names.astype(np.int64)]), axis=1)
        events.add(shard, pairs[1][pairs[1] > 0])  # hidden events have no name here
    return ActiveVisitors(five=five, thirty=thirty, pages=pages.listed(), sources=sources.listed(), events=events.listed())


def _last_of_each(shard: Shard, rows: Rows) -> Rows:
    """The last of the rows of each visitor; rows stand by visitor and time."""
    visitor = shard.hit("visitor")[rows]
    return rows[np.append(visitor[1:] != visitor[:-1], np.ones(min(len(rows), 1), bool))]


class _Counts:
    """Visitors by word, over several shards."""

    def __init__(self) -> None:
        self._by_word: dict[str, int] = {}

    def add(self, shard: Shard, codes: Codes | Ints) -> None:
        values, counts = np.unique(codes, return_counts=True)
        for value, count in zip(shard.lookups.labels.decode(values), counts.tolist(), strict=True):
            self._by_word[value] = self._by_word.get(value, 0) + count

    def listed(self) -> list[RankedValue]:
        largest = sorted(self._by_word.items(), key=lambda pair: (-pair[1], pair[0]))[:MAX_LISTED]
        return [RankedValue(value=value, visitors=count) for value, count in largest]
