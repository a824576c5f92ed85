"""How much of a credited share is chance: the intervals of the rows that are told (rules, chapter 11)."""

from __future__ import annotations

import polars as pl

from upper_compass.core.engine.context import ReportContext
from upper_compass.core.engine.credits import Credits
from upper_compass.core.engine.keys import KeyedBy
from upper_compass.core.engine.protocol import Question
from upper_compass.core.engine.replicates import replicates, share_intervals
from upper_compass.core.reports.columns import Asked

# Of more rows than these the first ones have an interval.
MAX_ROWS = 500
ENDS = ("share_low", "share_high")


def intervals(context: ReportContext, asked: Asked, by: KeyedBy, keys: pl.DataFrame) -> dict[str, pl.DataFrame]:
    """By the id of each column that is asked for with one, the interval of each row's share: `share_low`, `share_high` (f64, 0 to 1).

    `keys`: of the rows (String, a column a dimension). It is null of rows after the first so many; a row that another model shares out has none at all.
    """
    names = [f"key_{i}" for i in range(len(by.dimensions))]
    within = tuple(keys.head(MAX_ROWS).rows())
    wanted: dict[str, Question] = {}
    for one in asked.columns:
        place = one.places.get("conversions")
        crediting = asked.credited[place] if place is not None and one.column.with_interval else None
        if place is not None and crediting is not None and not (by.within and one.column.model_below):
            wanted[one.column.id] = (asked.questions[place], replicates(Credits(by.dimensions, within=within, crediting=crediting)))
    if not wanted or not within:
        return {}
    tallies = context.tallies(list(wanted.values()))
    found = (keys.join(share_intervals(tally, by), on=names, how="left", maintain_order="left") for tally in tallies)
    return {column: frame.select(ENDS) for column, frame in zip(wanted, found, strict=True)}
