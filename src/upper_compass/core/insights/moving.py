"""Values that grew or fell beyond what is expected, that are new, and that stopped."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
import numpy.typing as npt
import polars as pl

from upper_compass.core.dataset.coded_hits import Ints
from upper_compass.core.engine.context import ReportContext
from upper_compass.core.engine.dimensions import DIMENSIONS
from upper_compass.core.engine.protocol import Tally
from upper_compass.core.engine.selection import ReportFilter
from upper_compass.core.engine.statistics import beyond_spread_p
from upper_compass.core.engine.tally import GroupBy
from upper_compass.core.engine.visit_counts import VisitsByValue

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
    values = VisitsByValue(tuple(DIMENSIONS[name] for name in DIMENSIONS_THAT_MOVE), windows.edges)
    every, by_value = context.tally(asked, GroupBy(edges=windows.edges, columns=frozenset({"visits"})), values)
    totals = _in_windows(windows, np.zeros(len(every.frame), np.int64), every.frame["bucket"], every.frame["visits"], 1)[0]
    began = int(np.argmax(totals > 0)) + 1 if (totals > 0).any() else WINDOWS
    count = WINDOWS - began
    if count < MIN_WINDOWS:
        return pl.DataFrame(), max(count, 0)
    named, counts = _by_value(by_value, windows)
    return _told(named, counts[:, began:], totals[began:]), count


def _by_value(tally: Tally, windows: Windows) -> tuple[pl.DataFrame, Counts]:
    """The values of each dimension (`dimension`, `value`), and for each of them its visits in each window (f64, a row a value)."""
    rows = tally.as_texts().frame
    names = pl.Series("dimension", DIMENSIONS_THAT_MOVE)[rows["dimension"]]
    rows = rows.with_columns(names).filter(pl.col("key_0") != "")
    named = rows.group_by("dimension", pl.col("key_0").alias("value"), maintain_order=True).agg("bucket", "visits")
    place = np.repeat(np.arange(len(named)), named["bucket"].list.len().to_numpy())
    return named.select("dimension", "value"), _in_windows(windows, place, named["bucket"].explode(), named["visits"].explode(), len(named))


def _in_windows(windows: Windows, place: Ints, bucket: pl.Series, visits: pl.Series, count: int) -> Counts:
    """Visits by place and bucket, as so many rows of the visits in each window."""
    counts = np.zeros((count, len(windows.edges) - 1))
    counts[place, bucket.to_numpy()] = visits.to_numpy()
    return counts[:, windows.places]


def _told(named: pl.DataFrame, counts: Counts, totals: Counts) -> pl.DataFrame:
    """All visits, and the values."""
    expected, p = np.append(totals[:-1].mean(), np.empty(len(counts))), np.append(beyond_spread_p(totals[-1:], totals[None, :-1]), np.empty(len(counts)))
    expected[1:], p[1:] = _expected(counts, totals)
    named = pl.concat([pl.DataFrame({"dimension": [""], "value": [""]}), named])
    counts = np.vstack([totals, counts])
    now, before = counts[:, -1], counts[:, :-1].mean(axis=1)
    is_new = (expected == 0) & (now > 0)
    gap = now - expected
    # Where all others grew, a value that stayed has fallen by its share alone: that is their doing.
    is_far = ((now >= MIN_RATIO * expected) & (now > before)) | ((now <= expected / MIN_RATIO) & (now < before))
    is_telling = np.where(is_new, (now >= MIN_NEW) & named["dimension"].is_in(NEWCOMERS).to_numpy(), is_far & (np.abs(gap) >= MIN_GAP))
    kind = np.select([is_new, now == 0, gap > 0], ["new", "stopped", "grew"], "fell")
    return named.hstack(
        pl.DataFrame({
            "kind": kind, "a": now, "a_of": np.full(len(now), totals[-1]), "b": expected, "course": _lists(counts), "p": p, "is_telling": is_telling,
            "size": np.abs(gap) / max(float(totals[-1]), 1.0),
        })
    )  # fmt: skip


def _expected(counts: Counts, totals: Counts) -> tuple[Counts, Counts]:
    """What is expected of each value, and the p of what it has (f64, a row a value)."""
    now = counts[:, -1]
    with np.errstate(divide="ignore", invalid="ignore"):
        shares = np.where(totals[:-1] > 0, counts[:, :-1] / totals[:-1], 0.0)
    as_now = shares * totals[-1]
    never = (counts[:, :-1] == 0).all(axis=1)
    # Each of its visits could as well have come in any of the windows.
    return as_now.mean(axis=1), np.where(never, (1.0 / len(totals)) ** now, beyond_spread_p(now, as_now))


def _lists(counts: Counts) -> pl.Series:
    """A list of whole numbers for each row."""
    return pl.Series(counts.astype(np.int64), dtype=pl.Array(pl.Int64, counts.shape[1])).arr.to_list()
