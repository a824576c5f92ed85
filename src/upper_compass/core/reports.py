"""Tables and series: tally each shard, merge, finish."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from zoneinfo import ZoneInfo

import numpy as np
import polars as pl

from upper_compass.core.dimensions import DIMENSIONS
from upper_compass.core.goals import Goal
from upper_compass.core.hits import Kind
from upper_compass.core.measures import MEASURES, Measure
from upper_compass.core.periods import Period, edges
from upper_compass.core.requests import Asked, Figures, Interval, Note, Point, Rest, Row, SeriesRequest, SeriesResult, TableRequest, TableResult
from upper_compass.core.shard import Shard
from upper_compass.core.stats import beyond_chance, too_few, wilson
from upper_compass.core.tally import Narrow, Question, merge, tally


@dataclass(frozen=True)
class Reading:
    """What a report is read from: shards whose visitors are disjoint, and the site's time zone."""

    shards: Sequence[Shard]
    zone: ZoneInfo

    def tally(self, ask: Question) -> pl.DataFrame:
        """The merged tally: key columns, and a column per additive column asked for."""
        keys = [f"key_{i}" for i in range(len(ask.dimensions))] + (["bucket"] if ask.edges else [])
        return merge([tally(shard, ask) for shard in self.shards], keys)


def table(reading: Reading, request: TableRequest, goal: Goal | None) -> TableResult:
    """A breakdown with its totals; versus is judged by the same question over the versus period."""
    measures = [MEASURES[name] for name in request.measures]
    ask = _question(reading, request, request.period, goal)
    rows_ask = replace(ask, dimensions=tuple(DIMENSIONS[name] for name in request.dimensions))
    versus = request.period.versus(request.versus)
    before_bounds = versus.bounds(reading.zone) if versus else None
    total = _finish(reading.tally(ask), measures)
    before = _finish(reading.tally(_moved(ask, before_bounds)), measures) if before_bounds else None
    result = TableResult(
        period=request.period,
        versus=versus,
        dimensions=request.dimensions,
        measures=request.measures,
        rows=[],
        rest=None,
        total=_figures(total, before, measures, total)[0],
        notes=_notes(reading, ask, overlap=rows_ask.by_hit),
    )
    if request.dimensions:
        rows = _finish(reading.tally(rows_ask), measures)
        rows_before = _finish(reading.tally(_moved(rows_ask, before_bounds)), measures) if before_bounds else None
        keys = [f"key_{i}" for i in range(len(request.dimensions))]
        rows, rows_before = _aligned(rows, rows_before, keys, measures)
        order = _order(rows, request, keys)
        rows, rows_before = rows[order], None if rows_before is None else rows_before[order]
        shown = rows.head(request.limit)
        figures = _figures(shown, None if rows_before is None else rows_before.head(request.limit), measures, total)
        labels = shown.select(keys).rows()
        result.rows = [Row(keys=list(label), **figure.model_dump()) for label, figure in zip(labels, figures, strict=True)]
        result.rest = None if rows_ask.by_hit else _rest(rows, rows_before, request, measures, total)
    return result


def series(reading: Reading, request: SeriesRequest, goal: Goal | None) -> SeriesResult:
    """The course over time; each bucket counts as a period of its own, the totals as the whole period."""
    measures = [MEASURES[name] for name in request.measures]
    ask = _question(reading, request, request.period, goal)
    versus = request.period.versus(request.versus)
    cuts, names = edges(request.period, request.bucket, reading.zone)
    now = _course(reading, ask, measures, cuts)
    before = total_before = None
    if versus:
        before_ask = _moved(ask, versus.bounds(reading.zone))
        before = _course(reading, before_ask, measures, edges(versus, request.bucket, reading.zone)[0])
        total_before = _finish(reading.tally(before_ask), measures)
    total = _finish(reading.tally(ask), measures)
    points = []
    for i, (name, values) in enumerate(zip(names, _values(now, measures), strict=True)):
        there = before is not None and i < len(before)
        points.append(Point(at=name, values=values, before=_values(before[i : i + 1], measures)[0] if there and before is not None else None))
    return SeriesResult(
        period=request.period,
        versus=versus,
        bucket=request.bucket,
        measures=request.measures,
        points=points,
        total=_figures(total, total_before, measures, total)[0],
        notes=_notes(reading, ask, overlap=False),
    )


def _question(reading: Reading, request: Asked, period: Period, goal: Goal | None) -> Question:
    start, stop = period.bounds(reading.zone)
    columns = frozenset(column for name in request.measures for column in MEASURES[name].needs)
    narrow = tuple(Narrow(DIMENSIONS[n.dimension], tuple(n.values), n.without) for n in request.only)
    return Question(start, stop, columns, goal, narrow=narrow, with_hidden=request.with_hidden)


def _moved(ask: Question, bounds: tuple[int, int]) -> Question:
    return replace(ask, start=bounds[0], stop=bounds[1], edges=())


def _course(reading: Reading, ask: Question, measures: list[Measure], cuts: list[int]) -> pl.DataFrame:
    """A row per bucket in order, also where nothing happened."""
    found = reading.tally(replace(ask, edges=tuple(cuts)))
    every = pl.DataFrame({"bucket": np.arange(len(cuts) - 1, dtype=np.int64)})
    return _finish(every.join(found, on="bucket", how="left", maintain_order="left").fill_null(0.0), measures)


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


def _rest(rows: pl.DataFrame, before: pl.DataFrame | None, request: TableRequest, measures: list[Measure], total: pl.DataFrame) -> Rest | None:
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
            figures.beyond_chance.pop(measure.name, None)
    return Rest(rows=len(left), figures=figures)


def _values(frame: pl.DataFrame, measures: list[Measure]) -> list[dict[str, float | None]]:
    renamed = frame.select(pl.col(f"= {m.name}").alias(m.name) for m in measures)
    return renamed.to_dicts()


def _figures(now: pl.DataFrame, before: pl.DataFrame | None, measures: list[Measure], total: pl.DataFrame) -> list[Figures]:
    """Figures of each row of a finished tally: values, versus, intervals, what is too few to say, what is beyond chance."""
    values = _values(now, measures)
    figures = [Figures(values=row) for row in values]
    if before is not None:
        for figure, row in zip(figures, _values(before, measures), strict=True):
            figure.before = row
    for measure in measures:
        if measure.chance == "share":
            _add_intervals(figures, now, measure, total)
        if before is not None and measure.chance != "none":
            parts = [tuple(frame[part].to_numpy() for part in measure.parts) for frame in (now, before)]
            for figure, sure in zip(figures, beyond_chance(measure.chance, *parts), strict=True):
                figure.beyond_chance[measure.name] = bool(sure)
    return figures


def _add_intervals(figures: list[Figures], now: pl.DataFrame, measure: Measure, total: pl.DataFrame) -> None:
    successes, tries = (now[part].to_numpy() for part in measure.parts)
    low, high = wilson(successes, tries)
    share = total[f"= {measure.name}"][0]
    few = too_few(tries, share) if share is not None else np.ones(len(tries), bool)
    for figure, a, b, is_few in zip(figures, low, high, few, strict=True):
        if not np.isnan(a):
            figure.interval[measure.name] = Interval(low=float(a), high=float(b))
        if is_few:
            figure.few.append(measure.name)


def _notes(reading: Reading, ask: Question, *, overlap: bool) -> list[Note]:
    notes = []
    if overlap:
        notes.append(Note(kind="overlap", text="A visit can have several of these values, so the rows overlap and do not add up to the total."))
    if "value" in ask.columns or "revenue" in ask.columns:
        missing = sum(_unrated(shard, ask) for shard in reading.shards)
        if missing:
            amounts = "1 amount counts 0, because its" if missing == 1 else f"{missing:,} amounts count 0, because their"
            notes.append(Note(kind="unrated", text=f"{amounts} currency has no rate in the site's settings."))
    return notes


def _unrated(shard: Shard, ask: Question) -> int:
    """Amounts in the period whose currency has no rate."""
    missing = np.flatnonzero(np.isnan(shard.lexicon["rate"]))
    if not len(missing) or not len(shard.hits):
        return 0
    found = np.flatnonzero(np.isin(shard.hit("currency"), missing) & ~np.isnan(shard.hit("value")))
    at, visit = shard.hit("at")[found], shard.derived.visit_of[found]
    inside = (at >= ask.start) & (at < ask.stop) & (visit >= 0) & np.isin(shard.derived.kind[found], [Kind.event, Kind.order])
    return int((inside & shard.live[visit]).sum())
