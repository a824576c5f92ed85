"""Two groups held against each other, value by value (rules, chapter 8)."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import replace

import numpy as np
import polars as pl

from upper_compass.core.dataset.coded_hits import Floats
from upper_compass.core.definitions.comparisons import AnotherPeriod, AnotherSegment, ComparedSizes, ComparedValue, CompareRequest, CompareResult
from upper_compass.core.definitions.files import FileColumn
from upper_compass.core.definitions.goals import Goal
from upper_compass.core.definitions.periods import Period
from upper_compass.core.definitions.segments import Segment
from upper_compass.core.engine.comparison import Groups, compared, held_against, own_dimensions, sizes_of
from upper_compass.core.engine.context import ReportContext, question
from upper_compass.core.engine.selection import ReportFilter
from upper_compass.core.engine.statistics import corrected, koopman

MAX_MADE_OF = 50


# What a file calls the columns of a comparison.
_IN_FILES = (
    FileColumn("dimension", "Dimension"), FileColumn("value", "Value"), FileColumn("a", "In A", "count"), FileColumn("b", "In B", "count"),
    FileColumn("share_a", "Share of A", "percent"), FileColumn("share_b", "Share of B", "percent"), FileColumn("ratio", "Ratio", "number"),
    FileColumn("low", "Ratio, from", "number"), FileColumn("high", "Ratio, to", "number"), FileColumn("p", "p"), FileColumn("corrected", "p, corrected"),
)  # fmt: skip


def every_value(context: ReportContext, request: CompareRequest, goals: Mapping[int, Goal]) -> tuple[pl.DataFrame, list[FileColumn]]:
    """All rows of a comparison of the kind that is asked for, in its order, as columns of a file. Raises UnknownNameError."""
    found = compare(context, request.model_copy(update={"offset": 0, "limit": 2**62}), goals)
    told = {name: getattr(found, name) for name in ("a", "b", "ratio", "low", "high", "p", "corrected")}
    frame = pl.DataFrame(
        {"dimension": found.dimensions, "value": found.values} | told, {"dimension": pl.String, "value": pl.String} | dict.fromkeys(told, pl.Float64)
    )
    shares = [(pl.col(name) / getattr(found.sizes, name)).alias(f"share_{name}") for name in ("a", "b")]
    return frame.with_columns(shares), list(_IN_FILES)


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
    return held_against(context, a, whole, request.units)


def _apart(rows: pl.DataFrame, those: pl.Series) -> tuple[pl.DataFrame, pl.DataFrame]:
    return rows.filter(those), rows.filter(~those)


def _ratio(a: Floats, size_a: int, b: Floats, size_b: int) -> Floats:
    with np.errstate(divide="ignore", invalid="ignore"):
        return (a / np.float64(size_a)) / (b / np.float64(size_b))


def _told(values: Floats) -> list[float | None]:
    return [float(value) if np.isfinite(value) else None for value in values]


def _period_of(request: CompareRequest) -> Period:
    return request.against.period if isinstance(request.against, AnotherPeriod) else request.period
