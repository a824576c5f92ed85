"""Conversions credited by the removal effect: how much less would convert, if a value were missing from the ways to it (rules, chapter 11).

What is counted are steps of ways: from the start to a first touch, from touch to touch, from a last touch to a conversion or to nothing. They add up over
shards; what a value is worth is worked out from their sums.
"""

from __future__ import annotations

from collections.abc import Hashable
from dataclasses import dataclass
from typing import ClassVar

import numpy as np
import polars as pl

from upper_compass.core.dataset.coded_hits import Bools, Floats, Ints
from upper_compass.core.engine.credit_kernels import DAY, Stretches
from upper_compass.core.engine.credits import Crediting, Credits, Touches
from upper_compass.core.engine.group_by import KeySpace
from upper_compass.core.engine.keys import Array, KeyedBy
from upper_compass.core.engine.protocol import PRESENCE, Tally
from upper_compass.core.engine.selection import Selection

# What a step is: the first of a way, one from touch to touch, the last one; and what the conversions are worth that have a touch, or none.
BEGINS, GOES_ON, CONVERTS, ENDS, TOUCHED, UNTOUCHED = range(6)
# A chain of more different values is not worked out: its time grows with their third power.
MAX_VALUES = 1_000
AMOUNTS = ("conversions", "value", "value_squared")


USUAL = Crediting("removal effect")


class TooManyValuesError(Exception):
    """More different values than a chain is worked out for."""


@dataclass(frozen=True)
class WaySteps(KeyedBy):
    """The steps of ways by the values that they go from and to."""

    crediting: Crediting = USUAL
    additive: ClassVar[bool] = True

    @property
    def key(self) -> Hashable:
        """See Breakdown."""
        return self.crediting, tuple(dimension.name for dimension in self.dimensions)

    def tally(self, selection: Selection) -> Tally:
        """A row for each kind of step (`step`, i64), value before (`from_0` … codes of labels) and value behind (`to_0` …): how many (`count`, f64).

        Of TOUCHED and UNTOUCHED the amounts of the conversions (`conversions`, `value`, `value_squared`, f64), without values.
        """
        by = Credits(self.dimensions, crediting=self.crediting)
        counted, made = selection.counted_conversions, selection.conversions
        touches = Touches.of(by, selection, counted)
        touches, of = touches.among_others(_since_the_one_before(selection, counted, touches, touches.stretches(selection, counted, self.crediting.reach)))
        ending, groups = self._without_conversion(selection, by)
        keys = [np.concatenate(pair) for pair in zip(self._keys(selection, touches), self._keys(selection, ending), strict=True)]
        space = KeySpace(keys)
        states = space.groups[0]
        begun, ended = len(touches.rows), _ends(groups)
        parts = [_steps(states, of.only(of.lengths > 0), CONVERTS), _steps(states, Stretches(begun + ended.first, begun + ended.stop), ENDS)]
        steps = pl.concat(parts).group_by("step", "from", "to").agg(pl.len().cast(pl.Float64).alias("count"))
        worth = {"conversions": np.ones(len(counted)), "value": made.value[counted], "value_squared": made.value[counted] ** 2}
        touched = of.lengths > 0
        amounts = pl.DataFrame({
            "step": [TOUCHED, UNTOUCHED], "from": [-1, -1], "to": [-1, -1],
            **{name: [float(values[touched].sum()), float(values[~touched].sum())] for name, values in worth.items()},
        })  # fmt: skip
        frame = pl.concat([steps, amounts], how="diagonal").with_columns(pl.col("count", *AMOUNTS).fill_null(0.0))
        labels = {f"{end}_{i}": np.append(label, 0).astype(np.uint32)[frame[end].to_numpy()] for end in ("from", "to") for i, label in enumerate(space.labels)}
        presence = (frame["count"] + frame["conversions"]).round().cast(pl.Int64)
        told = frame.select("step", "count", *AMOUNTS).with_columns(*(pl.Series(name, codes) for name, codes in labels.items()), presence.alias(PRESENCE))
        keyed = {"step": None, **dict.fromkeys(labels, selection.shard.lookups.labels)}
        return Tally(told, keyed, dict.fromkeys(("count", *AMOUNTS, PRESENCE), "sum"))

    def _keys(self, selection: Selection, touches: Touches) -> list[Array]:
        if not len(touches.rows):
            return [np.empty(0, np.uint32)] * len(self.dimensions)
        return KeyedBy(self.dimensions).of_rows(selection, touches.rows)

    def _without_conversion(self, selection: Selection, by: Credits) -> tuple[Touches, Ints]:
        """Touches after the last conversion, and whose they are: of visits that started from so many days before the period to its end."""
        shard, ask, made = selection.shard, selection.ask, selection.conversions
        own = self.crediting.reach == "own visit"
        since = ask.start if isinstance(self.crediting.reach, str) else ask.start - self.crediting.reach * DAY
        start, of_visits = shard.visit("start"), shard.visit("visitor")
        visits = np.flatnonzero(selection.visit_mask & (start >= since) & (start < ask.stop)).astype(np.int32)
        touches = Touches.of_visits(by, selection, visits)
        group = touches.visits if own else of_visits[touches.visits]
        last = np.full(int(of_visits.max()) + 1 if len(of_visits) else 0, -1, np.int64)
        happened = np.flatnonzero((made.at < ask.stop) & _stands(selection))
        last[of_visits[made.visit[happened]]] = made.row[happened]  # rows ascend: the last one stays
        kept = touches.rows > last[of_visits[touches.visits]]
        if own:  # a visit that converts is a way of its own
            kept &= ~np.isin(touches.visits, made.visit[happened])
        has_other = np.unique(group[kept & ~touches.is_direct])
        kept &= ~touches.is_direct | ~np.isin(group, has_other)
        return touches.only(kept), group[kept].astype(np.int64)


def _since_the_one_before(selection: Selection, counted: Ints, touches: Touches, of: Stretches) -> Stretches:
    """What of the stretches lies behind the visitor's conversion before, whenever that was."""
    made, visitor = selection.conversions, selection.shard.visit("visitor")
    stand = np.flatnonzero(_stands(selection))
    whose = visitor[made.visit[stand]]
    before = np.full(len(made.row), -1, np.int64)
    again = np.flatnonzero(whose[1:] == whose[:-1]) + 1
    before[stand[again]] = made.row[stand[again - 1]]
    first = np.maximum(of.first, np.searchsorted(touches.rows, before[counted], side="right"))
    return Stretches(np.minimum(first, of.stop), of.stop)


def _stands(selection: Selection) -> Bools:
    """Which conversions are of visits that count at all, whatever the segments."""
    shard, visit = selection.shard, selection.conversions.visit
    stands: Bools = shard.valid[visit] if selection.ask.with_excluded else shard.valid[visit] & ~shard.visit("excluded")[visit]
    return stands


def _ends(groups: Ints) -> Stretches:
    """The stretch of each group, which stand one behind the other."""
    if not len(groups):
        return Stretches(np.empty(0, np.int64), np.empty(0, np.int64))
    first = np.flatnonzero(np.append(True, groups[1:] != groups[:-1]))
    return Stretches(first, np.append(first[1:], len(groups)))


def _steps(states: Ints, of: Stretches, last: int) -> pl.DataFrame:
    """All steps of ways, which do not overlap: `step`, `from`, `to` (states; -1: none)."""
    lengths = of.lengths
    places = np.arange(int(lengths.sum())) + np.repeat(of.first - (np.cumsum(lengths) - lengths), lengths)
    here = states[places].astype(np.int64)
    nothing = np.full(len(lengths), -1, np.int64)
    inner = np.ones(len(places), bool)
    inner[np.cumsum(lengths) - lengths] = False  # the first touch of each way has none before it
    goes_on = np.flatnonzero(inner)
    begin, end = states[of.first].astype(np.int64), states[of.stop - 1].astype(np.int64)
    return pl.DataFrame({
        "step": np.concatenate([np.full(len(begin), BEGINS), np.full(len(goes_on), GOES_ON), np.full(len(end), last)]).astype(np.int64),
        "from": np.concatenate([nothing, here[goes_on - 1], end]), "to": np.concatenate([begin, here[goes_on], nothing]),
    })  # fmt: skip


def credited_by_removal(counted: Tally, by: KeyedBy, columns: frozenset[str]) -> Tally:
    """What each value is credited with: `key_0` … (texts), the columns, `touches` (how many it rests on), `effect` (how much less would convert, 0 to 1).

    What has no touch stands by the empty values. Raises TooManyValuesError.
    """
    frame = counted.as_texts().frame
    dimensions = range(len(by.dimensions))
    names = [f"key_{i}" for i in dimensions]
    ends = {end: [f"{end}_{i}" for i in dimensions] for end in ("from", "to")}
    steps = frame.filter(pl.col("step") < TOUCHED)
    named = [steps.filter(pl.col("step").is_in(of)).select(pl.col(old).alias(new) for old, new in zip(ends[end], names, strict=True))
             for end, of in (("to", (BEGINS, GOES_ON)), ("from", (GOES_ON, CONVERTS, ENDS)))]  # fmt: skip
    values = pl.concat(named).unique().sort(names).with_row_index("state")
    if len(values) > MAX_VALUES:
        most = f"the removal effect is worked out for up to {MAX_VALUES:,} values"
        raise TooManyValuesError(f"{most}; here are {len(values):,}: choose another dimension, or narrow it")
    for end, columns_of in ends.items():
        renamed = values.rename(dict(zip(names, columns_of, strict=True)) | {"state": end})
        steps = steps.join(renamed, on=columns_of, how="left")

    def counts(step: int, *at: str) -> Floats:
        rows = steps.filter(pl.col("step") == step)
        made = np.zeros((len(values),) * len(at))
        np.add.at(made, tuple(rows[one].to_numpy().astype(np.int64) for one in at), rows["count"].to_numpy())
        return made

    begins, goes_on, converts, out = counts(BEGINS, "to"), counts(GOES_ON, "from", "to"), counts(CONVERTS, "from"), counts(ENDS, "from")
    touches = goes_on.sum(axis=1) + converts + out
    effect = removal_effects(begins, goes_on, converts, touches)
    share = effect / effect.sum() if effect.sum() > 0 else np.zeros(len(effect))
    amounts = {step: frame.filter(pl.col("step") == step).select(pl.col(AMOUNTS).sum()) for step in (TOUCHED, UNTOUCHED)}
    made = values.drop("state").with_columns(
        *(pl.Series(name, share * float(amounts[TOUCHED][name][0])) for name in sorted(columns)), pl.Series("touches", touches), pl.Series("effect", effect)
    )
    untouched = {name: float(amounts[UNTOUCHED][name][0]) for name in sorted(columns)}
    nothing = pl.DataFrame({**dict.fromkeys(names, ""), **untouched, "touches": 0.0, "effect": 0.0})
    rows = pl.concat([made, nothing if amounts[UNTOUCHED]["conversions"][0] > 0 else nothing.clear()])
    rows = rows.group_by(names).agg(pl.all().sum()) if len(rows) else rows
    if by.within:
        prefixes = pl.DataFrame(list(by.within), schema=names[: len(by.within[0])], orient="row")
        rows = rows.join(prefixes, on=prefixes.columns, how="semi")
    reducers = dict.fromkeys([*sorted(columns), "touches", "effect", PRESENCE], "sum")
    return Tally(rows.with_columns(pl.lit(1, pl.Int64).alias(PRESENCE)), dict.fromkeys(names), reducers)  # type: ignore[arg-type]


def removal_effects(begins: Floats, goes_on: Floats, converts: Floats, leaves: Floats) -> Floats:
    """1 − P(converted without the value) ÷ P(converted), of each value; 0 where nothing converts.

    `begins`: how many ways begin with it; `goes_on`: how many steps lead from it (rows) to each (columns); `converts`: how many convert from it; `leaves`:
    how many steps lead from it at all. Of the ways that ever come to a value, which without it would end there, as many convert as from it.
    """
    if not converts.sum():
        return np.zeros(len(begins))
    visits = np.linalg.inv(np.eye(len(begins)) - goes_on / leaves[:, None])
    reach = begins / begins.sum()
    ever = reach @ visits / np.diag(visits)
    convert = visits @ (converts / leaves)
    effects: Floats = np.clip(ever * convert / (reach @ convert), 0, 1)
    return effects
