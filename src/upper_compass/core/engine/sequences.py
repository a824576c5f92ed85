"""Hits in order: how far each person or visit came along a row of steps, and by which hits (rules, chapter 9), in whole columns."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np
import numpy.typing as npt
import polars as pl

from upper_compass.core.dataset.coded_hits import Bools, Ints
from upper_compass.core.dataset.visits import Rows

Array = npt.NDArray[Any]
NONE = -1


@dataclass(frozen=True)
class Ways:
    """For each unit that reached the first step: how far it came (`depth`, from 1), and the row of the hit of each step (a column each, NONE beyond)."""

    units: Array
    depth: Ints
    rows: npt.NDArray[np.int64]


@dataclass(frozen=True)
class _Candidates:
    """Hits that match a step, in order: their rows, the unit of each (ascending), its moment, and which steps it matches (a row each).

    `stretch`: how many views of all hits there are up to it, itself counted; None where others may lie between two steps.
    """

    rows: Ints
    unit: Array
    at: Ints
    member: Bools
    stretch: Ints | None
    is_view: Bools

    def leads(self, here: Ints, there: Ints) -> Bools:
        """Whether a step may follow another: in the same unit, and with no other view between them where that matters. `there` lie behind `here`."""
        together: Bools = self.unit[here] == self.unit[there]
        if self.stretch is None:
            return together
        apart = self.stretch[there] - self.stretch[here]
        return together & ((apart == 0) | ((apart == 1) & self.is_view[there]))


def ways(steps: Sequence[Rows], units: Sequence[Array], at: Array, window: int | None, views: Rows | None) -> Ways:
    """How far each unit came: to the greatest step that some choice of hits reaches, each later than the one before.

    `steps`: the rows (ascending) that match each step; `units`: of each of them, ascending; `at`: the moment (ms) of every hit; `window`: at most so many
    ms from the first hit to the last; `views`: rows of all views, of which none may lie between two steps. Of all choices that reach a unit's depth
    the one with the earliest last hit is told, among these that with the latest first hit, then with the earliest second, third, and so on.
    """
    found = _candidates(steps, units, at, views)
    began = _began(found, len(steps))
    spans = [found.at - found.at[np.maximum(of, 0)] for of in began]
    reached = [(of != NONE) & (span <= window if window is not None else True) for of, span in zip(began, spans, strict=True)]
    first_units, depth = _depths(found, reached)
    last = np.full(len(first_units), NONE, np.int64)
    first = np.full(len(first_units), NONE, np.int64)
    for step, fits in enumerate(reached):
        places = np.flatnonzero(fits)
        of = np.searchsorted(first_units, found.unit[places])
        here = depth[of] == step + 1
        places, of = places[here], of[here]
        earliest = np.append(True, of[1:] != of[:-1]) if len(of) else np.empty(0, bool)
        last[of[earliest]] = places[earliest]
        first[of[earliest]] = began[step][places[earliest]]
    return Ways(first_units, depth, _chosen(found, first, last, depth, len(steps)))


def _candidates(steps: Sequence[Rows], units: Sequence[Array], at: Array, views: Rows | None) -> _Candidates:
    span = max((int(one[-1]) for one in steps if len(one)), default=-1) + 1
    there = np.zeros(span, bool)
    for one in steps:
        there[one] = True
    rows = np.flatnonzero(there)
    member, unit = np.zeros((len(steps), len(rows)), bool), np.empty(len(rows), units[0].dtype)
    for step, (one, of) in enumerate(zip(steps, units, strict=True)):
        places = np.searchsorted(rows, one)
        member[step, places], unit[places] = True, of
    stretch = None if views is None else np.searchsorted(views, rows, side="right")
    seen = np.zeros(span, bool)
    if views is not None:
        seen[views[: np.searchsorted(views, span)]] = True
    return _Candidates(rows, unit, at[rows], member, stretch, seen[rows])


def _began(found: _Candidates, count: int) -> list[Ints]:
    """For each step and candidate: where the latest way begins that comes to it with this step (a place among the candidates), NONE without any."""
    places = np.arange(len(found.rows))
    began = [np.where(found.member[0], places, NONE)]
    for step in range(1, count):
        before = began[-1]
        carried = _before(before) if found.stretch is None else _within_stretches(found.stretch, found.is_view, before)
        fits = found.member[step] & (carried != NONE)
        fits[fits] = found.unit[carried[fits]] == found.unit[fits]
        began.append(np.where(fits, carried, NONE))
    return began


def _before(values: Ints) -> Ints:
    """The largest of all values before each."""
    return np.concatenate([[NONE], np.maximum.accumulate(values)[:-1]]) if len(values) else values


def _within_stretches(stretch: Ints, is_view: Bools, values: Ints) -> Ints:
    """The largest of the values before each in its stretch; for a view, which begins one, of the whole stretch before it."""
    if not len(values):
        return values
    running = pl.DataFrame({"stretch": stretch, "value": values}).select(pl.col("value").cum_max().over("stretch"))["value"].to_numpy()
    earlier = np.concatenate([[NONE], running[:-1]])
    apart = np.diff(stretch, prepend=stretch[0] - 2)
    meets = np.where(is_view, apart == 1, apart == 0)
    return np.where(meets, earlier, NONE)


def _depths(found: _Candidates, reached: Sequence[Bools]) -> tuple[Array, Ints]:
    """The units that reached the first step (ascending), and how far each came."""
    units = np.unique(found.unit[reached[0]])
    depth = np.zeros(len(units), np.int64)
    for step, fits in enumerate(reached):
        depth[np.searchsorted(units, found.unit[fits])] = step + 1
    return units, depth


def _chosen(found: _Candidates, first: Ints, last: Ints, depth: Ints, count: int) -> npt.NDArray[np.int64]:
    """The rows of the hits of each step: from the first on the earliest from which the last is still reached."""
    ending: list[Ints] = [np.empty(0, np.int64)] * count
    for step in reversed(range(count)):
        ends = last[depth == step + 1]
        if step + 1 < count and len(ending[step + 1]):
            places = np.flatnonzero(found.member[step])
            following = np.searchsorted(ending[step + 1], places, side="right")
            there = following < len(ending[step + 1])
            places, following = places[there], ending[step + 1][following[there]]
            ends = np.union1d(ends, places[found.leads(places, following)])
        ending[step] = np.sort(ends)
    rows = np.full((len(first), count), NONE, np.int64)
    here = first
    for step in range(count):
        reaching = depth > step
        if step:
            here = np.where(reaching, _next(ending[step], here), NONE)
        rows[reaching, step] = found.rows[here[reaching]]
    return rows


def _next(places: Ints, here: Ints) -> Ints:
    """The first of the places (ascending) behind each."""
    following = np.searchsorted(places, here, side="right")
    return places[np.minimum(following, len(places) - 1)] if len(places) else here
