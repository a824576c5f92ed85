"""How much of a credited share is chance: the intervals of the rows that are told (rules, chapter 11)."""

from __future__ import annotations

from collections.abc import Sequence

import polars as pl

from upper_compass.core.definitions.requests import ColumnValues
from upper_compass.core.engine.context import ReportContext
from upper_compass.core.engine.credits import Credits
from upper_compass.core.engine.keys import KeyedBy
from upper_compass.core.engine.protocol import Question
from upper_compass.core.engine.replicates import replicates, share_intervals
from upper_compass.core.reports.columns import Asked

# Of more rows than these the first ones have an interval.
MAX_ROWS = 500


def add_intervals(context: ReportContext, asked: Asked, by: KeyedBy, rows: Sequence[Sequence[str]], told: Sequence[ColumnValues]) -> None:
    """Into columns that are asked for with one: the interval of each row's share. `rows`: their keys; a row that another model shares out has none."""
    within = tuple(tuple(row) for row in rows[:MAX_ROWS])
    wanted: list[tuple[ColumnValues, Question]] = []
    for one, values in zip(asked.columns, told, strict=True):
        place = one.places.get("conversions")
        crediting = asked.credited[place] if place is not None and one.column.with_interval else None
        if place is not None and crediting is not None and not (by.within and one.column.model_below):
            wanted.append((values, (asked.questions[place], replicates(Credits(by.dimensions, within=within, crediting=crediting)))))
    if not wanted or not within:
        return
    names = [f"key_{i}" for i in range(len(by.dimensions))]
    keys = pl.DataFrame([list(row) for row in rows], schema=dict.fromkeys(names, pl.String), orient="row")
    for (values, _), tally in zip(wanted, context.tallies([question for _, question in wanted]), strict=True):
        found = keys.join(share_intervals(tally, by), on=names, how="left", maintain_order="left")
        values.share_low, values.share_high = found["share_low"].to_list(), found["share_high"].to_list()
