"""The ways of visits from a centre, in whole columns (rules, chapter 10)."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Literal

import numpy as np
import numpy.typing as npt

from upper_compass.core.dataset.coded_hits import Bools, Codes, Ints
from upper_compass.core.dataset.shard import Shard
from upper_compass.core.dataset.visits import Rows
from upper_compass.core.definitions.hits import Kind
from upper_compass.core.definitions.ways import Centre, StepsOf, Way, WayStep
from upper_compass.core.engine.dimensions import Dimension, dimension_of

Direction = Literal["forward", "backward"]
KINDS: dict[StepsOf, tuple[str, ...]] = {
    "pages": ("page",), "page groups": ("page_group",), "events": ("event",), "pages and events": ("page", "event"),
}  # fmt: skip
# Dimensions whose hits are views alone.
OF_VIEWS = frozenset({"page", "page_group"})


@dataclass(frozen=True)
class Walk:
    """The steps of the visits that hold the centre: the code of each and which of the kinds of steps it is (`kinds`), in the order of the visits.

    Of each visit: the place of its first step (`begin`), behind its last (`end`), of the last before the centre, and of the first behind it.
    """

    visits: Rows
    codes: Codes
    kinds: npt.NDArray[np.uint8]
    begin: Ints
    end: Ints
    before: Ints
    behind: Ints

    def step(self, direction: Direction, depth: int) -> tuple[Codes, npt.NDArray[np.uint8]]:
        """The step of each visit at a depth (from 1) from the centre: its code and kind; 0 where the visit has ended, or had not begun."""
        place = self.behind + depth - 1 if direction == "forward" else self.before - depth + 1
        there = place < self.end if direction == "forward" else place >= self.begin
        codes, kinds = np.zeros(len(place), np.uint32), np.zeros(len(place), np.uint8)
        codes[there], kinds[there] = self.codes[place[there]], self.kinds[place[there]]
        return codes, kinds

    def fits(self, shard: Shard, direction: Direction, chain: Sequence[WayStep], of: tuple[str, ...]) -> Bools:
        """Which visits go these steps."""
        fitting = np.ones(len(self.visits), bool)
        for depth, step in enumerate(chain, 1):
            if not fitting.any():
                break  # looking texts up costs more than all else where few visits are left
            fitting &= self._is_step(shard, direction, depth, [step], of)
        return fitting

    def ends(self, direction: Direction, depth: int) -> Bools:
        """Which visits have ended, or had not begun, at a depth (from 1)."""
        return self.step(direction, depth)[0] == 0

    def goes_elsewhere(self, shard: Shard, direction: Direction, depth: int, other_than: Sequence[WayStep], of: tuple[str, ...]) -> Bools:
        """Which visits have a step at a depth (from 1) that is none of these."""
        return ~self.ends(direction, depth) & ~self._is_step(shard, direction, depth, other_than, of)

    def _is_step(self, shard: Shard, direction: Direction, depth: int, steps: Sequence[WayStep], of: tuple[str, ...]) -> Bools:
        """Which visits have one of these steps at a depth."""
        codes, kinds = self.step(direction, depth)
        found = np.zeros(len(codes), bool)
        for place, name in enumerate(of):
            known = [code for one in steps if one.of == name and (code := shard.lookups.labels.find(one.value)) is not None]
            found |= (kinds == place) & (codes > 0) & np.isin(codes, known)
        return found


def walk(shard: Shard, visits: Rows, steps: StepsOf, centre: Centre, asked_in: str) -> Walk:
    """The steps of those of the visits (ascending) that hold the centre, each followed whole from its first occurrence.

    Hits without a step are left out first, then immediate repeats count as one. Raises UnknownNameError for a dimension that there is not.
    """
    rows = shard.rows_of_visits(visits)
    dimension = dimension_of(centre.dimension, shard.lookups.rules, asked_in)
    first = _first_rows(shard, visits, rows, dimension, centre.value)
    held = np.flatnonzero(first >= 0)
    visits, first = visits[held], first[held]
    # Of a dimension of the visit, it stands before its first step.
    around = first - 1 if dimension.of == "visit" else first
    rows = shard.rows_of_visits(visits)
    codes, kinds = np.zeros(len(rows), np.uint32), np.zeros(len(rows), np.uint8)
    for place, name in enumerate(KINDS[steps]):
        found = _codes(shard, rows, dimension_of(name, shard.lookups.rules, asked_in))
        codes = np.where(found > 0, found, codes)
        kinds[found > 0] = place
    rows, codes, kinds = rows[codes > 0], codes[codes > 0], kinds[codes > 0]
    owner = shard.derived.visit_of[rows]
    fresh = np.ones(len(rows), bool)
    fresh[1:] = (codes[1:] != codes[:-1]) | (kinds[1:] != kinds[:-1]) | (owner[1:] != owner[:-1])
    rows, codes, kinds = rows[fresh], codes[fresh], kinds[fresh]
    begin, end = np.searchsorted(rows, shard.visit("first_row")[visits]), np.searchsorted(rows, shard.visit("last_row")[visits], side="right")
    before, behind = np.searchsorted(rows, around, side="left") - 1, np.searchsorted(rows, around, side="right")
    return Walk(visits, codes, kinds, begin, end, before, behind)


def _first_rows(shard: Shard, visits: Rows, rows: Rows, dimension: Dimension, value: str) -> Ints:
    """Of each visit the row of its first hit with the value; of a dimension of the visit, of its first hit. -1 without."""
    labels, first = shard.lookups.labels, np.full(len(visits), -1, np.int64)
    if dimension.of == "visit":
        codes = dimension.read(shard, visits)
        code = labels.find(value)
        having = codes == code if code is not None else np.zeros(len(visits), bool)
        first[having] = shard.visit("first_row")[visits[having]]
        return first
    codes = _codes(shard, rows, dimension)
    code = labels.find(value)  # looked up only now: reading may be what makes it known
    if code is None:
        return first
    fitting = rows[codes == code]
    first[np.searchsorted(visits, shard.derived.visit_of[fitting[::-1]])] = fitting[::-1]
    return first


def _codes(shard: Shard, rows: Rows, dimension: Dimension) -> Codes:
    """The value of each hit as a step; of pages those of views alone."""
    codes = dimension.read(shard, rows).astype(np.uint32)
    return np.where(shard.derived.kind[rows] == Kind.view, codes, 0).astype(np.uint32) if dimension.name in OF_VIEWS else codes


def way_mask(shard: Shard, visits: Rows, way: Way, asked_in: str) -> Bools:
    """Which of the visits (ascending) go the way."""
    found = walk(shard, visits, way.steps, way.centre, asked_in)
    fitting = np.ones(len(found.visits), bool)
    sides: tuple[tuple[Direction, Sequence[WayStep], bool, Sequence[WayStep]], ...] = (
        ("forward", way.forward, way.left, way.next_other_than),
        ("backward", way.backward, way.arrived, way.before_other_than),
    )
    for direction, chain, is_end, other_than in sides:
        fitting &= found.fits(shard, direction, chain, KINDS[way.steps])
        if is_end:
            fitting &= found.ends(direction, len(chain) + 1)
        if other_than:
            fitting &= found.goes_elsewhere(shard, direction, len(chain) + 1, other_than, KINDS[way.steps])
    mask = np.zeros(len(visits), bool)
    mask[np.searchsorted(visits, found.visits[fitting])] = True
    return mask
