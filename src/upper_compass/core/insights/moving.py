"""Values that grew or fell beyond what is expected, that are new, and that stopped."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
import numpy.typing as npt
import polars as pl

from upper_compass.core.engine.context import ReportContext
from upper_compass.core.engine.dimensions import DIMENSIONS
from upper_compass.core.engine.selection import ReportFilter
from upper_compass.core.engine.statistics import beyond_spread_p
from upper_compass.core.engine.tally import GroupBy
from upper_compass.core.engine.visit_counts import VisitsByValue
from upper_compass.core.insights.models import candidates

DIMENSIONS_THAT_MOVE = ("channel", "source", "medium", "campaign", "entry_page", "page", "country", "language", "device", "event")
# Of these a value that was never there before is told.
NEWCOMERS = ("source", "country", "language", "event")
DAY = 86_400_000
# The first that has visits may not be whole, so that one of them is left out.
WINDOWS, MIN_WINDOWS = 9, 4
MIN_RATIO, MIN_GAP, MIN_NEW = 1.3, 10, 5

Counts = npt.NDArray[np.float64]


@dataclass(frozen=True)
class Windows:
    """The period and earlier windows as long, whole weeks apart, so that their weekdays are the same. `edges` (ms) bound them and what lies between."""

    edges: tuple[int, ...]
    places: tuple[int, ...]

    @staticmethod
    def before(start: int, stop: int) -> Windows:
        """Those of a period (ms), the earliest first, itself last."""
        apart = -(-(stop - start) // (7 * DAY)) * 7 * DAY
        edges: list[int] = []
        for back in range(WINDOWS, -1, -1):
            edges += [start - back * apart, stop - back * apart]
        # Where they touch, the end of one is the start of the next.
        kept = [edge for place, edge in enumerate(edges) if place == 0 or edge > edges[place - 1]]
        return Windows(tuple(kept), tuple(kept.index(start - back * apart) for back in range(WINDOWS, -1, -1)))


def moved(context: ReportContext, plain: ReportFilter) -> tuple[pl.DataFrame, int]:
    """Candidates, and how many earlier windows there are. What is expected of a value is its mean share of all visits in them; of all visits, their mean."""
    windows = Windows.before(plain.start, plain.stop)
    asked = ReportFilter(windows.edges[0], plain.stop, segments=plain.segments, steered_by=plain.steered_by, with_excluded=plain.with_excluded)
    values = [VisitsByValue(DIMENSIONS[name], windows.edges) for name in DIMENSIONS_THAT_MOVE]
    every, *tallies = context.tally(asked, GroupBy(edges=windows.edges, columns=frozenset({"visits"})), *values)
    totals = _counts(every.frame.with_columns(pl.lit("").alias("key_0")), windows)[1][0] if len(every.frame) else np.zeros(WINDOWS + 1)
    began = int(np.argmax(totals > 0)) + 1 if (totals > 0).any() else WINDOWS
    count = WINDOWS - began
    if count < MIN_WINDOWS:
        return candidates(pl.DataFrame()), max(count, 0)
    totals = totals[began:]
    parts = [_of_all(totals)]
    for name, tally in zip(DIMENSIONS_THAT_MOVE, tallies, strict=True):
        named, counts = _counts(tally.as_texts().frame.filter(pl.col("key_0") != ""), windows)
        if named:
            parts.append(_of_values(name, named, counts[:, began:], totals))
    return pl.concat(parts), count


def _counts(frame: pl.DataFrame, windows: Windows) -> tuple[list[str], Counts]:
    """The values, and for each of them its visits in each window (f64, a row a value)."""
    values = frame["key_0"].unique().sort().to_list()
    place = {value: row for row, value in enumerate(values)}
    counts = np.zeros((len(values), len(windows.edges) - 1))
    rows = frame["key_0"].replace_strict(place, return_dtype=pl.Int64).to_numpy() if values else np.empty(0, np.int64)
    counts[rows, frame["bucket"].to_numpy()] = frame["visits"].to_numpy()
    return values, counts[:, windows.places]


def _of_all(totals: Counts) -> pl.DataFrame:
    now, before = totals[-1:], totals[None, :-1]
    expected = before.mean(axis=1)
    p = beyond_spread_p(now, before)
    return _told("", [""], now, expected, totals[None, :], p, now)


def _of_values(dimension: str, values: list[str], counts: Counts, totals: Counts) -> pl.DataFrame:
    now = counts[:, -1]
    with np.errstate(divide="ignore", invalid="ignore"):
        shares = np.where(totals[:-1] > 0, counts[:, :-1] / totals[:-1], 0.0)
    as_now = shares * totals[-1]
    expected = as_now.mean(axis=1)
    p = beyond_spread_p(now, as_now)
    never = (counts[:, :-1] == 0).all(axis=1)
    # Each of its visits could as well have come in any of the windows.
    p = np.where(never, (1.0 / len(totals)) ** now, p)
    return _told(dimension, values, now, expected, counts, p, totals[-1:])


def _told(dimension: str, values: list[str], now: Counts, expected: Counts, counts: Counts, p: Counts, total: Counts) -> pl.DataFrame:
    is_new = (expected == 0) & (now > 0)
    gap = now - expected
    # Where all others grew, a value that stayed has fallen by its share alone: that is their doing.
    before = counts[:, :-1].mean(axis=1)
    is_far = ((now >= MIN_RATIO * expected) & (now > before)) | ((now <= expected / MIN_RATIO) & (now < before))
    is_telling = np.where(is_new, (now >= MIN_NEW) & (dimension in NEWCOMERS), is_far & (np.abs(gap) >= MIN_GAP))
    kind = np.select([is_new, now == 0, gap > 0], ["new", "stopped", "grew"], "fell")
    return candidates(
        pl.DataFrame(
            {
                "kind": kind, "dimension": [dimension] * len(values), "value": values, "a": now.astype(np.int64),
                "a_of": np.broadcast_to(total, now.shape).astype(np.int64), "b": expected, "course": _lists(counts), "p": p,
                "is_telling": is_telling, "size": np.abs(gap) / max(float(total[0]), 1.0),
            }
        )
    )  # fmt: skip


def _lists(counts: Counts) -> pl.Series:
    """A list of whole numbers for each row."""
    return pl.Series(counts.astype(np.int64), dtype=pl.Array(pl.Int64, counts.shape[1])).arr.to_list()
