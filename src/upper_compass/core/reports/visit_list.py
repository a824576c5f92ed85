"""Single visits: those that fit, newest first; and one visit opened, with why it came from where it did."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Annotated

import numpy as np
from pydantic import BaseModel, ConfigDict, Field

from upper_compass.core.dataset.coded_hits import Ints
from upper_compass.core.dataset.shard import Shard, ranges
from upper_compass.core.dataset.traffic_sources import Explanation
from upper_compass.core.dataset.visits import Rows
from upper_compass.core.definitions.goals import Goal
from upper_compass.core.definitions.periods import Period
from upper_compass.core.definitions.requests import DimensionFilter
from upper_compass.core.engine.selection import ReportFilter, Selection
from upper_compass.core.reports.records import HitRecord, VisitRecord, hit_records, visit_records

MAX_HITS = 2_000
MAX_VISITS = 200


class VisitsRequest(BaseModel):
    """Visits that started in the period. `after` is the `next` of an earlier answer, for those that follow."""

    model_config = ConfigDict(extra="forbid")
    period: Period
    goal: Annotated[int, Field(ge=1, le=2**31 - 1)] | None = None
    filters: Annotated[list[DimensionFilter], Field(max_length=20)] = []
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


def latest_visits(shards: Sequence[Shard], ask: ReportFilter, limit: int, after: str | None) -> VisitsResult:
    """The newest visits that fit the question, with their conversions of its goal."""
    found: list[tuple[int, int, VisitRecord]] = []
    count = 0
    for shard in shards:
        cut = Selection(shard, ask)
        count += len(cut.visits)
        chosen = _newest(shard, cut.visits, limit + 1, after)
        first = shard.hit("seq")[shard.visit("first_row")[chosen]]
        visits = visit_records(shard, chosen)
        _add_conversions(cut, chosen, visits)
        found += zip(shard.visit("start")[chosen].tolist(), first.tolist(), visits, strict=True)
    found.sort(key=lambda one: one[:2], reverse=True)
    shown = found[:limit]
    following = f"{shown[-1][0]}.{shown[-1][1]}" if len(found) > limit else None
    return VisitsResult(visits=[visit for _, _, visit in shown], count=count, next=following)


def _newest(shard: Shard, visits: Rows, limit: int, after: str | None) -> Rows:
    start, seq = shard.visit("start")[visits], shard.hit("seq")[shard.visit("first_row")[visits]]
    if after is not None:
        then, number = (int(part) for part in after.split("."))
        kept = (start < then) | ((start == then) & (seq < number))
        visits, start, seq = visits[kept], start[kept], seq[kept]
    if len(visits) > limit:
        least = np.partition(start, len(start) - limit)[len(start) - limit]
        kept = start >= least
        visits, start, seq = visits[kept], start[kept], seq[kept]
    return visits[np.lexsort((seq, start))[::-1][:limit]]


def _add_conversions(cut: Selection, chosen: Rows, visits: list[VisitRecord]) -> None:
    of = cut.conversions.visit
    low, high = np.searchsorted(of, chosen, side="left"), np.searchsorted(of, chosen, side="right")
    for visit, a, b in zip(visits, low.tolist(), high.tolist(), strict=True):
        visit.conversions = b - a
        visit.value = float(cut.conversions.value[a:b].sum())


def visit_detail(shards: Sequence[Shard], visitor: str, number: int, goal: Goal | None) -> VisitDetail | None:
    """One visit of a visitor by its number, or None when there is no such visit."""
    for shard in shards:
        code = shard.lookups.dictionaries["visitor"].find(visitor)
        if code is None:
            return None
        theirs = ranges(shard.visit("visitor"), np.array([code], np.uint32))
        theirs = theirs[shard.valid[theirs]]
        if len(theirs) < number:
            continue
        visit = theirs[number - 1]
        rows = shard.rows_of_visits(np.array([visit], np.int32))
        rows = rows[shard.derived.visit_of[rows] == visit]
        cut = Selection(shard, ReportFilter(0, 2**62, goal, with_excluded=True))
        told = visit_records(shard, theirs.astype(np.int32))
        _add_conversions(cut, theirs.astype(np.int32), told)
        return VisitDetail(
            visit=told[number - 1],
            hits=hit_records(shard, rows[:MAX_HITS]),
            hits_left_out=max(len(rows) - MAX_HITS, 0),
            conversions=_conversions(cut, rows),
            why=_why(shard, int(shard.visit("entry")[visit])),
            others=[one for one in told if one.number != number][-MAX_VISITS:],
        )
    return None


def _conversions(cut: Selection, rows: Rows) -> dict[int, float]:
    inside: Ints = np.flatnonzero(np.isin(cut.conversions.row, rows))
    seq = cut.shard.hit("seq")[cut.conversions.row[inside]]
    return dict(zip(seq.tolist(), cut.conversions.value[inside].tolist(), strict=True))


def _why(shard: Shard, entry: int) -> Explanation:
    if entry < 0:
        return shard.lookups.traffic_sources.explain("", "")
    url, referrer = (shard.lookups.dictionaries[name].decode(shard.hit(name)[[entry]])[0] for name in ("url", "referrer"))
    return shard.lookups.traffic_sources.explain(url, referrer)
