"""How every report is computed: the tally of each shard, one merge, and what the report then makes of it.

A *breakdown* says what is counted: it makes a tally of the part of a shard that is asked about. A tally is a frame of key columns and of columns
that each carry their reducer. A *runner* makes the tallies of many shards; merging is the same for all. Nothing here knows what is counted.
"""

from __future__ import annotations

from collections.abc import Callable, Hashable, Mapping, Sequence
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass, replace
from typing import Any, Literal, Protocol

import numpy as np
import polars as pl

from upper_compass.core.dataset.coded_hits import Dictionary, Ints
from upper_compass.core.dataset.shard import Shard
from upper_compass.core.engine.selection import ReportFilter, Selection

# sum: of numbers; min, max: of anything ordered; counts: of values, as lists of (value, times), for medians and quantiles; same: all have the same.
Reducer = Literal["sum", "min", "max", "counts", "same"]
# Where every sum can be taken back exactly, so can a whole tally: what a shard counts that another counts anew.
ADDITIVE: frozenset[Reducer] = frozenset({"sum", "counts"})
PRESENCE = "_rows"
# What is left of sums of fractions that cancel each other, as a share of them.
RESIDUE = 1e-12
# Sums of fractions are told to so many places.
DIGITS = 9
# Shards of up to so many hits are tallied one after the other: threads would only wait for the interpreter.
SMALL = 30_000
# A table by code is used up to so many places a row.
TABLE_SHARE = 12


@dataclass(frozen=True)
class Tally:
    """What was counted. `keys`: key columns, with the dictionary whose codes they hold, None where they stand for themselves; `reducers`: all others.

    A column named PRESENCE (i64, sum) tells how much stands behind a row, so that a row behind which nothing stands any more can go. Outside of
    this process codes mean nothing: a tally that leaves it (is pickled) carries texts.
    """

    frame: pl.DataFrame
    keys: Mapping[str, Dictionary | None]
    reducers: dict[str, Reducer]
    sign: int = 1

    def as_texts(self) -> Tally:
        """The same with texts as keys."""
        coded = {name: labels for name, labels in self.keys.items() if labels is not None}
        if not coded:
            return self
        columns = [labels.decode(column.to_numpy()).alias(column.name) if (labels := coded.get(column.name)) else column for column in self.frame]
        return replace(self, frame=pl.DataFrame(columns), keys=dict.fromkeys(self.keys))

    def __reduce__(self) -> tuple[Any, ...]:
        plain = self.as_texts()
        return Tally, (plain.frame, plain.keys, plain.reducers, plain.sign)

    def renamed(self, names: dict[str, str]) -> Tally:
        """The same with other names of its columns, those that are not named left out. PRESENCE stays."""
        names = names | {PRESENCE: PRESENCE} if PRESENCE in self.reducers else names
        columns = [*(self.frame[name] for name in self.keys), *(self.frame[name].alias(to) for name, to in names.items())]
        return replace(self, frame=pl.DataFrame(columns), reducers={to: self.reducers[name] for name, to in names.items()})


class Breakdown(Protocol):
    """What is counted. `key` tells it from all others; `additive`: all its reducers are in ADDITIVE."""

    @property
    def key(self) -> Hashable:
        """The same for breakdowns that count the same."""

    @property
    def additive(self) -> bool:
        """Whether what one shard counts can be taken back from what all count. Maxima and minima cannot, and yet they may: of what no hit ever stops being."""

    def tally(self, selection: Selection) -> Tally:
        """What is counted in one shard."""


Question = tuple[ReportFilter, Breakdown]


class Runner(Protocol):
    """Makes the tallies of many shards."""

    def run(self, shards: Sequence[Shard], questions: Sequence[Question]) -> list[list[Tally]]:
        """For each question, the tally of each shard, with its sign."""


class Threads:
    """Runs in this process: tallies need nothing of each other, and arithmetic on columns leaves other threads room. Of small shards there is little of it,
    and of one there is nothing to share."""

    def __init__(self, count: int) -> None:
        self._pool = ThreadPoolExecutor(count, thread_name_prefix="tally")

    def run(self, shards: Sequence[Shard], questions: Sequence[Question]) -> list[list[Tally]]:
        """See Runner."""
        plans = [_Plan.of(question) for question in questions]
        is_small = len(shards) == 1 or all(len(shard.hits) <= SMALL for shard in shards)
        by_shard = list((map if is_small else self._pool.map)(lambda shard: _tallies_of(shard, plans), shards))
        return [[tallies[i] for tallies in by_shard] for i in range(len(questions))]


@dataclass(frozen=True)
class _Plan:
    """A question, and under which keys what it is about is shared with others: whatever the goal, and before its segments narrow it (None without any)."""

    ask: ReportFilter
    breakdown: Breakdown
    whatever: Hashable
    plain: ReportFilter | None

    @staticmethod
    def of(question: Question) -> _Plan:
        ask, breakdown = question
        plain = ask.plain if ask.is_narrowed else None
        return _Plan(ask, breakdown, replace(ask, goal=None).key, plain)


def _tallies_of(shard: Shard, plans: Sequence[_Plan]) -> list[Tally]:
    """The tally of each question; what is asked about is worked out once, whatever the goal."""
    selections: dict[Hashable, Selection] = {}
    tallies = []
    for plan in plans:
        plain = plan.plain
        if plain and plain.key not in selections:
            selections[plain.key] = Selection(shard, plain)
        if plan.whatever in selections:
            if selections[plan.whatever].ask.key != plan.ask.key:
                selections[plan.whatever] = selections[plan.whatever].of_goal(plan.ask)
        else:
            selections[plan.whatever] = Selection(shard, plan.ask, selections[plain.key] if plain else None)
        tallies.append(replace(plan.breakdown.tally(selections[plan.whatever]), sign=shard.sign))
    return tallies


def merge(tallies: Sequence[Tally]) -> Tally:
    """Tallies brought together by key, one or more; columns that one of them lacks count nothing there."""
    if len(tallies) == 1 and tallies[0].sign == 1:
        return tallies[0]
    tallies, keys = _alike(tallies)
    reducers = {name: reducer for tally in tallies for name, reducer in tally.reducers.items()}
    taken_back = any(tally.sign < 0 for tally in tallies)
    if not taken_back and len(keys) == 1 and set(reducers.values()) == {"sum"}:
        summed = _summed_by_code(tallies, next(iter(keys)), list(reducers))
        if summed is not None:
            return Tally(summed, keys, reducers)
    together = pl.concat([_signed(tally) for tally in tallies], how="diagonal")
    columns = [_reduced(name, reducer, taken_back=taken_back) for name, reducer in reducers.items()]
    merged = together.group_by(list(keys)).agg(columns) if keys else together.select(columns)
    if taken_back and PRESENCE in reducers and keys:
        merged = merged.filter(pl.col(PRESENCE) > 0)
    counts = [_collapsed(name) for name, reducer in reducers.items() if reducer == "counts"]
    return Tally(merged.with_columns(counts) if counts else merged, keys, reducers)


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


def stacked(tallies: Sequence[Tally], columns: Sequence[str]) -> tuple[pl.DataFrame, Ints]:
    """These columns of tallies by the same keys, one below the other, with texts as keys; and of which of the tallies each row is (i64, place)."""
    tallies, keys = _alike(tallies)
    together = pl.concat([tally.frame[list(columns)] for tally in tallies])
    which = np.repeat(np.arange(len(tallies)), [len(tally.frame) for tally in tallies])
    return Tally(together, keys, {}).as_texts().frame, which


def _alike(tallies: Sequence[Tally]) -> tuple[Sequence[Tally], Mapping[str, Dictionary | None]]:
    """Tallies whose keys are of the same dictionaries, as texts where they were not; and these keys."""
    keys = tallies[0].keys
    if any(tally.keys[name] is not labels for tally in tallies for name, labels in keys.items()):
        tallies = [tally.as_texts() for tally in tallies]
    return tallies, tallies[0].keys


def _summed_by_code(tallies: Sequence[Tally], key: str, columns: list[str]) -> pl.DataFrame | None:
    """Sums by one key that is a code: added up in a table by code, which is quicker unless codes are few among many; None where it is not."""
    if tallies[0].keys[key] is None:
        return None
    codes = [tally.frame[key].to_numpy() for tally in tallies]
    bound = max((int(part.max()) + 1 for part in codes if len(part)), default=0)
    if bound > TABLE_SHARE * sum(len(part) for part in codes):
        return None
    present = np.zeros(bound, bool)
    for part in codes:
        present[part] = True
    kept = np.flatnonzero(present)
    made: dict[str, pl.Series] = {}
    for name in columns:
        parts = [(part, tally.frame[name]) for part, tally in zip(codes, tallies, strict=True) if name in tally.reducers]
        summed = np.zeros(bound, np.int64 if parts[0][1].dtype.is_integer() else np.float64)
        for part, values in parts:  # each code stands once in a tally
            summed[part] += values.to_numpy()
        made[name] = pl.Series(name, summed[kept])
    return pl.DataFrame({key: pl.Series(key, kept, dtype=pl.UInt32)} | made)


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


def _reduced(name: str, reducer: Reducer, *, taken_back: bool) -> pl.Expr:
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


def quantile(counts: pl.Series, at: float) -> pl.Series:
    """The value at a share (0 to 1) of each list of (value, times), a row each: the least behind which that share or more lies; null of nothing."""
    rows = pl.DataFrame({"counts": counts}).with_row_index("row")
    flat = rows.explode("counts").drop_nulls().unnest("counts").sort("row", "value").with_columns(pl.col("times").cum_sum().over("row").alias("running"))
    reached = flat.filter(pl.col("running") >= at * pl.col("times").sum().over("row")).group_by("row").agg(pl.col("value").min())
    return rows.select("row").join(reached, on="row", how="left", maintain_order="left")["value"]


@dataclass(frozen=True)
class Counting:
    """A breakdown by a function of a module: it is given the part of a shard that is asked about, and `given`, and makes the tally."""

    make: Callable[..., Tally]
    given: tuple[Any, ...] = ()
    additive: bool = True

    @property
    def key(self) -> Hashable:
        """See Breakdown."""
        return self.make.__module__, self.make.__qualname__, repr(self.given)

    def tally(self, selection: Selection) -> Tally:
        """See Breakdown."""
        return self.make(selection, *self.given)


def tallied(rows: pl.DataFrame, keys: Mapping[str, Dictionary | None], sums: Sequence[str] = (), maxima: Sequence[str] = (), count: str | None = None) -> Tally:
    """A tally of rows by their key columns: sums and maxima of other columns, and under `count` how many rows there are (i64)."""
    aggregates = [pl.col(name).sum() for name in sums] + [pl.col(name).max() for name in maxima]
    counts = [pl.len().cast(pl.Int64).alias(name) for name in (count, PRESENCE) if name is not None]
    frame = rows.group_by(list(keys)).agg(*aggregates, *counts) if keys else rows.select(*aggregates, *counts)
    reducers: dict[str, Reducer] = dict.fromkeys([*sums, *([count] if count else []), PRESENCE], "sum")
    return Tally(frame, keys, reducers | dict.fromkeys(maxima, "max"))


def listed(rows: pl.DataFrame, keys: Sequence[str]) -> Tally:
    """Rows of which each stands once, told apart by their key columns, as a tally."""
    return Tally(rows, dict.fromkeys(keys), {name: "same" for name in rows.columns if name not in keys})
