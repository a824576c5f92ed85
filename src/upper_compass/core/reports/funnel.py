"""How far people, or visits, came along steps: reached, lost, the time it took, and the course of it (rules, chapter 9)."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import polars as pl

from upper_compass.core.definitions.funnels import (
    FunnelFigures,
    FunnelRequest,
    FunnelResult,
    FunnelSeriesRequest,
    FunnelSeriesResult,
    LostTo,
    NextPage,
)
from upper_compass.core.definitions.periods import Period, edges
from upper_compass.core.engine.context import ReportContext, question
from upper_compass.core.engine.funnels import lost_to, matched, reached
from upper_compass.core.engine.protocol import Counting, Question, quantile
from upper_compass.core.engine.statistics import wilson

QUARTILES = {"quartile": 0.25, "median": 0.5, "upper_quartile": 0.75}
# Pages that those lost at a step went on to, the others are told together.
MAX_NEXT = 5


def funnel(context: ReportContext, request: FunnelRequest) -> FunnelResult:
    """How far they came, in all, by value and by segment; versus is judged by the same question over its period. Raises UnknownNameError."""
    asked, count = request.funnel, len(request.funnel.steps)
    versus = request.period.versus(request.versus)
    now = question(context, request.period, (request.segment,))
    start, stop = versus.bounds(context.zone) if versus else (0, 0)
    periods = [now, *([replace(now, start=start, stop=stop)] if versus else [])]
    dimension = context.dimension(request.dimension, "dimension") if request.dimension else None
    plain = Counting(reached, (asked, None, ()))
    by = [plain, *([Counting(reached, (asked, dimension, ()))] if dimension else [])]
    questions: list[Question] = [(ask, one) for one in by for ask in periods]
    questions += [(question(context, request.period, (request.segment, one)), plain) for one in request.beside]
    questions += [(now, Counting(lost_to, (asked, context.dimension("page", "funnel")))), (now, Counting(matched, (asked,)))]
    found = [tally.as_texts().frame for tally in context.tallies(questions)]
    *figures, lost, fitting = found
    beside = figures[len(figures) - len(request.beside) :]
    result = FunnelResult(
        period=request.period, versus=versus, whole=_figures(figures[: len(periods)], count),
        beside=[_figures([frame], count) for frame in beside], lost_to=[_lost_to(lost, step) for step in range(count - 1)],
        matched=_by_step(fitting, count)["matched"].fill_null(0).to_list(),
    )  # fmt: skip
    if dimension:
        rows, *before = figures[len(periods) : 2 * len(periods)]
        first = rows.filter(pl.col("step") == 0).sort("reached", "key_0", descending=[True, False])
        result.count = len(first)
        result.values = first["key_0"].head(request.limit).to_list()
        for value in result.values:
            result.rows.append(_figures([frame.filter(pl.col("key_0") == value) for frame in (rows, *before)], count))
    return result


def funnel_series(context: ReportContext, request: FunnelSeriesRequest) -> FunnelSeriesResult:
    """How many reached each step and how long it took them, by the bucket in which the hit of their first one lies. Raises UnknownNameError."""
    versus = request.period.versus(request.versus)
    names = edges(request.period, request.bucket, context.zone)[1]
    courses = [_course(context, request, period) for period in (request.period, *([versus] if versus else []))]
    (reached_in, median), (before, median_before) = courses[0], courses[1] if versus else (None, None)
    return FunnelSeriesResult(
        period=request.period, versus=versus, bucket=request.bucket, at=names, reached=reached_in, median=median, before=before, median_before=median_before
    )  # fmt: skip


def _course(context: ReportContext, request: FunnelSeriesRequest, period: Period) -> tuple[list[list[int]], list[list[float | None]]]:
    """By step and bucket of a period: how many reached it, and the median of the seconds that it took them."""
    cuts = edges(period, request.bucket, context.zone)[0]
    [tally] = context.tally(question(context, period, (request.segment,)), Counting(reached, (request.funnel, None, tuple(cuts))))
    steps, buckets = tally.frame["step"].to_numpy(), tally.frame["bucket"].to_numpy()
    counts = np.zeros((len(request.funnel.steps), len(cuts) - 1), np.int64)
    medians = np.full(counts.shape, None, dtype=object)
    counts[steps, buckets] = tally.frame["reached"].to_numpy()
    medians[steps, buckets] = quantile(tally.frame["seconds"], QUARTILES["median"]).to_list()
    return counts.tolist(), medians.tolist()


def _lost_to(lost: pl.DataFrame, step: int) -> LostTo:
    """Where those went who reached a step (from 0) and not the next."""
    here = lost.filter(pl.col("step") == step)
    pages = here.filter(pl.col("key_0") != "").sort("units", "key_0", descending=[True, False])
    told = [NextPage(page=page, units=units) for page, units in pages.select("key_0", "units").head(MAX_NEXT).iter_rows()]
    left = int(here.filter(pl.col("key_0") == "")["units"].sum())
    return LostTo(left=left, pages=told, elsewhere=int(here["units"].sum()) - left - sum(one.units for one in told))


def _by_step(frame: pl.DataFrame, count: int) -> pl.DataFrame:
    """A row for each step, in their order."""
    steps = pl.DataFrame({"step": np.arange(count, dtype=np.int64)})
    return steps.join(frame, on="step", how="left", maintain_order="left")


def _figures(frames: list[pl.DataFrame], count: int) -> FunnelFigures:
    """The figures of each step, of the period and of that of versus."""
    now, *before = [_by_step(frame, count).with_columns(pl.col("reached").fill_null(0)) for frame in frames]
    here = now["reached"].to_numpy()
    previous = np.concatenate([[0], here[:-1]])
    low, high = wilson(here, previous)
    is_held = (previous > 0) & (np.arange(count) > 0)

    def told(values: np.ndarray) -> list[float | None]:
        return [float(value) if held else None for value, held in zip(values, is_held, strict=True)]

    with np.errstate(divide="ignore", invalid="ignore"):
        of_first, of_previous = here / here[0], here / previous
    return FunnelFigures(
        reached=here.tolist(),
        before=before[0]["reached"].to_list() if before else None,
        of_first=[float(one) if here[0] and step else None for step, one in enumerate(of_first)],
        of_previous=told(of_previous), low=told(low), high=told(high),
        lost=[int(one) if step else None for step, one in enumerate(previous - here)],
        **{name: quantile(now["seconds"], at).to_list() for name, at in QUARTILES.items()},
    )  # fmt: skip
