"""Counting by groups on whole columns: the few kernels that every report is made of."""

from __future__ import annotations

from typing import Any

import numpy as np
import numpy.typing as npt

from upper_compass.core.frame import Bools, Floats, Ints

Array = npt.NDArray[Any]
# A table of flags is cheaper than sorting, unless it is much larger than what goes into it.
TABLE_CELLS = 40_000_000
CELLS_A_VALUE = 12
CELLS_AT_LEAST = 65_536
# Up to so many places back, equal pairs of a unit are found by comparing.
LAGS = 8


def _table_pays(cells: int, values: int) -> bool:
    return cells <= min(TABLE_CELLS, CELLS_AT_LEAST + CELLS_A_VALUE * values)


def sums(groups: Ints, count: int, weights: Array | None = None) -> Floats:
    """Sum of the weights (or number of members) of each of `count` groups."""
    return np.bincount(groups, weights=weights, minlength=count).astype(np.float64)


def distinct_pairs(units: Array, groups: Ints, count: int) -> tuple[Ints, Ints]:
    """The distinct (unit, group) pairs. `units` ascend, and so they do in what is returned; `groups` are 0 … count-1.

    Most units have few pairs, so a pair is compared with the few before it; only units with many are sorted.
    """
    if not len(units):
        return np.empty(0, np.int64), np.empty(0, np.int64)
    packed = (units.astype(np.int64) - int(units[0])) * count + groups
    fresh = np.empty(len(units), bool)
    fresh[0] = True
    np.not_equal(packed[1:], packed[:-1], out=fresh[1:])
    packed, unit, group = packed[fresh], units[fresh], groups[fresh]
    lengths = np.diff(np.flatnonzero(np.append(True, unit[1:] != unit[:-1])), append=len(unit))
    again = np.zeros(len(unit), bool)
    for lag in range(2, min(int(lengths.max()), LAGS + 1)):
        again[lag:] |= packed[lag:] == packed[:-lag]
    if lengths.max() > LAGS + 1:
        many = np.flatnonzero(np.repeat(lengths > LAGS + 1, lengths))
        order = np.argsort(packed[many], kind="stable")
        ordered = packed[many[order]]
        again[many[order[1:][ordered[1:] == ordered[:-1]]]] = True
    return unit[~again].astype(np.int64), group[~again]


def count_distinct(units: Array, groups: Ints, count: int) -> Floats:
    """How many distinct units each group has. `units` ascend."""
    return sums(distinct_pairs(units, groups, count)[1], count)


def distinct(values: Ints, bound: int) -> Ints:
    """The distinct values, ascending; all are below `bound`."""
    if _table_pays(bound, len(values)):
        seen = np.zeros(bound, bool)
        seen[values] = True
        return np.flatnonzero(seen)
    ordered = np.sort(values)
    kept: Bools = np.empty(len(ordered), bool)
    kept[:1] = True
    np.not_equal(ordered[1:], ordered[:-1], out=kept[1:])
    return ordered[kept]


class KeySpace:
    """Numbers the distinct keys that occur in several places as groups 0 … count-1.

    A place is a list of columns of codes, one per part of the key; all places have the same parts, one or more.
    """

    def __init__(self, *places: list[Array]) -> None:
        self.labels: list[Ints] = []
        numbers = [np.zeros(len(place[0]), np.int64) for place in places]
        self.count = 1
        for part in range(len(places[0])):
            columns = [place[part] for place in places]
            labels, coded = _number(columns)
            if not part:
                self.labels, self.count, numbers = [labels], len(labels), coded
                continue
            combined = [number * len(labels) + code for number, code in zip(numbers, coded, strict=True)]
            cells = self.count * len(labels)
            present = distinct(np.concatenate(combined), cells)
            numbers = [_rank(present, values, cells) for values in combined]
            width = max(len(labels), 1)
            self.labels = [label[present // width] for label in self.labels] + [labels[present % width]]
            self.count = len(present)
        self.groups = numbers


def _number(columns: list[Array]) -> tuple[Ints, list[Ints]]:
    bound = max((int(column.max()) + 1 for column in columns if len(column)), default=0)
    labels = distinct(np.concatenate(columns).astype(np.int64), bound)
    return labels, [_rank(labels, column, bound) for column in columns]


def _rank(ordered: Ints, values: Array, bound: int) -> Ints:
    """Place of each value in the ordered distinct values."""
    if not _table_pays(bound, len(values) + len(ordered)):
        return np.searchsorted(ordered, values)
    table = np.zeros(bound, np.int64)
    table[ordered] = np.arange(len(ordered))
    return table[values]
