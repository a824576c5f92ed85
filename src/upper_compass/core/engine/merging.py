"""How tallies are brought together: by key, each column by its reducer, whatever was counted."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import replace
from math import prod

import numpy as np
import polars as pl

from upper_compass.core.dataset.coded_hits import Dictionary
from upper_compass.core.engine.group_by import Array, KeySpace
from upper_compass.core.engine.protocol import PRESENCE, Reducer, Tally

# What is left of sums of fractions that cancel each other, as a share of them.
RESIDUE = 1e-12
# Sums of fractions are told to so many places.
DIGITS = 9
# Of more rows than these, keys are numbered in columns only where a table of all that there may be has up to so many places a row.
MANY_ROWS, TABLE_SHARE = 50_000, 12


def merge(tallies: Sequence[Tally]) -> Tally:
    """Tallies brought together by key, one or more; columns that one of them lacks count nothing there."""
    if len(tallies) == 1 and tallies[0].sign == 1:
        return tallies[0]
    tallies, keys = _alike(tallies)
    reducers = {name: reducer for tally in tallies for name, reducer in tally.reducers.items()}
    merged = _summed(tallies, keys, list(reducers)) if set(reducers.values()) == {"sum"} else None
    return Tally(_reduced(tallies, keys, reducers) if merged is None else merged, keys, reducers)


def _takes_back(tallies: Sequence[Tally]) -> bool:
    return any(tally.sign < 0 for tally in tallies)


def settled(tally: Tally) -> Tally:
    """The tally as it is told: sums of fractions to a thousand-millionth, so that it is the same however many shards were added up, in any order."""
    columns = tally.frame.get_columns()
    told = [_told(column) if tally.reducers.get(column.name) == "sum" and column.dtype.is_float() else column for column in columns]
    if all(after is before for after, before in zip(told, columns, strict=True)):
        return tally
    return replace(tally, frame=pl.DataFrame(told))


def _told(column: pl.Series) -> pl.Series:
    values = column.to_numpy()
    if (values == np.rint(values)).all():  # counts, as nearly all are
        return column
    return pl.Series(column.name, np.round(values, DIGITS))


def _alike(tallies: Sequence[Tally]) -> tuple[Sequence[Tally], Mapping[str, Dictionary | None]]:
    """Tallies whose keys are of the same dictionaries, as texts where they were not; and these keys."""
    keys = tallies[0].keys
    if any(tally.keys[name] is not labels for tally in tallies for name, labels in keys.items()):
        tallies = [tally.as_texts() for tally in tallies]
    return tallies, tallies[0].keys


def _summed(tallies: Sequence[Tally], keys: Mapping[str, Dictionary | None], columns: Sequence[str]) -> pl.DataFrame | None:
    """Sums by keys that are numbers, column by column; None where they are not, and where very many rows are sooner sorted by a plan of the frames."""
    if not all(tally.frame.schema[name].is_integer() for tally in tallies for name in keys):
        return None
    places = [[tally.frame[name].to_numpy() for name in keys] for tally in tallies]
    rows = sum(len(tally.frame) for tally in tallies)
    if rows > MANY_ROWS and _cells(places) > TABLE_SHARE * rows:
        return None
    space = KeySpace(*places)
    groups = space.groups or [np.zeros(len(tally.frame), np.int64) for tally in tallies]
    made = {name: labels.astype(tallies[0].frame[name].to_numpy().dtype) for name, labels in zip(keys, space.labels, strict=True)}
    for name in columns:
        parts = [(group, tally.sign, tally.frame[name]) for group, tally in zip(groups, tallies, strict=True) if name in tally.reducers]
        made[name] = _sum_of(parts, space.count, exactly=name == PRESENCE)
    there = np.ones(space.count, bool)
    if len(keys) > 1:  # then the space holds some that occur nowhere
        there[:] = False
        for group in groups:
            there[group] = True
    if keys and PRESENCE in made and _takes_back(tallies):
        there &= made[PRESENCE] > 0
    return pl.DataFrame([pl.Series(name, values if there.all() else values[there]) for name, values in made.items()])


def _cells(places: Sequence[Sequence[Array]]) -> int:
    """How many places a table of all keys that there may be has."""
    return prod(max(int(part.max(initial=0)) + 1 for part in parts) for parts in zip(*places, strict=True))


def _sum_of(parts: Sequence[tuple[Array, int, pl.Series]], count: int, *, exactly: bool) -> Array:
    """A column summed by group: of each tally the group of its rows, of which each stands once, its sign, and its values."""
    is_whole = parts[0][2].dtype.is_integer()
    summed: Array = np.zeros(count, np.int64 if is_whole else np.float64)
    for group, sign, values in parts:
        added = values.to_numpy().astype(summed.dtype, copy=False)  # what has no sign of its own has one here
        summed[group] += added if sign > 0 else -added
    if is_whole or exactly or all(sign > 0 for _, sign, _ in parts):
        return summed
    weight = np.zeros(count)
    for group, _, values in parts:
        weight[group] += np.abs(values.to_numpy())
    summed[np.abs(summed) <= RESIDUE * weight] = 0
    return summed


def _reduced(tallies: Sequence[Tally], keys: Mapping[str, Dictionary | None], reducers: Mapping[str, Reducer]) -> pl.DataFrame:
    """Whatever the keys and reducers are, by a plan of the frames."""
    together = pl.concat([_signed(tally) for tally in tallies], how="diagonal")
    taken_back = _takes_back(tallies)
    columns = [_reduction(name, reducer, taken_back=taken_back) for name, reducer in reducers.items()]
    merged = together.group_by(list(keys)).agg(columns) if keys else together.select(columns)
    if keys and PRESENCE in reducers and taken_back:
        merged = merged.filter(pl.col(PRESENCE) > 0)
    counts = [_collapsed(name) for name, reducer in reducers.items() if reducer == "counts"]
    return merged.with_columns(counts) if counts else merged


def _signed(tally: Tally) -> pl.DataFrame:
    if tally.sign == 1:
        return tally.frame
    sums = [-pl.col(name) for name, reducer in tally.reducers.items() if reducer == "sum"]
    sums += [pl.lit(None, tally.frame.schema[name]).alias(name) for name, reducer in tally.reducers.items() if reducer in ("min", "max", "same")]
    times = [
        pl.col(name).list.eval(pl.struct(pl.element().struct.field("value"), -pl.element().struct.field("times")))
        for name, reducer in tally.reducers.items()
        if reducer == "counts"
    ]
    return tally.frame.with_columns(*sums, *times)


def _reduction(name: str, reducer: Reducer, *, taken_back: bool) -> pl.Expr:
    column = pl.col(name)
    match reducer:
        case "sum":
            total = column.sum()
            if not taken_back or name == PRESENCE:
                return total
            return pl.when(total.abs() <= RESIDUE * column.abs().sum()).then(0).otherwise(total).alias(name)
        case "min":
            return column.min()
        case "max":
            return column.max()
        case "counts":
            return column.explode()
        case "same":
            return column.drop_nulls().first()


def _collapsed(name: str) -> pl.Expr:
    """Lists of (value, times) with each value once, ascending; what was taken back is gone."""
    value, times = pl.element().struct.field("value"), pl.element().struct.field("times")
    summed = pl.struct(value.alias("value"), times.sum().over(value).alias("times"))
    once = pl.col(name).list.eval(summed.unique()).list.eval(pl.element().filter(times > 0))
    return once.list.eval(pl.element().sort_by(value))
