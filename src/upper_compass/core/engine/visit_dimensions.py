"""What else a visit, or a view, can be read by: when it was, which one it is of its visitor, what it was referred by, which page came before and after.

Each function takes a shard and visits, or rows of hits, and gives codes of words (u32, in their order; 0 is no value), as the registry of dimensions
(`dimensions.py`) wants it.
"""

from __future__ import annotations

import numpy as np
import numpy.typing as npt
import polars as pl

from upper_compass.core.dataset.coded_hits import Bools, Codes, Ints
from upper_compass.core.dataset.shard import Shard, ascending_once
from upper_compass.core.dataset.visits import NO_VISIT, Rows
from upper_compass.core.definitions.hits import Kind

DAY = 86_400_000
# Clocks of the world lie whole quarters of an hour apart.
QUARTER = 900_000
WEEKDAYS = ("Monday", "Tuesday", "Wednesday", "Thursday", "Friday", "Saturday", "Sunday")
# From which number on a step is called what it is; below the first of several each number is one of its own.
NUMBERS = [(number, str(number)) for number in range(1, 6)] + [(6, "6 to 9"), (10, "10 to 19"), (20, "20 and more")]
DAYS_SINCE = [(day, str(day)) for day in range(7)] + [(7, "7 to 13"), (14, "14 to 29"), (30, "30 to 89"), (90, "90 and more")]
# What stands where no page comes before, or after; no page is called so.
ARRIVED, LEFT, NOWHERE = "arrived", "left the site", "nowhere"
SEARCH = "site search"


def named(steps: list[tuple[int, str]]) -> tuple[str, ...]:
    """The names of steps, in their order."""
    return tuple(name for _, name in steps)


def _stepped(shard: Shard, values: npt.NDArray[np.integer], steps: list[tuple[int, str]]) -> Codes:
    """The name of the step in which each value lies; values below the first have none."""
    words = np.concatenate([np.zeros(1, np.uint32), shard.lookups.words(named(steps))])
    return words[np.searchsorted([start for start, _ in steps], values, side="right")]


def visit_number(shard: Shard, visits: Rows) -> Codes:
    """Which visit of its visitor it is, counted over all history."""
    return _stepped(shard, shard.visit("number")[visits], NUMBERS)


def days_since(shard: Shard, visits: Rows) -> Codes:
    """Whole days (of 24 hours) from the start of the visitor's visit before; none of the first."""
    start = shard.visit("start")
    before = start[np.maximum(visits - 1, 0)]
    days = np.where(shard.visit("number")[visits] > 1, (start[visits] - before) // DAY, -1)
    return _stepped(shard, days, DAYS_SINCE)


def _local(shard: Shard, visits: Rows) -> tuple[pl.Series, Ints]:
    """All quarters of an hour (site's time) from the first start of a visit to the last, and in which of them each visit started."""
    quarter = shard.visit("start")[visits] // QUARTER
    first = int(quarter.min())
    every = pl.Series(np.arange(first, int(quarter.max()) + 1) * QUARTER).cast(pl.Datetime("ms"))
    return every.dt.replace_time_zone("UTC").dt.convert_time_zone(shard.lookups.rules.timezone), quarter - first


def hour(shard: Shard, visits: Rows) -> Codes:
    """The hour of the day, in the site's time, at which the visit started: 00 to 23."""
    if not len(visits):
        return np.empty(0, np.uint32)
    local, place = _local(shard, visits)
    return shard.lookups.words(tuple(f"{one:02}" for one in range(24)))[local.dt.hour().to_numpy()][place]


def weekday(shard: Shard, visits: Rows) -> Codes:
    """The day of the week, in the site's time, on which the visit started."""
    if not len(visits):
        return np.empty(0, np.uint32)
    local, place = _local(shard, visits)
    return shard.lookups.words(WEEKDAYS)[local.dt.weekday().to_numpy() - 1][place]


def day(shard: Shard, visits: Rows) -> Codes:
    """The day, in the site's time, on which the visit started: YYYY-MM-DD."""
    if not len(visits):
        return np.empty(0, np.uint32)
    local, place = _local(shard, visits)
    days, of = np.unique(local.dt.date().to_numpy(), return_inverse=True)
    return shard.lookups.words(tuple(str(one) for one in days))[of][place]


def continent(shard: Shard, visits: Rows) -> Codes:
    """The continent of the visit's country."""
    return shard.lookups.continents(shard.visit("country")[visits].astype(np.uint32))


def screen(shard: Shard, visits: Rows) -> Codes:
    """The size of the screen, of the visit's first hit that tells one."""
    if not len(visits):
        return np.empty(0, np.uint32)
    sent = shard.hit("screen")
    codes = sent[shard.visit("first_row")[visits]]
    untold = visits[codes == 0]
    if len(untold):  # mostly the very first hit tells it; of the others all are looked at
        rows = shard.rows_of_visits(untold)
        told = rows[sent[rows] > 0]
        of, first = np.unique(shard.derived.visit_of[told], return_index=True)
        codes[np.searchsorted(visits, of[of >= 0])] = sent[told[first[of >= 0]]]
    return shard.lookups.as_sent("screen")[codes]


def _referrers(shard: Shard, visits: Rows) -> tuple[Codes, Bools]:
    """The code of the referrer of each visit's first view, and whether it is another site's, which is not ignored."""
    entry = shard.visit("entry")[visits]
    if not len(visits) or not len(shard.hit("referrer")):
        return np.zeros(len(visits), np.uint32), np.zeros(len(visits), bool)
    rows = np.maximum(entry, 0)
    referrer, url = shard.hit("referrer")[rows], shard.hit("url")[rows]
    lookups = shard.lookups
    elsewhere = lookups["referrer_host"][referrer] != lookups["bare_host"][url]
    return referrer, (entry >= 0) & (lookups["referrer_source"][referrer] >= 0) & elsewhere


def referrer(shard: Shard, visits: Rows) -> Codes:
    """The host, without www., that the visit's first view was referred by, whatever its tags say."""
    code, is_known = _referrers(shard, visits)
    return np.where(is_known, shard.lookups["referrer_host"][code], 0).astype(np.uint32)


def referrer_page(shard: Shard, visits: Rows) -> Codes:
    """The page that the visit's first view was referred by: host and path."""
    code, is_known = _referrers(shard, visits)
    return np.where(is_known, shard.lookups.referrer_pages()[code], 0).astype(np.uint32)


def referrer_term(shard: Shard, visits: Rows) -> Codes:
    """What was searched for at the search engine that referred the first view, where its address still tells."""
    code, is_known = _referrers(shard, visits)
    lookups = shard.lookups
    sources = np.maximum(lookups["referrer_source"][code], 0)
    is_search = lookups["medium"][sources] == lookups.word("organic")
    return np.where(is_known & is_search, lookups.referrer_terms()[code], 0).astype(np.uint32)


def _page_of_view(shard: Shard, rows: Rows, step: int, otherwise: str) -> Codes:
    """For each hit (ascending rows) the page of a view of the same visit, else a word: a view's so many places later, or the first one behind another hit."""
    visit_of = shard.derived.visit_of
    word = shard.lookups.word(otherwise)
    around = shard.rows_of_visits(ascending_once(visit_of[rows]))
    views = around[(shard.derived.kind[around] == Kind.view) & (visit_of[around] != NO_VISIT)]
    if not len(views):
        return np.full(len(rows), word, np.uint32)
    place = np.searchsorted(views, rows) + step
    there = views[np.clip(place, 0, len(views) - 1)]
    together = (place >= 0) & (place < len(views)) & (visit_of[there] == visit_of[rows])
    return np.where(together, shard.lookups["page"][shard.hit("url")[there]], word).astype(np.uint32)


def _only(shard: Shard, rows: Rows, wanted: Bools, step: int, otherwise: str) -> Codes:
    """The page beside each hit that is wanted, nothing for others."""
    codes = np.zeros(len(rows), np.uint32)
    if wanted.any():
        codes[wanted] = _page_of_view(shard, rows[wanted], step, otherwise)
    return codes


def previous_page(shard: Shard, rows: Rows) -> Codes:
    """The page of the view before, in the same visit."""
    return _only(shard, rows, shard.derived.kind[rows] == Kind.view, -1, ARRIVED)


def next_page(shard: Shard, rows: Rows) -> Codes:
    """The page of the view after it, in the same visit."""
    return _only(shard, rows, shard.derived.kind[rows] == Kind.view, 1, LEFT)


def search_led_to(shard: Shard, rows: Rows) -> Codes:
    """The page that was seen next in the visit in which somebody searched on the site."""
    searched = shard.lookups.dictionaries["name"].find(SEARCH)
    is_search = (shard.derived.kind[rows] == Kind.event) & (shard.hit("name")[rows] == (searched or -1))
    return _only(shard, rows, is_search, 0, NOWHERE)
