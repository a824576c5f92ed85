"""What arrives just now: the newest hits, and who is on the site.

Hits of robots and of the site's own people are among the newest, marked: whoever checks their tags looks for their own. They are not counted as present.
"""

from __future__ import annotations

import numpy as np
import polars as pl
from pydantic import BaseModel

from upper_compass.core.dataset.coded_hits import Codes, Ints
from upper_compass.core.dataset.shard import Shard
from upper_compass.core.dataset.visits import Rows
from upper_compass.core.definitions.hits import Kind
from upper_compass.core.engine.context import ReportContext
from upper_compass.core.engine.dimensions import DIMENSIONS
from upper_compass.core.engine.protocol import Counting, Tally, listed, tallied
from upper_compass.core.engine.selection import ReportFilter, Selection
from upper_compass.core.reports.records import HitRecord, hit_frame, hit_records

FIVE_MINUTES, THIRTY_MINUTES = 300_000, 1_800_000
MAX_LISTED = 8
# What is asked about: hits of everybody, whenever.
EVERYTHING = ReportFilter(0, 2**62, with_excluded=True, keep=False)


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


def newest_seq(context: ReportContext) -> int:
    """Number of the newest hit, 0 without any."""
    found = context.tally(EVERYTHING, Counting(_newest, additive=False))[0].frame["seq"]
    return int(found[0]) if len(found) else 0


def _newest(selection: Selection) -> Tally:
    """The greatest number of a hit."""
    return Tally(pl.DataFrame({"seq": [_newest_of(selection.shard)]}), {}, {"seq": "max"})


def _newest_of(shard: Shard) -> int:
    newest: int = shard.kept("newest", lambda: int(shard.hit("seq").max()) if len(shard.hits) else 0)
    return newest


def arrivals(context: ReportContext, after: int, limit: int, visitor: str | None = None) -> tuple[list[HitRecord], int]:
    """Hits that arrived after number `after`, newest first, at most `limit`; and how many there are beyond these.

    Only those of one visitor where one is named.
    """
    given = (after, limit, visitor)
    newest, counted = context.tally(EVERYTHING, Counting(_arrived, given, additive=False), Counting(_arrived_count, given, additive=False))
    found = hit_records(newest.frame.sort("seq", descending=True).head(limit))
    return found, int(counted.frame["hits"].sum()) - len(found)


def _rows_after(shard: Shard, after: int, visitor: str | None) -> Rows:
    """Rows of the hits that came after a number and are still read from this shard: a visitor who was taken over is read from another."""
    if _newest_of(shard) <= after:
        return np.empty(0, np.int32)
    rows = np.flatnonzero(shard.hit("seq") > after).astype(np.int32)
    if visitor is not None:
        code = shard.lookups.dictionaries["visitor"].find(visitor)
        rows = rows[shard.hit("visitor")[rows] == code] if code is not None else rows[:0]
    return rows[~np.isin(shard.hit("visitor")[rows], shard.tombstoned)]


def _arrived(selection: Selection, after: int, limit: int, visitor: str | None) -> Tally:
    """The newest hits."""
    rows = _rows_after(selection.shard, after, visitor)
    newest = np.argsort(selection.shard.hit("seq")[rows])[::-1][:limit]
    return listed(hit_frame(selection.shard, rows[newest]), ["seq"])


def _arrived_count(selection: Selection, after: int, _limit: int, visitor: str | None) -> Tally:
    """How many hits arrived."""
    return tallied(pl.DataFrame({"hits": [len(_rows_after(selection.shard, after, visitor))]}), {}, sums=("hits",))


def present(context: ReportContext, now: int) -> ActiveVisitors:
    """Who is on the site at `now` (ms), robots and own traffic left out."""
    ask = ReportFilter(now - THIRTY_MINUTES + 1, now + FIVE_MINUTES + 1, keep=False)
    counted = context.tally(ask, Counting(_present, (now,)))[0].as_texts().frame
    by = counted.sort("visitors", "value", descending=[True, False]).partition_by("of", as_dict=True)

    def ranked(of: str) -> list[RankedValue]:
        rows = by[(of,)].head(MAX_LISTED).select("value", "visitors").iter_rows() if (of,) in by else []
        return [RankedValue(value=value, visitors=visitors) for value, visitors in rows]

    five, thirty = (sum(one.visitors for one in ranked(of)) for of in ("five", "thirty"))
    return ActiveVisitors(five=five, thirty=thirty, pages=ranked("page"), sources=ranked("source"), events=ranked("event"))


def _present(selection: Selection, now: int) -> Tally:
    """Distinct visitors by what they are counted `of`, and its value: the minutes, the page they saw last, their source, the events they did."""
    shard, rows = selection.shard, selection.rows
    labels = shard.lookups.labels
    visitor = shard.hit("visitor")
    views, done = (rows[shard.derived.kind[rows] == kind] for kind in (Kind.view, Kind.event))
    last = _last_of_each(shard, rows)
    recent = rows[shard.hit("at")[rows] > now - FIVE_MINUTES]
    names = DIMENSIONS["event"].read(shard, done)
    pairs = np.unique(np.stack([visitor[done].astype(np.int64), names.astype(np.int64)]), axis=1)
    found: dict[str, Codes | Ints] = {
        "five": np.zeros(len(np.unique(visitor[recent])), np.uint32),
        "thirty": np.zeros(len(last), np.uint32),
        "page": DIMENSIONS["page"].read(shard, _last_of_each(shard, views)),
        "source": DIMENSIONS["source"].read(shard, shard.derived.visit_of[last]),
        "event": pairs[1][pairs[1] > 0],  # hidden events have no name here
    }
    table = pl.concat([pl.DataFrame({"value": codes}, schema={"value": pl.UInt32}).with_columns(pl.lit(of).alias("of")) for of, codes in found.items()])
    return tallied(table, {"of": None, "value": labels}, count="visitors")


def _last_of_each(shard: Shard, rows: Rows) -> Rows:
    """The last of the rows of each visitor; rows stand by visitor and time."""
    visitor = shard.hit("visitor")[rows]
    return rows[np.append(visitor[1:] != visitor[:-1], np.ones(min(len(rows), 1), bool))]
