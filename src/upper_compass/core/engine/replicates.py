"""Credits as they might have been: of visitors drawn anew, so that it shows how much of a share is chance (Poisson bootstrap; rules, chapter 11)."""

from __future__ import annotations

from collections.abc import Hashable
from dataclasses import dataclass, replace
from math import exp, factorial
from typing import ClassVar

import numpy as np
import numpy.typing as npt
import polars as pl

from upper_compass.core.dataset.coded_hits import Codes, Floats, Ints
from upper_compass.core.engine.credits import Credits
from upper_compass.core.engine.group_by import KeySpace, sums
from upper_compass.core.engine.keys import KeyedBy
from upper_compass.core.engine.protocol import PRESENCE, Tally
from upper_compass.core.engine.selection import Selection

COUNT, SEED = 200, 20_061
REPLICATES = tuple(f"replicate {i}" for i in range(COUNT))
# How likely a visitor is drawn never, at most once, at most twice …: Poisson's distribution of mean 1.
_DRAWN = np.cumsum([exp(-1) / factorial(i) for i in range(12)])


@dataclass(frozen=True)
class CreditReplicates:
    """The credit of each value in each replicate, and the whole of each, by the keys of the credits."""

    credits: Credits
    additive: ClassVar[bool] = True

    @property
    def key(self) -> Hashable:
        """See Breakdown."""
        return self.credits.key, self.credits.within

    def tally(self, selection: Selection) -> Tally:
        """A row per key, `key_0` … (codes of labels), and one for the whole (`is_whole`, 0 or 1): a column each of REPLICATES (f64).

        Of the keys that the credits are `within` alone, so that memory does not grow with how many values there are.
        """
        by, labels = self.credits, selection.shard.lookups.labels
        counted, made = selection.counted_conversions, selection.conversions
        of = selection.shard.visit("visitor")[made.visit[counted]]
        visitors = np.unique(of)
        texts = selection.shard.lookups.dictionaries["visitor"].texts.gather(pl.Series(visitors))
        seeds = seeded(texts)
        whose, keys, credit = _of_visitors(by, selection, counted)
        _, keys, kept = by.only_within(selection, whose.astype(np.int32), keys)
        space, whose, credit = KeySpace(keys), whose[kept], credit[kept]
        place, all_of = np.searchsorted(visitors, whose), np.searchsorted(visitors, of)
        parts, whole = [], np.zeros(COUNT)
        for i in range(COUNT):  # one after the other: all at once would be a table of visitors by replicates
            times = times_drawn(seeds, i)
            parts.append(sums(space.groups[0], space.count, credit * times[place]))
            whole[i] = times[all_of].sum()
        names = [f"key_{i}" for i in range(len(by.dimensions))]
        columns = {name: np.append(label, 0).astype(np.uint32) for name, label in zip(names, space.labels, strict=True)}
        columns |= {"is_whole": np.append(np.zeros(space.count, np.int64), 1)}
        columns |= {name: np.append(part, whole[i]) for i, (name, part) in enumerate(zip(REPLICATES, parts, strict=True))}
        frame = pl.DataFrame(columns | {PRESENCE: np.ones(space.count + 1, np.int64)})
        return Tally(frame, dict.fromkeys(names, labels) | {"is_whole": None}, dict.fromkeys((*REPLICATES, PRESENCE), "sum"))


def _of_visitors(by: Credits, selection: Selection, counted: Ints) -> tuple[Codes, list[npt.NDArray[np.generic]], Floats]:
    """What each visitor's conversions credit each value with: the visitor, the keys, the credit, a row each."""
    of_visits = selection.shard.visit("visitor")
    visitors = of_visits[selection.conversions.visit[counted]]
    if by.crediting.model == "on the spot":
        keys = by.on_the_spot(selection, counted)
        return visitors, keys, np.ones(len(counted))
    reached, values, touches = by.reached(selection, counted), by.values(selection, counted), by.touches(selection, counted)
    pairs = KeySpace([of_visits[touches.visits], values.groups[0]])
    credit = np.zeros(pairs.count)
    wanted = {"conversions": np.ones(len(counted)), PRESENCE: np.ones(len(counted))}
    for part in reached.parts:
        credit += part.credited(by.crediting.model, wanted, pairs.groups[0], pairs.count)["conversions"]
    untouched = np.flatnonzero(~reached.touched)
    of_pairs, of_values = pairs.labels
    keys = [np.concatenate([label[of_values], np.zeros(len(untouched), label.dtype)]) for label in values.labels]
    return np.concatenate([of_pairs, visitors[untouched]]), keys, np.concatenate([credit, np.ones(len(untouched))])


def seeded(visitors: pl.Series) -> npt.NDArray[np.uint64]:
    """A number for each visitor (by its text), from which it is drawn: the same wherever and whenever it is asked."""
    return visitors.hash(seed=SEED).to_numpy().astype(np.uint64)


def times_drawn(seeds: npt.NDArray[np.uint64], replicate: int) -> Floats:
    """How often each visitor is drawn in a replicate, in their order."""
    mixed = seeds + np.uint64((replicate + 1) * 0x9E37_79B9_7F4A_7C15 % 2**64)
    for shift, factor in ((30, 0xBF58_476D_1CE4_E5B9), (27, 0x94D0_49BB_1331_11EB)):
        mixed = (mixed ^ (mixed >> np.uint64(shift))) * np.uint64(factor)
    mixed ^= mixed >> np.uint64(31)
    return np.searchsorted(_DRAWN, (mixed >> np.uint64(11)).astype(np.float64) / 2.0**53, side="right").astype(np.float64)


def share_intervals(counted: Tally, by: KeyedBy) -> pl.DataFrame:
    """The middle 95 % of each value's share of the whole over all replicates: `key_0` … (texts), `share_low`, `share_high` (f64, 0 to 1)."""
    frame = counted.as_texts().frame
    whole = frame.filter(pl.col("is_whole") == 1).select(REPLICATES).to_numpy().sum(axis=0)
    names = [f"key_{i}" for i in range(len(by.dimensions))]
    rows = frame.filter(pl.col("is_whole") == 0).group_by(names).agg(pl.col(REPLICATES).sum())
    shares = rows.select(REPLICATES).to_numpy()[:, whole > 0] / whole[whole > 0]
    low, high = np.percentile(shares, [2.5, 97.5], axis=1) if shares.size else np.full((2, len(rows)), np.nan)
    return rows.select(names).with_columns(pl.Series("share_low", low).fill_nan(None), pl.Series("share_high", high).fill_nan(None))


def replicates(credits: Credits) -> CreditReplicates:
    """Of conversions, whatever else the credits count."""
    return CreditReplicates(replace(credits, columns=frozenset({"conversions"}), edges=()))
