"""Two groups held against each other, value by value (rules, chapter 8)."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace

import numpy as np
import polars as pl

from upper_compass.core.dataset.coded_hits import Floats
from upper_compass.core.definitions.comparisons import AnotherPeriod, AnotherSegment, ComparedSizes, ComparedValue, CompareRequest, CompareResult
from upper_compass.core.definitions.goals import Goal
from upper_compass.core.definitions.periods import Period
from upper_compass.core.definitions.segments import Segment
from upper_compass.core.engine.context import ReportContext, question
from upper_compass.core.engine.dimensions import DIMENSIONS, Dimension, of_field
from upper_compass.core.engine.protocol import Tally
from upper_compass.core.engine.selection import Outside, ReportFilter
from upper_compass.core.engine.statistics import FEW, chi_square_p, corrected, koopman
from upper_compass.core.engine.tally import GroupBy

# The additive column that counts the units.
COLUMN = {"people": "visitors", "visits": "visits"}
MAX_MADE_OF = 50
# Of a page that is known, these say where one came from and went on to, alone they are the pages themselves once more; a day is what a period is made of.
OF_ANOTHER = ("previous_page", "next_page", "day")


@dataclass(frozen=True)
class Groups:
    """Two groups: what each is asked about, how many units it has, and how many the one that A is held against shared with it before it was reduced."""

    a: ReportFilter
    b: ReportFilter
    sizes: ComparedSizes


def own_dimensions(context: ReportContext) -> list[Dimension]:
    """Every dimension that tells something of its own: not what stands as it was tagged, before tidying, nor what tells of another only."""
    known = [dimension for name, dimension in DIMENSIONS.items() if not name.startswith("raw_") and name not in OF_ANOTHER]
    return [*known, *(of_field(field) for field in context.shards.lookups.rules.fields)]


def compare(context: ReportContext, request: CompareRequest, goals: Mapping[int, Goal]) -> CompareResult:
    """Group A against another, by p and then by value; rows that are too few to say apart. Raises UnknownNameError."""
    dimensions = [context.dimension(name, "dimensions") for name in request.dimensions] or own_dimensions(context)
    groups = groups_of(context, request, goals)
    rows = compared(context, groups, dimensions, request.units)
    made_of, rows = _apart(rows, rows["is_made_of"])
    rows = rows.with_columns(pl.Series("corrected", corrected(rows["p"].to_numpy())))
    named = ["dimension", "value"]
    few, sure = _apart(rows, rows["is_few"])
    chosen = few if request.too_few else sure
    page = chosen.sort("p", "value", "dimension").slice(request.offset, request.limit)
    a, b, sizes = page["a"].to_numpy(), page["b"].to_numpy(), groups.sizes
    low, high = koopman(a, sizes.a, b, sizes.b)
    return CompareResult(
        period=request.period, against=_period_of(request), units=request.units, sizes=sizes,
        dimensions=page["dimension"].to_list(), values=page["value"].to_list(), a=a.astype(int).tolist(), b=b.astype(int).tolist(),
        ratio=_told(_ratio(a, sizes.a, b, sizes.b)), low=_told(low), high=_told(high), p=page["p"].to_list(), corrected=page["corrected"].to_list(),
        count=len(chosen), count_too_few=len(few), tested=len(rows),
        made_of=[ComparedValue(dimension=row[0], value=row[1]) for row in made_of.sort(named).select(named).head(MAX_MADE_OF).iter_rows()],
    )  # fmt: skip


def groups_of(context: ReportContext, request: CompareRequest, goals: Mapping[int, Goal]) -> Groups:
    """The two groups. Where A is a part of the other, that is reduced to the rest: its units that are not in A."""
    steered_by = goals[request.goal] if request.goal is not None else None

    def asked(period: Period, *segments: Segment | None) -> ReportFilter:
        return replace(question(context, period, (request.segment, *segments)), steered_by=steered_by)

    a = asked(request.period, request.group)
    if isinstance(request.against, AnotherPeriod):
        b = asked(request.against.period, request.group)
        size_a, size_b = sizes_of(context, (a, b), request.units)
        return Groups(a, b, ComparedSizes(a=size_a, b=size_b, both=0, is_rest=False))
    whole = asked(request.period, request.against.segment if isinstance(request.against, AnotherSegment) else None)
    rest = replace(whole, outside=Outside(a.segments, request.units))
    size_a, size_whole, size_rest = sizes_of(context, (a, whole, rest), request.units)
    both = size_whole - size_rest
    is_rest = both == size_a
    return Groups(a, rest if is_rest else whole, ComparedSizes(a=size_a, b=size_rest if is_rest else size_whole, both=both, is_rest=is_rest))


def sizes_of(context: ReportContext, asked: Sequence[ReportFilter], units: str) -> list[int]:
    """How many units each question is about."""
    by = GroupBy(columns=frozenset({COLUMN[units]}))
    return [int(tally.frame[COLUMN[units]][0]) for tally in context.tallies([(ask, by) for ask in asked])]


def compared(context: ReportContext, groups: Groups, dimensions: Sequence[Dimension], units: str) -> pl.DataFrame:
    """A row for each value that a unit of either group has: `dimension`, `value`, `a`, `b` (f64), `p`, `is_few` (fewer than five units expected in one
    of the cells), `is_made_of` (all of A and none of B have it). In no order."""
    column = COLUMN[units]
    by = [GroupBy((dimension,), columns=frozenset({column})) for dimension in dimensions]
    tallies = context.tallies([(ask, one) for ask in (groups.a, groups.b) for one in by])
    parts = [
        _beside(a, b, column).select(pl.lit(dimension.name).alias("dimension"), "value", "a", "b")
        for dimension, a, b in zip(dimensions, tallies[: len(by)], tallies[len(by) :], strict=True)
    ]
    rows = pl.concat(parts)
    a, b = rows["a"].to_numpy(), rows["b"].to_numpy()
    size_a, size_b = groups.sizes.a, groups.sizes.b
    pooled = (a + b) / max(size_a + size_b, 1)
    return rows.with_columns(
        pl.Series("p", chi_square_p(a, size_a, b, size_b)),
        pl.Series("is_few", np.minimum(pooled * size_a, pooled * size_b) < FEW),
        pl.Series("is_made_of", (a == size_a) & (b == 0) & (size_a > 0) & (size_b > 0)),
    )


def _beside(a: Tally, b: Tally, column: str) -> pl.DataFrame:
    """Two tallies by one dimension beside each other, as texts."""
    one, other = (tally.as_texts().frame.select(pl.col("key_0").alias("value"), pl.col(column).alias(name)) for tally, name in ((a, "a"), (b, "b")))
    together = one.join(other, on="value", how="full", coalesce=True).with_columns(pl.col("a", "b").fill_null(0.0))
    return together.filter((pl.col("a") > 0) | (pl.col("b") > 0))


def _apart(rows: pl.DataFrame, those: pl.Series) -> tuple[pl.DataFrame, pl.DataFrame]:
    return rows.filter(those), rows.filter(~those)


def _ratio(a: Floats, size_a: int, b: Floats, size_b: int) -> Floats:
    with np.errstate(divide="ignore", invalid="ignore"):
        return (a / np.float64(size_a)) / (b / np.float64(size_b))


def _told(values: Floats) -> list[float | None]:
    return [float(value) if np.isfinite(value) else None for value in values]


def _period_of(request: CompareRequest) -> Period:
    return request.against.period if isinstance(request.against, AnotherPeriod) else request.period
