"""What is counted of a funnel in one shard: how far each unit came, how long it took, and where those went who came no further (rules, chapter 9)."""

from __future__ import annotations

import numpy as np
import polars as pl

from upper_compass.core.dataset.hit_matching import matching
from upper_compass.core.dataset.shard import ascending_once
from upper_compass.core.dataset.visits import Rows
from upper_compass.core.definitions.funnels import Funnel
from upper_compass.core.definitions.hits import Kind
from upper_compass.core.engine.dimensions import Dimension
from upper_compass.core.engine.keys import Array, KeyedBy, bucket_of
from upper_compass.core.engine.protocol import PRESENCE, Tally, tallied
from upper_compass.core.engine.selection import Selection
from upper_compass.core.engine.sequences import Ways, ways


def reached(selection: Selection, funnel: Funnel, dimension: Dimension | None, edges: tuple[int, ...]) -> Tally:
    """By step (`step`, from 0): how many units reached it, and the seconds that it took each; `seconds` of the first are none.

    Also by the value of a dimension at the hit of the first step (`key_0`), and by the bucket between edges (ms) in which that lies (`bucket`).
    """
    came, at = _came(selection, funnel), selection.shard.hit("at")
    of_first = came.rows[:, 0].astype(np.int32)
    keys = {} if dimension is None else {"key_0": KeyedBy((dimension,)).of_rows(selection, of_first)[0].astype(np.uint32)}
    if edges:
        keys["bucket"] = bucket_of(at[of_first], edges).astype(np.uint32)
    parts = []
    for step in range(came.rows.shape[1]):
        there = came.depth > step
        seconds = np.full(int(there.sum()), np.nan)
        if step:
            here, before = came.rows[there, step], came.rows[there, step - 1]
            seconds = (at[here] - at[before]) / 1000
        columns = {name: codes[there] for name, codes in keys.items()}
        parts.append(pl.DataFrame({**columns, "seconds": seconds}).with_columns(pl.lit(step, pl.Int64).alias("step")))
    spans = pl.col("seconds").drop_nans().value_counts().struct.rename_fields(["value", "times"])
    counts = [pl.len().cast(pl.Int64).alias(name) for name in ("reached", PRESENCE)]
    frame = pl.concat(parts).group_by(*keys, "step").agg(*counts, spans.alias("seconds"))
    labels = {name: selection.shard.lookups.labels if name == "key_0" else None for name in keys}
    return Tally(frame, {**labels, "step": None}, {"reached": "sum", PRESENCE: "sum", "seconds": "counts"})


def matched(selection: Selection, funnel: Funnel) -> Tally:
    """By step: how many units have a hit that matches it (`matched`), whatever came before."""
    steps, unit_of = _steps(selection, funnel), _unit_of(selection, funnel)
    counts = [len(ascending_once(unit_of[rows])) for rows in steps]
    frame = pl.DataFrame({"step": np.arange(len(steps)), "matched": np.array(counts, np.int64), PRESENCE: np.array(counts, np.int64)})
    return Tally(frame, {"step": None}, {"matched": "sum", PRESENCE: "sum"})


def lost_to(selection: Selection, funnel: Funnel, page: Dimension) -> Tally:
    """By the last step that they reached (`step`), not the last of all, and the page that they saw next (`key_0`, empty where none): how many `units`.

    Next is the first view behind the hit of that step, in its visit, of another page than that hit's.
    """
    shard, came = selection.shard, _came(selection, funnel)
    step = came.depth - 1
    lost = came.depth < came.rows.shape[1]
    here = came.rows[lost, step[lost]].astype(np.int32)
    views = _rows(selection, funnel)
    views = views[selection.kind(views) == Kind.view]
    pages = np.append(page.read(shard, np.concatenate([views, here])), 0).astype(np.uint32)
    seen, own = pages[: len(views)], pages[len(views) : -1]
    # Behind each view, the place of the first that is of another page.
    turns = np.append(np.flatnonzero(np.diff(seen)) + 1, len(views))
    place = np.searchsorted(views, here, side="right")
    inside = place < len(views)
    same = np.zeros(len(here), bool)
    same[inside] = seen[place[inside]] == own[inside]
    place[same] = turns[np.searchsorted(turns, place[same], side="right")]
    there = place < len(views)
    there[there] = shard.derived.visit_of[views[place[there]]] == shard.derived.visit_of[here[there]]
    nexts = np.zeros(len(here), np.uint32)
    nexts[there] = seen[place[there]]
    frame = pl.DataFrame({"step": step[lost].astype(np.int64), "key_0": nexts})
    return tallied(frame, {"step": None, "key_0": shard.lookups.labels}, count="units")


def _rows(selection: Selection, funnel: Funnel) -> Rows:
    """The hits that count: those in the period; by visits, of visits that started in it."""
    if funnel.units == "people":
        return selection.rows
    return selection.once(("rows", "visits"), lambda: selection.rows[selection.started_in_period[selection.owners_of(selection.rows)]])


def _unit_of(selection: Selection, funnel: Funnel) -> Array:
    """The unit of each hit of the shard."""
    unit_of: Array = selection.shard.hit("visitor") if funnel.units == "people" else selection.shard.derived.visit_of
    return unit_of


def _steps(selection: Selection, funnel: Funnel) -> list[Rows]:
    """The hits that match each step."""
    shard, rows = selection.shard, _rows(selection, funnel)

    def found() -> list[Rows]:
        return [matching(step, shard.hits, shard.derived, shard.lookups, rows) for step in funnel.steps]

    return selection.once(("steps", funnel.model_dump_json(include={"steps", "units"})), found)


def _came(selection: Selection, funnel: Funnel) -> Ways:
    """How far each unit came; worked out once for all that is asked of it."""

    def found() -> Ways:
        steps, unit_of, rows = _steps(selection, funnel), _unit_of(selection, funnel), _rows(selection, funnel)
        views = rows[selection.kind(rows) == Kind.view] if funnel.directly_next else None
        window = None if funnel.window_minutes is None else int(funnel.window_minutes * 60_000)
        return ways(steps, [unit_of[step] for step in steps], selection.shard.hit("at"), window, views)

    return selection.once(("ways", funnel.model_dump_json()), found)
