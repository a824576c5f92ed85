"""How every report is computed: the tally of each shard, one merge, and what the report then makes of it.

A *breakdown* says what is counted: it makes a tally of the part of a shard that is asked about. A tally is a frame of key columns and of columns
that each carry their reducer. A *runner* makes the tallies of many shards; merging (`merging`) is the same for all. Nothing here knows what is counted.
"""

from __future__ import annotations

from collections.abc import Callable, Hashable, Mapping, Sequence
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass, replace
from typing import Any, Literal, Protocol

import polars as pl

from upper_compass.core.dataset.coded_hits import Dictionary
from upper_compass.core.dataset.shard import Shard
from upper_compass.core.engine.selection import ReportFilter, Selection

# sum: of numbers; min, max: of anything ordered; counts: of values, as lists of (value, times), for medians and quantiles; same: all have the same.
Reducer = Literal["sum", "min", "max", "counts", "same"]
# Where every sum can be taken back exactly, so can a whole tally: what a shard counts that another counts anew.
ADDITIVE: frozenset[Reducer] = frozenset({"sum", "counts"})
PRESENCE = "_rows"
# Shards of up to so many hits are tallied one after the other: threads would only wait for the interpreter.
SMALL = 30_000


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
