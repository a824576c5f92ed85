"""Counting by groups on whole columns: the few kernels that every report is made of."""

from __future__ import annotations

from typing import Any

import numpy as np
import numpy.typing as npt

from upper_compass.core.dataset.coded_hits import Bools, Floats, Ints

Array = npt.NDArray[Any]
# A table of flags is cheaper than sorting, unless it is much larger than what goes into it.
TABLE_CELLS = 40_000_000
CELLS_A_VALUE = 12
MIN_CELLS = 65_536
# Up to so many places back, equal pairs of a unit are found by comparing.
LAGS = 8
BLOCK = 1_000_000
# Keys below this are numbered in half the memory.
NARROW = 2**31 - 1


def _table_pays(cells: int, values: int) -> bool:
    return cells <= min(TABLE_CELLS, MIN_CELLS + CELLS_A_VALUE * values)


def sums(groups: Array, count: int, weights: Array | None = None) -> Floats:
    """Sum of the weights, or number of members without any, of each of `count` groups (f64, by group). `groups` (i64) are below `count`."""
    total = np.zeros(count)
    for start in range(0, len(groups), BLOCK):  # counting copies what it counts, so it is given a part at a time
        part = groups[start : start + BLOCK]
        weight = None if weights is None else weights[start : start + BLOCK]
        if weight is not None and weight.dtype == np.bool_:
            part, weight = part[weight], None
        total += np.bincount(part, weights=weight, minlength=count)
    return total


def distinct_pairs(units: Array, groups: Array, count: int) -> tuple[Array, Array]:
    """The distinct (unit, group) pairs. `units` ascend, and so they do in what is returned; `groups` are 0 … count-1.

    Most units have few pairs, so a pair is compared with the few before it; only units with many are sorted.
    """
    if not len(units):
        return units, groups
    packed = units.astype(np.int64)  # in place from here on: these are the largest columns of a report
    packed -= int(units[0])
    packed *= count
    packed += groups
    fresh = np.empty(len(units), bool)
    fresh[0] = True
    np.not_equal(packed[1:], packed[:-1], out=fresh[1:])
    packed = packed[fresh]  # one after the other, so that the old one is gone before the next is made
    unit = units[fresh]
    group = groups[fresh]
    lengths = np.diff(np.flatnonzero(np.append(True, unit[1:] != unit[:-1])), append=len(unit))
    again = np.zeros(len(unit), bool)
    for lag in range(2, min(int(lengths.max()), LAGS + 1)):
        again[lag:] |= packed[lag:] == packed[:-lag]
    if lengths.max() > LAGS + 1:
        many = np.flatnonzero(np.repeat(lengths > LAGS + 1, lengths))
        order = np.argsort(packed[many], kind="stable")
        ordered = packed[many[order]]
        again[many[order[1:][ordered[1:] == ordered[:-1]]]] = True
    del packed
    return unit[~again], group[~again]


def count_distinct(units: Array, groups: Array, count: int) -> Floats:
    """How many distinct units each of `count` groups has (f64, by group). `units` ascend; `groups` (i64) stand beside them."""
    return sums(distinct_pairs(units, groups, count)[1], count)


def counted(groups: Array, bound: int) -> tuple[Ints, Ints]:
    """The distinct groups (i64, ascending) and how many members each has (i64). `groups` (i64) are below `bound`, of which most may be none."""
    if _table_pays(bound, len(groups)):
        members = np.bincount(groups, minlength=bound)
        present = np.flatnonzero(members)
        return present, members[present]
    present, members = np.unique(groups, return_counts=True)
    return present, members


def distinct(columns: list[Array], bound: int) -> Ints:
    """The distinct values of all columns together, ascending; all are below `bound`."""
    if _table_pays(bound, sum(len(values) for values in columns)):
        seen = np.zeros(bound, bool)
        for values in columns:
            seen[values] = True
        return np.flatnonzero(seen)
    ordered = np.sort(np.concatenate(columns))
    kept: Bools = np.empty(len(ordered), bool)
    kept[:1] = True
    np.not_equal(ordered[1:], ordered[:-1], out=kept[1:])
    return ordered[kept].astype(np.int64)


class KeySpace:
    """Numbers the keys that occur in several places as groups 0 … count-1, the distinct ones; where keys have several parts, also some that occur nowhere.

    A place is a list of columns of codes, one per part of the key; all places have the same parts, one or more.
    """

    def __init__(self, *places: list[Array]) -> None:
        self.labels: list[Ints] = []
        numbers: list[Array] = []
        self.count = 1
        for part in range(len(places[0])):
            columns = [place[part] for place in places]
            labels, coded = numbered(columns)
            if not part:
                self.labels, self.count, numbers = [labels], len(labels), coded
                continue
            cells = self.count * len(labels)
            wide = np.int64 if cells > NARROW else np.int32
            combined = [number.astype(wide) * len(labels) + code for number, code in zip(numbers, coded, strict=True)]
            if cells <= sum(len(values) for values in combined):  # numbering what is there costs more than what is not
                self.labels = [np.repeat(label, len(labels)) for label in self.labels] + [np.tile(labels, self.count)]
                numbers, self.count = combined, cells
                continue
            present = distinct(combined, cells)
            numbers = [_rank(present, values, cells) for values in combined]
            width = max(len(labels), 1)
            self.labels = [label[present // width] for label in self.labels] + [labels[present % width]]
            self.count = len(present)
        self.groups = numbers


def numbered(columns: list[Array]) -> tuple[Ints, list[Array]]:
    """The distinct codes of all columns (ascending), and of each column the places of its codes among them (i32)."""
    bound = max((int(column.max()) + 1 for column in columns if len(column)), default=0)
    labels = distinct(columns, bound)
    return labels, [_rank(labels, column, bound) for column in columns]


def _rank(ordered: Ints, values: Array, bound: int) -> Array:
    """Place of each value in the ordered distinct values, of which there are never more than rows in a shard."""
    if not _table_pays(bound, len(values) + len(ordered)):
        return np.searchsorted(ordered, values).astype(np.int32)
    table = np.zeros(bound, np.int32)
    table[ordered] = np.arange(len(ordered))
    return table[values]
