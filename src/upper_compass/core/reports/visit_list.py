"""Single visits: those that fit, newest first; and one visit opened, with why it came from where it did."""

from __future__ import annotations

from dataclasses import replace
from typing import Annotated

import numpy as np
import polars as pl
from pydantic import BaseModel, ConfigDict, Field

from upper_compass.core.dataset.shard import ranges
from upper_compass.core.dataset.traffic_sources import Explanation
from upper_compass.core.dataset.visits import Rows
from upper_compass.core.definitions.files import FileColumn
from upper_compass.core.definitions.goals import Goal
from upper_compass.core.definitions.hits import Kind
from upper_compass.core.definitions.periods import Period
from upper_compass.core.definitions.requests import GoalId
from upper_compass.core.definitions.segments import Segment
from upper_compass.core.engine.context import ReportContext
from upper_compass.core.engine.protocol import Counting, Tally, listed
from upper_compass.core.engine.selection import ReportFilter, Selection
from upper_compass.core.engine.tally import GroupBy
from upper_compass.core.reports.records import HitRecord, VisitRecord, hit_frame, hit_records, visit_frame, visit_records

MAX_HITS = 2_000
MAX_VISITS = 200
_VISIT = ("visitor", "number")


class VisitsRequest(BaseModel):
    """Visits that started in the period. `after` is the `next` of an earlier answer, for those that follow."""

    model_config = ConfigDict(extra="forbid")
    period: Period
    goal: GoalId | None = None
    segment: Segment | None = None
    with_excluded: bool = False
    limit: Annotated[int, Field(ge=1, le=MAX_VISITS)] = 50
    after: Annotated[str | None, Field(pattern=r"^\d{1,18}\.\d{1,18}$")] = None


class VisitsResult(BaseModel):
    """Visits, newest first, how many fit in all, and where to go on."""

    visits: list[VisitRecord]
    count: int
    next: str | None


class VisitDetail(BaseModel):
    """One visit: its hits in order, the conversions among them by `seq`, why it came from where it did, and the visitor's other visits."""

    visit: VisitRecord
    hits: list[HitRecord]
    hits_left_out: int
    conversions: dict[int, float]
    why: Explanation
    others: list[VisitRecord]


def latest_visits(context: ReportContext, ask: ReportFilter, limit: int, after: str | None) -> VisitsResult:
    """The newest visits that fit the question, with their conversions of its goal."""
    count = int(context.tally(replace(ask, goal=None), GroupBy(columns=frozenset({"visits"})))[0].frame["visits"].sum())
    found = context.tally(ask, Counting(_newest, (limit + 1, after), additive=False))[0].frame.sort("start", "seq", descending=True)
    shown = found.head(limit)
    following = f"{shown['start'][-1]}.{shown['seq'][-1]}" if len(found) > limit else None
    return VisitsResult(visits=visit_records(shown), count=count, next=following)


# What a file calls the columns of visits.
_IN_FILES = (
    FileColumn("start", "Began"), FileColumn("visitor", "Visitor"), FileColumn("number", "Visit number", "count"), FileColumn("channel", "Channel"),
    FileColumn("source", "Source"), FileColumn("medium", "Medium"), FileColumn("campaign", "Campaign"), FileColumn("content", "Content"),
    FileColumn("term", "Term"), FileColumn("label", "Link label"), FileColumn("entry_page", "Landing page"), FileColumn("exit_page", "Exit page"),
    FileColumn("views", "Views", "count"), FileColumn("engaged", "Time engaged, s", "seconds"), FileColumn("duration", "Length, s", "seconds"),
    FileColumn("bounce", "Bounce", "count"), FileColumn("device", "Device"), FileColumn("browser", "Browser"), FileColumn("system", "System"),
    FileColumn("language", "Language"), FileColumn("country", "Country"), FileColumn("conversions", "Conversions", "count"),
    FileColumn("value", "Value", "money"),
)  # fmt: skip


def every_visit(context: ReportContext, ask: ReportFilter) -> tuple[pl.DataFrame, list[FileColumn]]:
    """All visits that fit the question, newest first, as columns of a file: `start` as a text in the site's time, times in seconds, `bounce` 0 or 1."""
    found = context.tally(ask, Counting(_newest, (2**62, None), additive=False))[0].frame.sort("start", "seq", descending=True)
    began = pl.col("start").cast(pl.Datetime("ms", "UTC")).dt.convert_time_zone(context.zone.key).dt.to_string("%Y-%m-%d %H:%M:%S")
    return found.with_columns(began, pl.col("engaged", "duration") / 1000, pl.col("bounce").cast(pl.Int64)), list(_IN_FILES)


def _newest(selection: Selection, limit: int, after: str | None) -> Tally:
    """The newest visits, `seq` the number of the first hit of each."""
    shard, visits = selection.shard, selection.visits
    start, seq = shard.visit("start")[visits], shard.hit("seq")[shard.visit("first_row")[visits]]
    if after is not None:
        then, number = (int(part) for part in after.split("."))
        kept = (start < then) | ((start == then) & (seq < number))
        visits, start, seq = visits[kept], start[kept], seq[kept]
    if len(visits) > limit:
        least = np.partition(start, len(start) - limit)[len(start) - limit]
        kept = start >= least
        visits, start, seq = visits[kept], start[kept], seq[kept]
    newest = np.lexsort((seq, start))[::-1][:limit]
    return listed(visit_frame(shard, visits[newest], selection.conversions).with_columns(pl.Series("seq", seq[newest])), _VISIT)


def visit_detail(context: ReportContext, visitor: str, number: int, goal: Goal | None) -> VisitDetail | None:
    """One visit of a visitor by its number, or None when there is no such visit."""
    ask = ReportFilter(0, 2**62, goal, with_excluded=True, keep=False)
    of_visitor, of_visit = (Counting(_of_visitor, (visitor,), additive=False), Counting(_hits_of, (visitor, number), additive=False))
    visits, hits = (tally.frame for tally in context.tally(ask, of_visitor, of_visit))
    records = visit_records(visits.sort("number"))
    visit = next((one for one in records if one.number == number), None)
    if visit is None:
        return None
    hits = hits.sort("place")
    first = hits.filter(pl.col("kind") == int(Kind.view)).head(1)
    address = first.select("url", "referrer").row(0) if len(first) else ("", "")
    return VisitDetail(
        visit=visit,
        hits=hit_records(hits),
        hits_left_out=sum(hits["of"].head(1).to_list()) - len(hits),
        conversions=dict(hits.filter(pl.col("converted")).select("seq", "worth").iter_rows()),
        why=context.shards.lookups.traffic_sources.explain(*address),
        others=[one for one in records if one.number != number][-MAX_VISITS:],
    )


def _visits_of(selection: Selection, visitor: str) -> Rows:
    """The visits of a visitor that are read from this shard."""
    code = selection.shard.lookups.dictionaries["visitor"].find(visitor)
    if code is None:
        return np.empty(0, np.int32)
    theirs = ranges(selection.shard.visit("visitor"), np.array([code], np.uint32))
    return theirs[selection.shard.valid[theirs]]


def _of_visitor(selection: Selection, visitor: str) -> Tally:
    """All visits of a visitor."""
    return listed(visit_frame(selection.shard, _visits_of(selection, visitor), selection.conversions), _VISIT)


def _hits_of(selection: Selection, visitor: str, number: int) -> Tally:
    """The first hits of one visit in order (`place`), `of` how many; whether each `converted`, and its `worth`."""
    shard = selection.shard
    visit = _visits_of(selection, visitor)[number - 1 : number]
    rows = shard.rows_of_visits(visit)
    count = len(rows)
    rows = rows[:MAX_HITS]
    place = np.searchsorted(selection.conversions.row, rows)
    worth = np.full(len(rows), np.nan)
    inside = np.flatnonzero(place < len(selection.conversions.row))
    inside = inside[selection.conversions.row[place[inside]] == rows[inside]]
    worth[inside] = selection.conversions.value[place[inside]]
    table = hit_frame(shard, rows).with_columns(
        pl.Series("place", np.arange(len(rows)), dtype=pl.Int64), pl.lit(count, pl.Int64).alias("of"),
        pl.Series("converted", ~np.isnan(worth)), pl.Series("worth", worth),
    )  # fmt: skip
    return listed(table, ["seq"])
