"""Another model for the children of one row: they share out what the row is credited, each in proportion to the other model's credits (rules, chapter 11)."""

from __future__ import annotations

from collections.abc import Mapping

import polars as pl

from upper_compass.core.definitions.attribution import CreditModel
from upper_compass.core.definitions.goals import Goal
from upper_compass.core.definitions.requests import Column, TableRequest
from upper_compass.core.engine.context import ReportContext
from upper_compass.core.engine.keys import KeyedBy
from upper_compass.core.engine.protocol import Tally
from upper_compass.core.engine.tally import CREDITED
from upper_compass.core.reports.columns import Asked, joined, plan, sum_name

# Of the other model's credits this much is none.
NOTHING = 1e-12


def shared_below(context: ReportContext, request: TableRequest, goals: Mapping[int, Goal], asked: Asked, by: KeyedBy, rows: Tally) -> Tally:
    """The rows below one parent, with what its columns with another model below say shared out anew; all others as they are."""
    if not request.parents or len(request.parents) != len(by.dimensions) - 1 or not any(_below_model(one) for one in request.columns):
        return rows
    columns = [one.model_copy(update={"model": _below_model(one) or one.model, "model_below": None}) for one in request.columns]
    other = plan(context, request.model_copy(update={"columns": columns}), goals)
    theirs, parent = (tally.as_texts() for tally in joined(context, (other, by), (asked, KeyedBy(by.dimensions[:-1], within=by.within))))
    ours, keys = rows.as_texts(), list(rows.keys)
    named = theirs.frame.rename({name: _below(name) for name in theirs.frame.columns if name not in keys})
    frame = ours.frame.join(named, on=keys, how="full", coalesce=True).with_columns(pl.exclude(keys).fill_null(0.0))
    for mine, its in zip(asked.columns, other.columns, strict=True):
        for name in CREDITED & mine.places.keys() if _below_model(mine.column) else ():
            for before in (False, True) if asked.versus else (False,):
                own, shared = sum_name(mine.places[name], name, before=before), _below(sum_name(its.places[name], name, before=before))
                whole, of = float(parent.frame[own].sum()), float(frame[shared].sum())
                if abs(of) > NOTHING:
                    frame = frame.with_columns((pl.col(shared) * (whole / of)).alias(own))
    return Tally(frame.select(ours.frame.columns), ours.keys, ours.reducers)


def _below_model(column: Column) -> CreditModel | None:
    """By which model the rows below share out. By the removal effect they do so in any case: chains over both values do not add up to the one above."""
    return column.model_below or ("removal effect" if column.model == "removal effect" else None)


def _below(name: str) -> str:
    return f"below {name}"
