"""Values of several dimensions, numbered together: of a small part of a site, what is done for each dimension anew costs more than the counting."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Literal

import numpy as np

from upper_compass.core.dataset.coded_hits import Codes, Ints
from upper_compass.core.engine.dimensions import Dimension
from upper_compass.core.engine.group_by import numbered
from upper_compass.core.engine.keys import Array

# So many values are held at once; of a large part of a site those of one dimension.
AT_ONCE = 1_000_000


def in_batches(dimensions: Sequence[Dimension], of: Literal["visit", "hit"], count: int) -> list[list[int]]:
    """The places of the dimensions of visits, or of hits, by which ones are read together, where there are so many visits or hits."""
    places = [place for place, dimension in enumerate(dimensions) if dimension.of == of]
    size = max(AT_ONCE // max(count, 1), 1)
    return [places[first : first + size] for first in range(0, len(places), size)]


def numbered_together(codes: Sequence[Codes], places: Sequence[int], bound: int) -> tuple[Ints, Ints, list[Array]]:
    """The values that occur: of which dimension each is (i64, one of the places), its code (i64); and for each dimension the numbers of its codes among them.

    `codes`: of each dimension, all below `bound`.
    """
    found, numbers = numbered([one.astype(np.int64) + number * bound for number, one in enumerate(codes)])
    return np.array(places, np.int64)[found // bound], found % bound, numbers
