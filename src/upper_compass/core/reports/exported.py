"""A table as a frame: the page that is asked for, or all of its rows."""

from __future__ import annotations

from collections.abc import Mapping

import polars as pl

from upper_compass.core.definitions.files import FileColumn
from upper_compass.core.definitions.goals import Goal
from upper_compass.core.definitions.requests import TableRequest
from upper_compass.core.engine.context import ReportContext
from upper_compass.core.engine.measures import Unit
from upper_compass.core.reports.columns import figures
from upper_compass.core.reports.intervals import intervals
from upper_compass.core.reports.tables import whole_table

# Behind the name and the title of a column, what of it is told beside its values: in the versus period, the ends of the 95 % interval of a rate, or of
# the share that a row is credited, and what the removal effect rests on; with a unit, where it is not the column's own.
BESIDE: dict[str, tuple[str, str, Unit | None]] = {
    "values": ("", "", None),
    "before": ("_before", ", before", None),
    "low": ("_low", ", from", None),
    "high": ("_high", ", to", None),
    "share_low": ("_share_low", ", share from", "percent"),
    "share_high": ("_share_high", ", share to", "percent"),
    "touches": ("_touches", ", touches", "count"),
    "effect": ("_effect", ", removal effect", "percent"),
}


def table_frame(context: ReportContext, request: TableRequest, goals: Mapping[int, Goal], *, every_row: bool) -> tuple[pl.DataFrame, list[FileColumn]]:
    """The rows of a table in their order (String keys, f64 figures), and what its columns are called. `every_row`: whatever page is asked for.

    Whole columns all the way, so that a million rows take no more than their figures do.
    """
    asked, by, keys, sums = whole_table(context, request, goals)
    if request.dimensions and not every_row:
        keys, sums = keys.slice(request.offset, request.limit), sums.slice(request.offset, request.limit)
    columns = [FileColumn(name, context.dimension(name, "dimensions").title) for name in request.dimensions]
    ends = intervals(context, asked, by, keys)
    made = [keys[f"key_{place}"].alias(name) for place, name in enumerate(request.dimensions)]
    for one in asked.columns:
        title = one.column.name or one.measure.title
        parts = {part: pl.Series(values, dtype=pl.Float64, nan_to_null=True) for part, values in figures(one, sums, versus=asked.versus is not None).items()}
        for part, values in (parts | (ends[one.column.id].to_dict() if one.column.id in ends else {})).items():
            behind, words, unit = BESIDE[part]
            columns.append(FileColumn(f"{one.column.id}{behind}", f"{title}{words}", unit or one.measure.unit))
            made.append(values.alias(f"{one.column.id}{behind}"))
    return pl.DataFrame(made), columns
