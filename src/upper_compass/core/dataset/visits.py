"""Visits, derived from hits (rules, chapter 3), as arithmetic on whole columns.

Hits stand sorted by visitor, time and arrival. What looks like a chain (each hit asks about the visit under way) falls apart into two
questions that columns answer:

* **The pause.** Only an `engage` after a long pause leaves the end of its visit where it was, and so do the engages right behind it. So the
  end of the visit under way, seen from any other hit, is the time of the last hit before it that is not such an engage.
* **The evidence.** Within a stretch without a long pause, every view with evidence either opened a visit or agreed with the visit under way.
  So the visit under way has the evidence last seen in the stretch, or is direct when there was none.
"""

from __future__ import annotations

from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass
from functools import cached_property
from itertools import pairwise
from typing import Any

import numpy as np
import numpy.typing as npt
import polars as pl

from upper_compass.core.dataset.coded_hits import Bools, Codes, Ints
from upper_compass.core.dataset.lookups import NO_SOURCE, DimensionLookups
from upper_compass.core.definitions.hits import Kind

NO_VISIT = -1
REPEATED_ORDER = 5
BLOCK = 200_000
THREADS = 2

Rows = npt.NDArray[np.int32]


@dataclass(frozen=True)
class DerivedVisits:
    """Visits of a shard and each hit's place in them.

    `visit_of`: index of the hit's visit, NO_VISIT for an engage before any visit.
    `kind`: as in the hits, but REPEATED_ORDER for an order whose id came earlier.
    `visits`: a row per visit, in the order of the hits:

    | column | is |
    |---|---|
    | visitor | code of the visitor |
    | first_row, last_row | its first and last row in the hits (rows between that have no visit do not occur) |
    | start, end | ms since 1970, UTC |
    | until | time of the last hit; later than the end when an engage came after a long pause |
    | engaged | ms |
    | views, number | counts; `number` is 1 for the visitor's first ever |
    | entry, exit | row of the first and the last view, -1 without a view |
    | traffic source | code of the traffic source (0: direct) |
    | agent, language, country | codes: user_agent, words, words |
    | bounce, excluded | bool; excluded: of a robot or the site's own people |
    """

    visits: pl.DataFrame
    visit_of: Rows
    kind: npt.NDArray[np.uint8]


def derive(hits: pl.DataFrame, lookups: DimensionLookups, repeated: Ints) -> DerivedVisits:
    """Visits of coded hits in order. `repeated`: `seq` of repeated orders, sorted. Works in blocks of visitors, so memory stays small."""
    visitor = hits["visitor"].to_numpy()
    kind = hits["kind"].to_numpy().copy()
    if len(repeated):
        orders = np.flatnonzero(kind == Kind.order)
        kind[orders[np.isin(hits["seq"].to_numpy()[orders], repeated)]] = REPEATED_ORDER
    blocks = _blocks(visitor)
    with ThreadPoolExecutor(THREADS) as pool:
        parts = list(pool.map(lambda block: _derive_block(hits.slice(block[0], block[1] - block[0]), kind[block[0] : block[1]], lookups), blocks))
    visit_of = np.empty(len(visitor), np.int32)
    count = 0
    for (start, stop), (columns, places) in zip(blocks, parts, strict=True):
        visit_of[start:stop] = np.where(places == NO_VISIT, NO_VISIT, places + count)
        for name in ("first_row", "last_row", "entry", "exit"):
            columns[name] = np.where(columns[name] < 0, -1, columns[name] + start).astype(np.int32)
        count += len(columns["visitor"])
    # Column by column, so that at no time all visits are held twice.
    names = list(parts[0][0])
    return DerivedVisits(pl.DataFrame({name: np.concatenate([columns.pop(name) for columns, _ in parts]) for name in names}), visit_of, kind)


def _blocks(visitor: Codes) -> list[tuple[int, int]]:
    """Stretches of rows that hold whole visitors; at least one, if it is empty."""
    edges = [0]
    while edges[-1] + BLOCK < len(visitor):
        edges.append(int(np.searchsorted(visitor, visitor[edges[-1] + BLOCK - 1], side="right")))
    return list(pairwise([*edges, len(visitor)])) if edges[-1] < len(visitor) or not len(visitor) else list(pairwise(edges))


def _derive_block(hits: pl.DataFrame, kind: npt.NDArray[np.uint8], lookups: DimensionLookups) -> tuple[dict[str, npt.NDArray[Any]], Rows]:
    visitor, at = hits["visitor"].to_numpy(), hits["at"].to_numpy()
    url, referrer = hits["url"].to_numpy(), hits["referrer"].to_numpy()
    view = kind == Kind.view
    traffic_source = sources_of_views(view, url, referrer, lookups)
    seen = Marks(view)
    starts, moving, ignored = _starts(visitor, at, kind, seen, traffic_source, lookups)
    place = (np.cumsum(starts, dtype=np.int32) - 1).astype(np.int32)
    place[ignored] = NO_VISIT

    first = np.flatnonzero(starts).astype(np.int32)
    last = _last_rows(first, ignored)
    entry = seen.first(first, last)
    exit_ = seen.last(first, last)
    views = seen.count(first, last)
    active = ((kind == Kind.event) & ~_passive(hits, lookups)) | (kind == Kind.order)
    acted = Marks(active).count(first, last) > 0
    sums = np.concatenate([[0], np.cumsum(np.where(kind == Kind.engage, hits["engaged_ms"].to_numpy(), 0))])
    moved = Marks(moving).last(first, last)

    agent_row = Marks(hits["user_agent"].to_numpy() > 0).first(first, last)
    marked = np.where(agent_row >= 0, agent_row, first)
    own_country = lookups["country"][hits["country"].to_numpy()]
    country = np.where(own_country > 0, own_country, lookups["zone_country"][hits["timezone"].to_numpy()])
    language = lookups["language"][hits["language"].to_numpy()]
    who = visitor[first]
    firsts = np.flatnonzero(np.diff(who, prepend=np.uint32(0)) != 0) if len(who) else first
    number = np.arange(len(who)) - np.repeat(firsts, np.diff(firsts, append=len(who))) + 1
    entry_source = np.where(entry >= 0, traffic_source[entry], NO_SOURCE) if len(entry) else entry
    columns: dict[str, npt.NDArray[Any]] = {
        "visitor": who,
        "first_row": first,
        "last_row": last.astype(np.int32),
        "start": at[first],
        "end": at[moved] if len(moved) else at[first],
        "until": at[last] if len(last) else at[first],
        "engaged": sums[last + 1] - sums[first],
        "views": views,
        "number": number.astype(np.int32),
        "entry": entry,
        "exit": exit_,
        "traffic_source": np.maximum(entry_source, 0).astype(np.uint32),
        "agent": _value_at(hits["user_agent"].to_numpy(), agent_row),
        "language": _value_at(language, Marks(language > 0).first(first, last)),
        "country": _value_at(country, Marks(country > 0).first(first, last)),
        "bounce": (views == 1) & ~acted,
        "excluded": (hits["robot"].to_numpy() | hits["internal"].to_numpy())[marked],
    }
    return columns, place


def _passive(hits: pl.DataFrame, lookups: DimensionLookups) -> Bools:
    passive: Bools = lookups["passive"][hits["name"].to_numpy()].astype(bool)
    return passive


def sources_of_views(view: Bools, url: Codes, referrer: Codes, lookups: DimensionLookups) -> Rows:
    """Traffic source (i32, a code of the look-ups) of each view with evidence, NO_SOURCE for every other hit (rules, chapter 2)."""
    traffic_source: Rows = lookups["url_source"][url].astype(np.int32)
    traffic_source[~view] = NO_SOURCE
    # Hosts are compared only where the referrer could tell and nothing tells before it.
    referred = lookups["referrer_source"][referrer]
    asked = np.flatnonzero(view & (referred >= 0) & (traffic_source < 0))
    elsewhere = lookups["referrer_host"][referrer[asked]] != lookups["bare_host"][url[asked]]
    traffic_source[asked] = np.where(elsewhere, referred[asked], NO_SOURCE)
    return traffic_source


def _starts(visitor: Codes, at: Ints, kind: npt.NDArray[np.uint8], views: Marks, traffic_source: Rows, lookups: DimensionLookups) -> tuple[Bools, Bools, Bools]:
    """(begins a visit, moves its visit's end, belongs to no visit) for each hit."""
    n = len(visitor)
    row = np.arange(n, dtype=np.int32)
    gap = lookups.rules.visit_gap_minutes * 60_000
    new_visitor = np.empty(n, bool)
    new_visitor[:1] = True
    np.not_equal(visitor[1:], visitor[:-1], out=new_visitor[1:])
    visitor_row = np.maximum.accumulate(np.where(new_visitor, row, 0))
    engage = kind == Kind.engage
    anchor = np.maximum.accumulate(np.where(engage, np.int32(-1), row))
    ignored = anchor < visitor_row
    pauses = np.cumsum(np.diff(at, prepend=at[:1]) > gap, dtype=np.int32)
    moving = ~engage | (~ignored & (pauses == pauses[anchor]))
    before = np.empty(n, np.int32)
    before[:1] = -1
    before[1:] = np.maximum.accumulate(np.where(moving, row, np.int32(-1)))[:-1]
    after_pause = ~engage & ((before < visitor_row) | (at - at[before] > gap))

    found = np.flatnonzero(traffic_source >= 0)
    source_key = lookups["source_key"][traffic_source[found]]
    stretch = np.maximum.accumulate(np.where(after_pause, row, 0))[found]
    earlier_view = views.running[found] > views.running[stretch]
    known = np.zeros(len(found), bool)
    known[1:] = found[:-1] >= stretch[1:]
    under_way = np.full(len(found), lookups["source_key"][0])
    under_way[1:] = np.where(known[1:], source_key[:-1], under_way[1:])
    starts = after_pause
    starts[found[earlier_view & (source_key != under_way)]] = True
    return starts, moving, ignored


def _last_rows(first: Rows, ignored: Bools) -> Rows:
    """Last row of each visit; engages before the next visitor's first visit belong to none."""
    if not len(first):
        return first
    following = np.append(first[1:], len(ignored))
    kept = np.maximum.accumulate(np.where(ignored, np.int32(-1), np.arange(len(ignored), dtype=np.int32)))
    return kept[following - 1]


class Marks:
    """Rows where a mask holds, looked up visit by visit."""

    def __init__(self, mask: Bools) -> None:
        self.mask = mask

    @cached_property
    def running(self) -> Rows:
        """How many marked rows lie before each row (i32); one longer than the mask."""
        running = np.zeros(len(self.mask) + 1, np.int32)
        np.cumsum(self.mask, out=running[1:])
        return running

    @cached_property
    def _rows(self) -> Rows:
        return np.flatnonzero(self.mask).astype(np.int32)

    def count(self, first: Rows, last: Rows) -> Rows:
        """How many rows of each visit are marked (i32, by visit)."""
        counted: Rows = self.running[last + 1] - self.running[first]
        return counted

    def first(self, first: Rows, last: Rows) -> Rows:
        """First marked row of each visit (i32, by visit), else -1. Mostly it is the visit's very first."""
        if self.mask[first].all():
            return first
        found = np.append(self._rows, np.int32(len(self.mask)))[self.running[first]]
        return np.where(found <= last, found, np.int32(-1))

    def last(self, first: Rows, last: Rows) -> Rows:
        """Last marked row of each visit (i32, by visit), else -1."""
        if self.mask[last].all():
            return last
        found = np.append(np.int32(-1), self._rows)[self.running[last + 1]]
        return np.where(found >= first, found, np.int32(-1))


def _value_at(values: npt.NDArray[Any], rows: Rows) -> Codes:
    """Code at each row, 0 where the row is -1."""
    if not len(rows):
        return np.empty(0, np.uint32)
    return np.where(rows >= 0, values[rows], 0).astype(np.uint32)
