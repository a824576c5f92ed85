"""What stands out: every candidate tried, corrected together, ranked by evidence and size, never the same visits twice (rules, decisions)."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

import numpy as np
import polars as pl

from upper_compass.core.definitions.goals import Goal
from upper_compass.core.definitions.segments import DimensionCondition, Group, Segment
from upper_compass.core.engine.context import ReportContext, question
from upper_compass.core.engine.dimensions import DIMENSIONS
from upper_compass.core.engine.kept import told_once
from upper_compass.core.engine.protocol import Counting, Tally, tallied
from upper_compass.core.engine.segments import segment_mask
from upper_compass.core.engine.selection import ReportFilter, Selection
from upper_compass.core.engine.statistics import corrected
from upper_compass.core.insights.converting import MIN_RATIO, over_represented, weak_landings
from upper_compass.core.insights.models import Insight, InsightsRequest, InsightsResult, candidates
from upper_compass.core.insights.moving import moved
from upper_compass.core.insights.reading import bounced, seldom_entered

LEVEL = 0.05
# More evidence than this says no more; of what is no test, as much as of a p of a hundredth.
MOST_EVIDENCE, EVIDENCE_OF_NO_TEST = 40.0, 2.0
# Two values tell of the same visits when they share so much of what either has.
SAME = 0.5
# So many are held against each other, and so many of one kind are told.
HELD, MAX_OF_KIND = 40, 3


@told_once
def worth_a_look(context: ReportContext, request: InsightsRequest, goals: Mapping[int, Goal], dismissed: Sequence[str] = ()) -> InsightsResult:
    """What stands out in a period, the most telling first; without those whose keys are dismissed. Raises UnknownNameError."""
    plain = question(context, request.period, (request.segment,))
    movement, windows = moved(context, plain)
    parts = [movement, bounced(context, plain), seldom_entered(context, plain)]
    if request.goal is not None:
        goal = goals[request.goal]
        parts += [over_represented(context, plain, goal), weak_landings(context, plain, goal)]
    found = candidates(parts)
    tested = found.filter(pl.col("p").is_not_null())
    every = pl.concat([
        tested.with_columns(pl.Series("corrected", corrected(tested["p"].to_numpy()), dtype=pl.Float64)),
        found.filter(pl.col("p").is_null()).with_columns(pl.lit(None, pl.Float64).alias("corrected")),
    ])  # fmt: skip
    evidence = pl.min_horizontal(-pl.max_horizontal(pl.col("corrected"), 1e-300).log10(), MOST_EVIDENCE).fill_null(EVIDENCE_OF_NO_TEST)
    telling = every.filter(pl.col("is_telling") & (pl.col("corrected").is_null() | (pl.col("corrected") <= LEVEL))).with_columns(
        (evidence * pl.col("size")).round(9).alias("weight"), (pl.col("ratio") < 1).fill_null(value=False).alias("is_less")
    )
    ranked = [_insight(row) for row in telling.sort("weight", "is_less", "dimension", "value", descending=[True, False, False, False]).iter_rows(named=True)]
    ranked = [one for one in ranked if one.key not in dismissed]
    told = _each_once(context, plain, ranked, request.limit)
    return InsightsResult(insights=told, tried=len(tested), windows=windows)


def _insight(row: dict[str, object]) -> Insight:
    given = {name: value for name, value in row.items() if name in Insight.model_fields and value is not None}
    for name in ("ratio", "low", "high"):  # a ratio to nothing, and an interval without an end
        if name in given and not np.isfinite(float(str(given[name]))):
            del given[name]
    return Insight.model_validate(given)


def _each_once(context: ReportContext, plain: ReportFilter, ranked: list[Insight], limit: int) -> list[Insight]:
    """The first so many that do not tell of the same visits as one before, few of each kind."""
    most = max(MAX_OF_KIND, limit // 2)
    considered = ranked[: max(HELD, limit)]
    places = {one.key: place for place, one in enumerate(considered)}
    shared = _shared(context, plain, considered) if len(considered) <= HELD else None
    told: list[Insight] = []
    for one in considered:
        if len(told) == limit:
            break
        alike = sum(other.kind == one.kind for other in told)
        again = any(
            (other.dimension, other.value) == (one.dimension, one.value)
            or (shared is not None and bool(one.dimension and other.dimension) and shared[places[one.key], places[other.key]] >= SAME)
            for other in told
        )
        if alike < most and not again and not _is_other_side(one, told):
            told.append(one)
    return told


def _is_other_side(one: Insight, told: Sequence[Insight]) -> bool:
    """Whether it says of other values what is said already: where some are more often among those who reached the goal, all the rest is less often.

    It is when, held against the rest that what is told leaves, it would not be told.
    """
    if one.kind != "converters" or one.ratio is None:
        return False
    family = DIMENSIONS[one.dimension].family
    others = [other for other in told if other.kind == "converters" and _is_less(other) != _is_less(one) and DIMENSIONS[other.dimension].family == family]
    left = 1.0
    for dimension in {other.dimension for other in others}:
        same = [other for other in others if other.dimension == dimension]
        rest_a = 1 - sum(_share(other.a, other.a_of) for other in same)
        rest_b = 1 - sum(_share(other.b, other.b_of) for other in same)
        if rest_a > 0 and rest_b > 0:
            left = min(left, rest_a / rest_b) if _is_less(one) else max(left, rest_a / rest_b)
    return one.ratio > 0 and max(one.ratio / left, left / one.ratio) < MIN_RATIO


def _is_less(one: Insight) -> bool:
    return one.ratio is not None and one.ratio < 1


def _share(count: float | None, of: float | None) -> float:
    return (count or 0.0) / of if of else 0.0


def _shared(context: ReportContext, plain: ReportFilter, found: Sequence[Insight]) -> np.ndarray[tuple[int, int], np.dtype[np.float64]]:
    """Of each two, the visits that have both values, as a share of those that have one of them (f64, 0 to 1)."""
    together = np.zeros((len(found), len(found)))
    if found:
        segments = tuple(
            Segment.model_construct(of="visits", where=Group.model_construct(of="all", conditions=[_condition(one)] if one.dimension else [])) for one in found
        )
        counted = context.tally(plain, Counting(_both, (segments,)))[0].frame
        together[counted["one"].to_numpy(), counted["other"].to_numpy()] = counted["visits"].to_numpy()
    own = np.diag(together)
    either = own[:, None] + own[None, :] - together
    return np.where(either > 0, together / np.maximum(either, 1), 0.0)


def _condition(one: Insight) -> DimensionCondition:
    return DimensionCondition(dimension=one.dimension, test="is", values=[one.value])


def _both(selection: Selection, segments: tuple[Segment, ...]) -> Tally:
    """Visits that are in each two segments: `one`, `other` (i64, places), `visits`."""
    ask, shard = selection.ask, selection.shard
    masks = [segment_mask(shard, one, ask.start, ask.stop, ask.steered_by, with_excluded=ask.with_excluded)[selection.visits] for one in segments]
    fitting = np.array(masks, np.float32)
    together = fitting @ fitting.T
    one, other = np.indices(together.shape)
    return tallied(
        pl.DataFrame({"one": one.ravel(), "other": other.ravel(), "visits": together.ravel().astype(np.float64)}),
        {"one": None, "other": None}, sums=("visits",),
    )  # fmt: skip
