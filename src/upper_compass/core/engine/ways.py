"""How many visits go which ways from a centre (rules, chapter 10)."""

from __future__ import annotations

import numpy as np
import numpy.typing as npt
import polars as pl

from upper_compass.core.definitions.ways import Centre, StepsOf, WayStep
from upper_compass.core.engine.protocol import Tally, tallied
from upper_compass.core.engine.selection import Selection
from upper_compass.core.engine.walks import KINDS, Direction, walk


def chains(selection: Selection, steps: StepsOf, centre: Centre, direction: Direction, within: tuple[WayStep, ...], depth: int) -> Tally:
    """By the next steps of the visits that started and go the steps `within`: how many `visits`, and how many of them `converted`.

    `key_0` …: their values, empty where the visit has ended; `of_0` …: which of the kinds of steps.
    """
    shard = selection.shard
    found = selection.once(("walk", steps, centre), lambda: walk(shard, selection.visits, steps, centre, "centre"))
    fitting = found.fits(shard, direction, within, KINDS[steps]) if within else slice(None)
    columns: dict[str, npt.NDArray[np.generic]] = {}
    for place in range(depth):
        codes, kinds = found.step(direction, len(within) + place + 1)
        columns |= {f"key_{place}": codes[fitting], f"of_{place}": kinds[fitting]}
    converted = selection.converted_visits[found.visits[fitting]].astype(np.int64)
    rows = pl.DataFrame({**columns, "converted": converted})
    keys = {name: shard.lookups.labels if name.startswith("key") else None for name in columns}
    return tallied(rows, keys, sums=("converted",), count="visits")
