"""How far people, or visits, came along steps: reached, lost, and the time it took (rules, chapter 9)."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import polars as pl

from upper_compass.core.dataset.hit_matching import matching
from upper_compass.core.definitions.funnels import Funnel, FunnelFigures, FunnelRequest, FunnelResult
from upper_compass.core.definitions.hits import Kind
from upper_compass.core.engine.context import ReportContext, question
from upper_compass.core.engine.dimensions import Dimension
from upper_compass.core.engine.keys import KeyedBy
from upper_compass.core.engine.protocol import PRESENCE, Counting, Tally, quantile
from upper_compass.core.engine.selection import Selection
from upper_compass.core.engine.sequences import ways
from upper_compass.core.engine.statistics import wilson

QUARTILES = {"quartile": 0.25, "median": 0.5, "upper_quartile": 0.75}


def funnel(context: ReportContext, request: FunnelRequest) -> FunnelResult:
    """How far they came, in all and by value; versus is judged by the same question over the versus period. Raises UnknownNameError."""
    versus = request.period.versus(request.versus)
    now = question(context, request.period, (request.segment,))
    start, stop = versus.bounds(context.zone) if versus else (0, 0)
    asked = [now, *([replace(now, start=start, stop=stop)] if versus else [])]
    dimension = context.dimension(request.dimension, "dimension") if request.dimension else None
    by = [Counting(_reached, (request.funnel, None)), *([Counting(_reached, (request.funnel, dimension))] if dimension else [])]
    found = [tally.as_texts().frame for tally in context.tallies([(ask, one) for one in by for ask in asked])]
    count = len(request.funnel.steps)
    whole = _figures(found[: len(asked)], count)
    result = FunnelResult(period=request.period, versus=versus, whole=whole)
    if dimension:
        rows, *before = found[len(asked) :]
        first = rows.filter(pl.col("step") == 0).sort("reached", "key_0", descending=[True, False])
        result.count = len(first)
        result.values = first["key_0"].head(request.limit).to_list()
        for value in result.values:
            result.rows.append(_figures([frame.filter(pl.col("key_0") == value) for frame in (rows, *before)], count))
    return result


def _reached(selection: Selection, funnel: Funnel, dimension: Dimension | None) -> Tally:
    """By step (`step`, from 0), and value of a dimension at the first one (`key_0`): how many units reached it, and the seconds that it took each."""
    shard = selection.shard
    if funnel.units == "people":
        rows, unit_of = selection.rows, shard.hit("visitor")
    else:
        rows = selection.rows[selection.started_in_period[selection.owners_of(selection.rows)]]
        unit_of = shard.derived.visit_of
    at = shard.hit("at")
    steps = [matching(step, shard.hits, shard.derived, shard.lookups, rows) for step in funnel.steps]
    views = rows[selection.kind(rows) == Kind.view] if funnel.directly_next else None
    window = None if funnel.window_minutes is None else int(funnel.window_minutes * 60_000)
    came = ways(steps, [unit_of[step] for step in steps], at, window, views)
    of_first = came.rows[:, 0].astype(np.int32)
    keys = {} if dimension is None else {"key_0": KeyedBy((dimension,)).of_rows(selection, of_first)[0].astype(np.uint32)}
    parts = []
    for step in range(len(steps)):
        there = came.depth > step
        seconds = np.full(int(there.sum()), np.nan)
        if step:
            here, before = came.rows[there, step], came.rows[there, step - 1]
            seconds = (at[here] - at[before]) / 1000
        columns = {name: codes[there] for name, codes in keys.items()}
        parts.append(pl.DataFrame({**columns, "seconds": seconds}).with_columns(pl.lit(step, pl.Int64).alias("step")))
    spans = pl.col("seconds").drop_nans().value_counts().struct.rename_fields(["value", "times"])
    counts = [pl.len().cast(pl.Int64).alias(name) for name in ("reached", PRESENCE)]
    frame = pl.concat(parts).group_by(*keys, "step").agg(*counts, spans.alias("seconds"))
    labels = {"key_0": shard.lookups.labels} if dimension is not None else {}
    return Tally(frame, {**labels, "step": None}, {"reached": "sum", PRESENCE: "sum", "seconds": "counts"})


def _figures(frames: list[pl.DataFrame], count: int) -> FunnelFigures:
    """The figures of each step, of the period and of that of versus."""
    steps = pl.DataFrame({"step": np.arange(count, dtype=np.int64)})
    now, *before = [steps.join(frame, on="step", how="left", maintain_order="left").with_columns(pl.col("reached").fill_null(0)) for frame in frames]
    reached = now["reached"].to_numpy()
    previous = np.concatenate([[0], reached[:-1]])
    low, high = wilson(reached, previous)
    is_held = (previous > 0) & (np.arange(count) > 0)

    def told(values: np.ndarray) -> list[float | None]:
        return [float(value) if held else None for value, held in zip(values, is_held, strict=True)]

    with np.errstate(divide="ignore", invalid="ignore"):
        of_first, of_previous = reached / reached[0], reached / previous
    return FunnelFigures(
        reached=reached.tolist(),
        before=before[0]["reached"].to_list() if before else None,
        of_first=[float(one) if reached[0] and step else None for step, one in enumerate(of_first)],
        of_previous=told(of_previous), low=told(low), high=told(high),
        lost=[int(one) if step else None for step, one in enumerate(previous - reached)],
        **{name: quantile(now["seconds"], at).to_list() for name, at in QUARTILES.items()},
    )  # fmt: skip
