"""A table as a frame: what a page shows of it, or all of its rows."""

from __future__ import annotations

from collections.abc import Mapping

import polars as pl

from upper_compass.core.definitions.files import FileColumn
from upper_compass.core.definitions.goals import Goal
from upper_compass.core.definitions.requests import ColumnValues, TableRequest
from upper_compass.core.engine.context import ReportContext
from upper_compass.core.engine.measures import MEASURES
from upper_compass.core.reports.tables import table

EVERY_ROW = 2**31
# Beside the values of a column, as far as it has them: in the versus period, and the ends of the 95 % interval.
BESIDE = {"before": "before", "low": "from", "high": "to"}


def table_frame(context: ReportContext, request: TableRequest, goals: Mapping[int, Goal], *, every_row: bool) -> tuple[pl.DataFrame, list[FileColumn]]:
    """The rows of a table in their order (String keys, f64 figures), and what its columns are called. `every_row`: whatever page is asked for."""
    asked = request.model_copy(update={"offset": 0, "limit": EVERY_ROW}) if every_row else request
    found = table(context, asked, goals)
    columns = [FileColumn(name, context.dimension(name, "dimensions").title) for name in request.dimensions]
    series = [pl.Series(name, [row[place] for row in found.rows], dtype=pl.String) for place, name in enumerate(request.dimensions)]
    for column, values in zip(request.columns, found.columns, strict=True):
        measure = MEASURES[column.measure]
        title = column.name or measure.title
        for name, words, figures in _parts(values):
            columns.append(FileColumn(f"{column.id}{name}", f"{title}{words}", measure.unit))
            series.append(pl.Series(f"{column.id}{name}", figures, dtype=pl.Float64))
    return pl.DataFrame(series), columns


def _parts(values: ColumnValues) -> list[tuple[str, str, list[float | None]]]:
    """The figures of a column with what is put behind its name and its title."""
    beside = [(f"_{name}", f", {words}", getattr(values, name)) for name, words in BESIDE.items() if getattr(values, name) is not None]
    return [("", "", values.values), *beside]
