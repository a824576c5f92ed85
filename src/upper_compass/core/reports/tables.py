"""Tables and series: what is tallied for their columns, and the figures made of it."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import replace

import numpy as np
import polars as pl

from upper_compass.core.definitions.goals import Goal
from upper_compass.core.definitions.periods import edges
from upper_compass.core.definitions.requests import (
    Course,
    Note,
    SeriesRequest,
    SeriesResult,
    TableRequest,
    TableResult,
)
from upper_compass.core.engine.context import ReportContext
from upper_compass.core.engine.kept import told_once
from upper_compass.core.engine.keys import KeyedBy
from upper_compass.core.engine.merging import DIGITS
from upper_compass.core.engine.protocol import Tally
from upper_compass.core.engine.tally import PEOPLE_COLUMNS
from upper_compass.core.reports.below import shared_below
from upper_compass.core.reports.columns import Asked, Sums, column_values, joined, plan
from upper_compass.core.reports.intervals import ENDS, intervals
from upper_compass.core.reports.ranking import filtered, page_of, remainder
from upper_compass.core.reports.unrated import unrated

OVERLAP = Note(kind="overlap", text="A visit can have several of these values, so the rows overlap and do not add up to the total.")


@told_once
def table(context: ReportContext, request: TableRequest, goals: Mapping[int, Goal]) -> TableResult:
    """A breakdown with its totals; versus is judged by the same question over the versus period. `goals`: by the ids that are asked for."""
    asked = plan(context, request, goals)
    by = _keyed_by(context, request)
    rows, total = _rows_and_total(context, asked, by)
    totals = column_values(asked, total, total)
    result = TableResult(
        period=request.period, versus=asked.versus, dimensions=request.dimensions, rows=[], count=0, columns=[], total=totals, rest=None,
        notes=_notes(context, asked, by),
    )  # fmt: skip
    if request.dimensions:
        fitting = filtered(asked, shared_below(context, request, goals, asked, by, rows), request)
        places, keys = page_of(asked, fitting, request, _order_of(by, request))
        result.rows = [list(row) for row in keys.rows()]
        result.count = len(fitting.frame)
        result.columns = column_values(asked, fitting.frame[pl.Series(places)], total)
        for id_, ends in intervals(context, asked, by, keys).items():
            column = next(one for one in result.columns if one.id == id_)
            column.share_low, column.share_high = (ends[name].to_list() for name in ENDS)
        result.rest = None if by.by_hit or _has_every_touch(asked) else remainder(asked, fitting, places, total)
    return result


def whole_table(context: ReportContext, request: TableRequest, goals: Mapping[int, Goal]) -> tuple[Asked, KeyedBy, pl.DataFrame, Sums]:
    """All rows of a table that fit its conditions, in its order, however many: what was asked, by what, keys (String) and sums, a row each.

    Without dimensions there are no keys, and the totals are the one row.
    """
    asked = plan(context, request, goals)
    by = _keyed_by(context, request)
    rows, total = _rows_and_total(context, asked, by)
    if not request.dimensions:
        return asked, by, pl.DataFrame(), total
    fitting = filtered(asked, shared_below(context, request, goals, asked, by, rows), request)
    places, keys = page_of(asked, fitting, request.model_copy(update={"offset": 0, "limit": len(fitting.frame) + 1}), _order_of(by, request))
    return asked, by, keys, fitting.frame[pl.Series(places)]


def _keyed_by(context: ReportContext, request: TableRequest) -> KeyedBy:
    dimensions = tuple(context.dimension(name, "dimensions") for name in request.dimensions)
    return KeyedBy(dimensions, within=(tuple(request.parents),) if request.parents else ())


def _order_of(by: KeyedBy, request: TableRequest) -> tuple[str, ...]:
    """The order of their own that the values of what is sorted by have."""
    return next((one.order for one in by.dimensions if one.name == request.sort), ())


@told_once
def series(context: ReportContext, request: SeriesRequest, goals: Mapping[int, Goal]) -> SeriesResult:
    """The course over time; each bucket counts as a period of its own, the totals as the whole period. `goals`: by the ids that are asked for."""
    asked = plan(context, request, goals)
    cuts, names = edges(request.period, request.bucket, context.zone)
    cuts_before = edges(asked.versus, request.bucket, context.zone)[0] if asked.versus else []
    by = KeyedBy(edges=tuple(cuts))
    found, total = _rows_and_total(context, asked, by, tuple(cuts_before))
    result = SeriesResult(
        period=request.period, versus=asked.versus, bucket=request.bucket, at=names,
        columns=column_values(asked, _every_bucket(found.frame, asked, len(names), len(cuts_before) - 1), total),
        total=column_values(asked, total, total), notes=_notes(context, asked, by),
    )  # fmt: skip
    if request.rows:
        dimensions = tuple(context.dimension(name, "dimensions") for name in request.dimensions)
        by = replace(by, dimensions=dimensions, within=tuple(tuple(row) for row in request.rows))
        [found] = joined(context, (asked, by), edges_before=tuple(cuts_before))
        found = found.as_texts()
        courses = found.frame.partition_by([f"key_{i}" for i in range(len(dimensions))], as_dict=True)
        for row in request.rows:
            course = courses.get(tuple(row), found.frame.clear())
            columns = column_values(asked, _every_bucket(course, asked, len(names), len(cuts_before) - 1), total)
            result.courses.append(Course(row=row, columns=columns))
    return result


def _rows_and_total(context: ReportContext, asked: Asked, by: KeyedBy, edges_before: tuple[int, ...] = ()) -> tuple[Tally, Sums]:
    """Rows and totals. By dimensions of the visit and over time, what is no count of people adds up to the total; people are counted anew."""
    if not by.dimensions and not by.edges:
        [whole] = joined(context, (asked, KeyedBy()))
        return whole, whole.frame
    # What is credited in parts adds up to the total but for its last digits, and what every touch has whole does not.
    if by.by_hit or by.within or any(asked.credited):
        rows, whole = joined(context, (asked, by), (asked, KeyedBy()), edges_before=edges_before)
        return rows, whole.frame
    people = asked.only(PEOPLE_COLUMNS)
    totals = [(people, KeyedBy())] if people.names() else []
    rows, *counted = joined(context, (asked, by), *totals, edges_before=edges_before)
    total = {name: pl.Series(name, [round(float(rows.frame[name].sum()), DIGITS)]) for name in asked.names()}
    return rows, pl.DataFrame(list((total | {name: one.frame[name] for one in counted for name in people.names()}).values()))


def _every_bucket(found: pl.DataFrame, asked: Asked, count: int, count_before: int) -> Sums:
    """A row per bucket in order, also where nothing happened; where the versus period is shorter, what lies beyond it is null."""
    buckets, now = found["bucket"].to_numpy(), set(asked.names(before=False))
    there = buckets < count  # the versus period may have more of them
    course = {name: np.zeros(count) for name in asked.names()}
    for name, values in course.items():
        values[buckets[there]] = found[name].to_numpy()[there]
        if name not in now:
            values[count_before:] = np.nan
    return pl.DataFrame([pl.Series(name, values) for name, values in course.items()])


def _has_every_touch(asked: Asked) -> bool:
    return any(crediting is not None and crediting.model == "every touch" for crediting in asked.credited)


def _notes(context: ReportContext, asked: Asked, by: KeyedBy) -> list[Note]:
    # What a model shares out adds up, but for what every touch has whole.
    overlapping = _has_every_touch(asked) or (by.by_hit and not all(asked.credited))
    notes = [OVERLAP] if by.dimensions and overlapping else []
    missing = unrated(context, asked)
    if missing:
        amounts = "1 amount counts 0, because its" if missing == 1 else f"{missing:,} amounts count 0, because their"
        notes.append(Note(kind="unrated", text=f"{amounts} currency has no rate in the site's settings."))
    return notes
