"""The conversions behind a credit, one by one, each with its touches and their weights, so that any credit can be checked by hand (rules, chapter 11)."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
import polars as pl

from upper_compass.core.dataset.coded_hits import Bools, Floats, Ints
from upper_compass.core.definitions.attribution import CreditModel, PositionBased, TimeDecay
from upper_compass.core.engine.credit_kernels import DAY, Stretches
from upper_compass.core.engine.credits import Credits, Touches
from upper_compass.core.engine.keys import Array
from upper_compass.core.engine.protocol import PRESENCE, Tally, listed
from upper_compass.core.engine.selection import Selection

# Of so many touches of a conversion it is told what they are: the first ones and the last ones.
MAX_TOLD = 40


def credited_count(selection: Selection, by: Credits, values: tuple[str, ...]) -> Tally:
    """How many conversions (`count`) have a touch of these values that is credited something, or could be."""
    having = len(_Found.of(selection, by, values).having)
    return Tally(pl.DataFrame({"count": [having], PRESENCE: [having]}), {}, {"count": "sum", PRESENCE: "sum"})


def credited_conversions(selection: Selection, by: Credits, values: tuple[str, ...], most: int) -> Tally:
    """The newest of these conversions: `visitor`, `seq` of its hit, `at` (ms), `number` of its visit, `worth`, `credit` (a share of it), `touches` (how many).

    `told`: a list of structs, a touch each in its order: `at`, `number`, `value` (of the first dimension), `weight`, and whether it is `own`, of these values.
    """
    shard, found = selection.shard, _Found.of(selection, by, values)
    made = selection.conversions
    at, seq = made.at[found.having], shard.hit("seq")[made.row[found.having]]
    newest = found.having[np.lexsort((seq, at))[::-1][:most]]
    visits = made.visit[newest]
    told = [found.told(selection, by, int(one)) for one in newest]
    frame = pl.DataFrame({
        "visitor": shard.lookups.dictionaries["visitor"].decode(shard.visit("visitor")[visits]),
        "seq": shard.hit("seq")[made.row[newest]], "at": made.at[newest], "number": shard.visit("number")[visits].astype(np.int64),
        "worth": made.value[newest].astype(np.float64),
        "credit": np.array([credit for credit, _, _ in told], np.float64), "touches": np.array([count for _, count, _ in told], np.int64),
        "told": pl.Series([rows for _, _, rows in told], dtype=pl.List(_TOLD)),
    })  # fmt: skip
    return listed(frame, ["visitor", "seq"])


_TOLD = pl.Struct({"at": pl.Int64, "number": pl.Int64, "value": pl.String, "weight": pl.Float64, "own": pl.Boolean})


@dataclass(frozen=True)
class _Found:
    """The touches that count, in reach of each conversion, and which conversions have one of the values."""

    touches: Touches
    keys: list[Array]
    stretches: Stretches
    own: Bools
    counted: Ints
    having: Ints

    @staticmethod
    def of(selection: Selection, by: Credits, values: tuple[str, ...]) -> _Found:
        """Direct visits are passed over where there is another touch; *on the spot* the touch is the conversion's own hit."""
        counted, labels = selection.counted_conversions, selection.shard.lookups.labels
        if by.crediting.model == "on the spot":
            rows = selection.conversions.row[counted].astype(np.int32)
            touches = Touches.at_hits(selection, rows)
            every = np.arange(len(rows))
            of = Stretches(every, every + 1)
        else:
            touches = Touches.of(by, selection, counted)
            touches, of = touches.among_others(touches.stretches(selection, counted, by.crediting.reach))
        keys = by.of_rows(selection, touches.rows) if len(touches.rows) else [np.empty(0, np.uint32)] * len(by.dimensions)
        if by.crediting.model == "on the spot":
            hits = [key for key, dimension in zip(keys, by.dimensions, strict=True) if dimension.of == "hit"]
            there = np.logical_and.reduce([key != 0 for key in hits]) if hits else np.ones(len(counted), bool)
            of = Stretches(of.first, of.first + there)
        codes = [labels.find(value) for value in values]
        own = np.ones(len(touches.rows), bool)
        for key, code in zip(keys, codes, strict=False):
            own &= key == code if code is not None else False
        if by.crediting.model in ("first touch", "last touch"):
            end = of.first if by.crediting.model == "first touch" else of.stop - 1
            having = np.zeros(len(counted), bool)
            there = of.lengths > 0
            having[there] = own[end[there]]
        else:
            running = np.concatenate([[0], np.cumsum(own)])
            having = running[of.stop] > running[of.first]
        if not any(values):  # what no touch is credited with
            having |= of.lengths == 0
        return _Found(touches, keys, of, own, counted, counted[having])

    def told(self, selection: Selection, by: Credits, conversion: int) -> tuple[float, int, list[dict[str, object]]]:
        """What one conversion credits these values with, how many touches it has, and the first and last of them."""
        place = int(np.searchsorted(self.counted, conversion))
        touches = np.arange(self.stretches.first[place], self.stretches.stop[place])
        if not len(touches):
            return 1.0, 0, []
        ages = selection.conversions.at[conversion] - self.touches.times[touches]
        weights = weights_of(by.crediting.model, ages, self.keys, touches)
        own = self.own[touches]
        credit = float(weights[own].sum())
        shown = np.arange(len(touches))
        if len(shown) > MAX_TOLD:
            shown = np.concatenate([shown[: MAX_TOLD // 2], shown[-MAX_TOLD // 2 :]])
        rows = self.touches.rows[touches[shown]]
        visits = selection.shard.derived.visit_of[rows]
        columns = (
            self.touches.times[touches[shown]].tolist(), selection.shard.visit("number")[visits].tolist(),
            selection.shard.lookups.labels.decode(self.keys[0][touches[shown]]).to_list(), weights[shown].tolist(), own[shown].tolist(),
        )  # fmt: skip
        names = ("at", "number", "value", "weight", "own")
        return credit, len(touches), [dict(zip(names, row, strict=True)) for row in zip(*columns, strict=True)]


def weights_of(model: CreditModel, ages: Ints, keys: list[Array], touches: Ints) -> Floats:
    """The weights of the touches of one conversion, in order of time. `ages`: ms from each to the conversion; `keys`: of all touches."""
    count = len(ages)
    weights = np.zeros(count)
    if isinstance(model, TimeDecay):
        powers = np.exp2(-(ages - ages.min()) / (model.half_life_days * DAY))
        return powers / powers.sum()
    if isinstance(model, PositionBased):
        return _position_based(model, count)
    if model == "removal effect":  # it is of all ways together, not of one
        return weights
    if model == "first touch":
        weights[0] = 1
    elif model in ("last touch", "on the spot"):
        weights[-1] = 1
    elif model == "every touch":  # the whole to each value, at its last touch
        together = np.stack([key[touches] for key in keys])
        _, last = np.unique(together[:, ::-1], axis=1, return_index=True)
        weights[count - 1 - last] = 1
    else:
        weights[:] = 1 / count
    return weights


def _position_based(model: PositionBased, count: int) -> Floats:
    ends = model.first + model.last
    weights = np.full(count, model.between / max(count - 2, 1))
    weights[0], weights[-1] = model.first, model.last
    if count == 1:
        weights[:] = 1
    elif count == 2 and not ends:
        weights[:] = 0.5
    weights /= weights.sum() or 1
    return weights
