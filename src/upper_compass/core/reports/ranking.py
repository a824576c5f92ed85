"""Which rows of a table are told, and in which order. Rows are ranked by codes and numbers; texts are made only of those that need them."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace

import numpy as np
import polars as pl

from upper_compass.core.dataset.coded_hits import Bools, Floats, Ints
from upper_compass.core.definitions.hit_match import NUMBER_TESTS
from upper_compass.core.definitions.requests import ColumnValues, Remainder, TableRequest
from upper_compass.core.definitions.text_tests import text_test
from upper_compass.core.engine.merging import DIGITS
from upper_compass.core.engine.protocol import Tally
from upper_compass.core.reports.columns import Asked, Sums, column_values


def filtered(asked: Asked, rows: Tally, request: TableRequest) -> Tally:
    """The rows for which all conditions of the request hold, in their order (rules, chapter 7)."""
    kept = np.ones(len(rows.frame), bool)
    for condition in request.where:
        if isinstance(condition.value, str):
            name = f"key_{request.dimensions.index(condition.of)}"
            labels = rows.keys[name]
            test, pattern = condition.test, condition.value
            kept &= text_test(rows.frame[name], test, pattern).to_numpy() if labels is None else labels.passing(rows.frame[name].to_numpy(), test, pattern)
        else:
            values = asked.by_id[condition.of].values(rows.frame)
            kept &= NUMBER_TESTS[condition.test](values, condition.value)
    return rows if kept.all() else replace(rows, frame=rows.frame.filter(kept))


def page_of(asked: Asked, rows: Tally, request: TableRequest, order: Sequence[str] = ()) -> tuple[Ints, pl.DataFrame]:
    """Places of the rows that are told, in their order, and their keys as texts; equal rows go by their keys, empty measures stand last.

    `order`: of the values of the dimension that is sorted by, where they have one of their own; others stand behind them.
    """
    by = request.sort or request.columns[0].id
    names = list(rows.keys)
    if by in request.dimensions:
        texts = _texts(rows, np.arange(len(rows.frame)))
        first = names[request.dimensions.index(by)]
        key = pl.col(first).replace_strict(list(order), range(len(order)), default=-1 if request.descending else len(order)) if order else pl.col(first)
        ordered = texts.sort([key, *names], descending=[request.descending, *(False for _ in names)])
    else:
        values = asked.by_id[by].values(rows.frame)
        score = np.where(np.isnan(values), np.inf, -values if request.descending else values)
        candidates = _candidates(score, rows, request.offset + request.limit)
        ordered = _texts(rows, candidates).hstack([pl.Series("score", score[candidates])]).sort(["score", *names])
    page = ordered.slice(request.offset, request.limit)
    return page["place"].to_numpy(), page[names]


def _texts(rows: Tally, places: Ints) -> pl.DataFrame:
    """Keys of these rows as texts, and their `place`."""
    chosen = replace(rows, frame=rows.frame[list(rows.keys)][pl.Series(places)]).as_texts().frame
    return chosen.hstack([pl.Series("place", places, dtype=pl.Int64)])


def _candidates(score: Floats, rows: Tally, count: int) -> Ints:
    """Places of the `count` rows of the least score; of those that are equal at the end, the ones whose keys come first."""
    if count >= len(score):
        return np.arange(len(score))
    bound = np.partition(score, count - 1)[count - 1]
    sure, tied = np.flatnonzero(score < bound), np.flatnonzero(score == bound)
    if len(sure) + len(tied) > count:
        tied = _texts(rows, tied).bottom_k(count - len(sure), by=list(rows.keys))["place"].to_numpy()
    return np.concatenate([sure, tied])


def remainder(asked: Asked, rows: Tally, shown: Ints, total: Sums) -> Remainder | None:
    """The rows that are not told, added up; counts of people cannot be."""
    left: Bools = np.ones(len(rows.frame), bool)
    left[shown] = False
    if not left.any():
        return None
    summed = pl.DataFrame([pl.Series(name, [round(float(rows.frame[name].to_numpy()[left].sum()), DIGITS)]) for name in asked.names()])
    columns = column_values(asked, summed, total)
    for i, one in enumerate(asked.columns):
        if one.measure.distinct:
            columns[i] = ColumnValues(id=one.column.id, values=[None], before=[None] if asked.versus else None)
    return Remainder(rows=int(left.sum()), columns=columns)
