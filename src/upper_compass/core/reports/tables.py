"""Tables and series: tally each shard, merge, finish."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace
from math import isnan

import numpy as np
import polars as pl

from upper_compass.core.definitions.goals import Goal, HitValue
from upper_compass.core.definitions.hits import Kind
from upper_compass.core.definitions.periods import edges
from upper_compass.core.definitions.requests import (
    Interval,
    MeasureValues,
    Note,
    RemainderRow,
    Row,
    SeriesPoint,
    SeriesRequest,
    SeriesResult,
    TableRequest,
    TableResult,
)
from upper_compass.core.engine.context import ReportContext, question
from upper_compass.core.engine.dimensions import UnknownNameError
from upper_compass.core.engine.measures import MEASURES, Measure
from upper_compass.core.engine.selection import GroupBy, ReportFilter, Selection
from upper_compass.core.engine.statistics import is_significant, too_few, wilson
from upper_compass.core.engine.tally import PEOPLE_COLUMNS


def table(reading: ReportContext, request: TableRequest, goal: Goal | None) -> TableResult:
    """A breakdown with its totals; versus is judged by the same question over the versus period."""
    measures = [_measure(name) for name in request.measures]
    ask = question(reading, request.period, goal, request.filters, with_excluded=request.with_excluded)
    by = GroupBy(_columns(measures), tuple(reading.dimension(name, "dimensions") for name in request.dimensions))
    versus = request.period.versus(request.versus)
    rows, total = (_finish(part, measures) for part in _rows_and_total(reading, ask, by))
    rows_before = before = None
    if versus:
        asked_before = _moved(ask, versus.bounds(reading.zone))
        rows_before, before = (_finish(part, measures) for part in _rows_and_total(reading, asked_before, by))
    result = TableResult(
        period=request.period,
        versus=versus,
        dimensions=request.dimensions,
        measures=request.measures,
        rows=[],
        rest=None,
        total=_figures(total, before, measures, total)[0],
        notes=_notes(reading, ask, by),
    )
    if request.dimensions:
        rows, rows_before = _aligned(rows, rows_before, by.keys, measures)
        order = _order(rows, request, by.keys)
        rows, rows_before = rows[order], None if rows_before is None else rows_before[order]
        shown = rows.head(request.limit)
        figures = _figures(shown, None if rows_before is None else rows_before.head(request.limit), measures, total)
        labels = shown.select(by.keys).rows()
        result.rows = [Row.model_construct(keys=list(label), **dict(figure)) for label, figure in zip(labels, figures, strict=True)]
        result.rest = None if by.by_hit else _rest(rows, rows_before, request, measures, total)
    return result


def _rows_and_total(reading: ReportContext, ask: ReportFilter, by: GroupBy) -> tuple[pl.DataFrame, pl.DataFrame]:
    """Rows and totals, not finished. By dimensions of the visit and over time, what is no count of people adds up to the total; people are counted anew."""
    if not by.keys or by.by_hit:
        # One after the other: by a dimension of the hit, rows take as much memory as all else together.
        rows, total = reading.tally(ask, by)[0], reading.tally(ask, GroupBy(by.columns))[0]
    else:
        people = by.columns & frozenset(PEOPLE_COLUMNS)
        rows, counted = reading.tally(ask, by, GroupBy(people))
        total = rows.select(pl.col(name).sum() for name in sorted(by.columns - people))
        total = total.with_columns(counted[name] for name in sorted(people)) if len(total.columns) else counted
    return rows, total


def series(reading: ReportContext, request: SeriesRequest, goal: Goal | None) -> SeriesResult:
    """The course over time; each bucket counts as a period of its own, the totals as the whole period."""
    measures = [_measure(name) for name in request.measures]
    ask = question(reading, request.period, goal, request.filters, with_excluded=request.with_excluded)
    by = GroupBy(_columns(measures))
    versus = request.period.versus(request.versus)
    cuts, names = edges(request.period, request.bucket, reading.zone)
    now, total = _course(reading, ask, by, measures, cuts)
    before = total_before = None
    if versus:
        cuts_before = edges(versus, request.bucket, reading.zone)[0]
        before, total_before = _course(reading, _moved(ask, versus.bounds(reading.zone)), by, measures, cuts_before)
    points = []
    for i, (name, values) in enumerate(zip(names, _values(now, measures), strict=True)):
        there = before is not None and i < len(before)
        points.append(SeriesPoint(at=name, values=values, before=_values(before[i : i + 1], measures)[0] if there and before is not None else None))
    return SeriesResult(
        period=request.period,
        versus=versus,
        bucket=request.bucket,
        measures=request.measures,
        points=points,
        total=_figures(total, total_before, measures, total)[0],
        notes=_notes(reading, ask, by),
    )


def _measure(name: str) -> Measure:
    if name not in MEASURES:
        raise UnknownNameError("measures", f"there is no measure {name!r}; the registry lists them all")
    return MEASURES[name]


def _columns(measures: list[Measure]) -> frozenset[str]:
    return frozenset(column for measure in measures for column in measure.needs)


def _moved(ask: ReportFilter, bounds: tuple[int, int]) -> ReportFilter:
    return replace(ask, start=bounds[0], stop=bounds[1])


def _course(reading: ReportContext, ask: ReportFilter, by: GroupBy, measures: list[Measure], cuts: list[int]) -> tuple[pl.DataFrame, pl.DataFrame]:
    """A row per bucket in order, also where nothing happened; and the totals."""
    found, total = _rows_and_total(reading, ask, replace(by, edges=tuple(cuts)))
    every = pl.DataFrame({"bucket": np.arange(len(cuts) - 1, dtype=np.int64)})
    course = every.join(found, on="bucket", how="left", maintain_order="left").fill_null(0.0)
    return _finish(course, measures), _finish(total, measures)


def _finish(tallied: pl.DataFrame, measures: list[Measure]) -> pl.DataFrame:
    """The tally with a column `= name` per measure beside its additive columns."""
    return tallied.with_columns(measure.of.cast(pl.Float64).alias(f"= {measure.name}") for measure in measures)


def _aligned(rows: pl.DataFrame, before: pl.DataFrame | None, keys: list[str], measures: list[Measure]) -> tuple[pl.DataFrame, pl.DataFrame | None]:
    """Both periods with the same keys in the same order; a key that one of them lacks counts nothing there."""
    if before is None:
        return rows, None
    every = pl.concat([rows.select(keys), before.select(keys)]).unique(maintain_order=True)

    def filled(part: pl.DataFrame) -> pl.DataFrame:
        additive = [name for name in part.columns if not name.startswith("= ") and name not in keys]
        joined = every.join(part, on=keys, how="left", maintain_order="left")
        return _finish(joined.select(*keys, pl.col(additive).fill_null(0.0)), measures)

    return filled(rows), filled(before)


def _order(rows: pl.DataFrame, request: TableRequest, keys: list[str]) -> pl.Series:
    """Row numbers in the order asked for; equal rows go by their keys, empty measures last."""
    by = request.sort or request.measures[0]
    column = keys[request.dimensions.index(by)] if by in request.dimensions else f"= {by}"
    return rows.with_row_index("row").sort([column, *keys], descending=[request.descending, *(False for _ in keys)], nulls_last=True)["row"]


def _rest(rows: pl.DataFrame, before: pl.DataFrame | None, request: TableRequest, measures: list[Measure], total: pl.DataFrame) -> RemainderRow | None:
    left = rows.slice(request.limit)
    if not len(left):
        return None
    additive = list({column for m in measures for column in m.needs})
    summed = _finish(left.select(pl.col(additive).sum()), measures)
    summed_before = None if before is None else _finish(before.slice(request.limit).select(pl.col(additive).sum()), measures)
    figures = _figures(summed, summed_before, measures, total)[0]
    for measure in measures:
        if measure.distinct:
            figures.values[measure.name] = None
            if figures.before:
                figures.before[measure.name] = None
            figures.interval.pop(measure.name, None)
            figures.is_significant.pop(measure.name, None)
    return RemainderRow(rows=len(left), figures=figures)


def _values(frame: pl.DataFrame, measures: list[Measure]) -> list[dict[str, float | None]]:
    renamed = frame.select(pl.col(f"= {m.name}").alias(m.name) for m in measures)
    return renamed.to_dicts()


def _figures(now: pl.DataFrame, before: pl.DataFrame | None, measures: list[Measure], total: pl.DataFrame) -> list[MeasureValues]:
    """Figures of each row of a finished tally: values, versus, intervals, what is too few to say, what is beyond chance."""
    intervals: list[dict[str, Interval]] = [{} for _ in range(len(now))]
    few: list[list[str]] = [[] for _ in range(len(now))]
    beyond: list[dict[str, bool]] = [{} for _ in range(len(now))]
    for measure in measures:
        if measure.chance == "share":
            _add_intervals(intervals, few, now, measure, total)
        if before is not None and measure.chance != "none":
            parts = [tuple(frame[part].to_numpy() for part in measure.parts) for frame in (now, before)]
            for judged, sure in zip(beyond, is_significant(measure.chance, *parts).tolist(), strict=True):
                judged[measure.name] = sure
    earlier: Sequence[dict[str, float | None] | None] = [None] * len(now) if before is None else _values(before, measures)
    # Thousands of rows are made here from figures of our own, so they are not validated one by one.
    return [
        MeasureValues.model_construct(None, values=values, before=held, interval=interval, few=rare, is_significant=sure)
        for values, held, interval, rare, sure in zip(_values(now, measures), earlier, intervals, few, beyond, strict=True)
    ]


def _add_intervals(intervals: list[dict[str, Interval]], few: list[list[str]], now: pl.DataFrame, measure: Measure, total: pl.DataFrame) -> None:
    successes, tries = (now[part].to_numpy() for part in measure.parts)
    low, high = wilson(successes, tries)
    share = total[f"= {measure.name}"][0]
    rare = too_few(tries, share) if share is not None else np.ones(len(tries), bool)
    for i, (a, b, is_few) in enumerate(zip(low.tolist(), high.tolist(), rare.tolist(), strict=True)):
        if not isnan(a):  # over something
            intervals[i][measure.name] = Interval(low=a, high=b)
        if is_few:
            few[i].append(measure.name)


def _notes(reading: ReportContext, ask: ReportFilter, by: GroupBy) -> list[Note]:
    notes = []
    if by.by_hit:
        notes.append(Note(kind="overlap", text="A visit can have several of these values, so the rows overlap and do not add up to the total."))
    if by.wants("value", "revenue"):
        missing = sum(_unrated(Selection(shard, ask), by) for shard in reading.shards)
        if missing:
            amounts = "1 amount counts 0, because its" if missing == 1 else f"{missing:,} amounts count 0, because their"
            notes.append(Note(kind="unrated", text=f"{amounts} currency has no rate in the site's settings."))
    return notes


def _unrated(cut: Selection, by: GroupBy) -> int:
    """How many amounts that would count in the period have a currency without a rate."""
    shard = cut.shard
    missing = np.flatnonzero(np.isnan(shard.lookups["rate"]))
    if not len(missing):
        return 0
    rows = [cut.rows[cut.kind(cut.rows) == Kind.order]] if by.wants("revenue") else []
    if by.wants("value") and cut.ask.goal is not None and isinstance(cut.ask.goal.value, HitValue):
        counted = cut.conversions.row[cut.counted_conversions]
        rows.append(counted if cut.ask.goal.value.kind == "hit" else counted[cut.kind(counted) == Kind.order])
    amounts = np.unique(np.concatenate(rows)) if rows else np.empty(0, np.int32)
    return int((np.isin(shard.hit("currency")[amounts], missing) & ~np.isnan(shard.hit("value")[amounts])).sum())
