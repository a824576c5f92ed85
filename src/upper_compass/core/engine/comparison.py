"""Two groups counted value by value: what Compare shows, and what Worth a look looks through (rules, chapter 8)."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np
import polars as pl

from upper_compass.core.dataset.coded_hits import Ints
from upper_compass.core.definitions.comparisons import ComparedSizes
from upper_compass.core.engine.context import ReportContext
from upper_compass.core.engine.dimensions import DIMENSIONS, Dimension, of_field
from upper_compass.core.engine.membership import A, B, MembersByValue
from upper_compass.core.engine.protocol import Tally
from upper_compass.core.engine.selection import Outside, ReportFilter, Unit
from upper_compass.core.engine.statistics import FEW, chi_square_p
from upper_compass.core.engine.tally import GroupBy

# The additive column that counts the units.
COLUMN: dict[Unit, str] = {"people": "visitors", "visits": "visits"}
# Of a page that is known, these say where one came from and went on to, alone they are the pages themselves once more; a day is what a period is made
# of, and all properties together are what an event is.
OF_ANOTHER = ("previous_page", "next_page", "day", "properties")


@dataclass(frozen=True)
class Groups:
    """Two groups: what each is asked about, how many units it has, and how many the one that A is held against shared with it before it was reduced.

    `whole`: what both are parts of, where they share nothing.
    """

    a: ReportFilter
    b: ReportFilter
    sizes: ComparedSizes
    whole: ReportFilter | None = None


def own_dimensions(context: ReportContext) -> list[Dimension]:
    """Every dimension that tells something of its own: not what stands as it was tagged, before tidying, nor what tells of another only."""
    known = [dimension for name, dimension in DIMENSIONS.items() if not name.startswith("raw_") and name not in OF_ANOTHER]
    return [*known, *(of_field(field) for field in context.shards.lookups.rules.fields)]


def held_against(context: ReportContext, a: ReportFilter, whole: ReportFilter, units: Unit) -> Groups:
    """Group A and another; where A is a part of the other, that is reduced to the rest: its units that are not in A."""
    rest = replace(whole, outside=Outside(a.segments, units))
    size_a, size_whole, size_rest = sizes_of(context, (a, whole, rest), units)
    both = size_whole - size_rest
    if both != size_a:
        return Groups(a, whole, ComparedSizes(a=size_a, b=size_whole, both=both, is_rest=False))
    return Groups(a, rest, ComparedSizes(a=size_a, b=size_rest, both=both, is_rest=True), whole)


def sizes_of(context: ReportContext, asked: Sequence[ReportFilter], units: Unit) -> list[int]:
    """How many units each question is about."""
    by = GroupBy(columns=frozenset({COLUMN[units]}))
    return [int(tally.frame[COLUMN[units]][0]) for tally in context.tallies([(ask, by) for ask in asked])]


def compared(context: ReportContext, groups: Groups, dimensions: Sequence[Dimension], units: Unit) -> pl.DataFrame:
    """A row for each value that a unit of either group has: `dimension`, `value`, `a`, `b` (f64), `p`, `is_few` (fewer than five units expected in one
    of the cells), `is_made_of` (all of A and none of B have it). In no order."""
    counted, which = _in_one(context, groups, groups.whole, dimensions, units) if groups.whole else _one_by_one(context, groups, dimensions, units)
    names = pl.Series("dimension", [dimension.name for dimension in dimensions])[which]
    rows = pl.DataFrame([names, *counted]).filter((pl.col("a") > 0) | (pl.col("b") > 0))
    a, b = rows["a"].to_numpy(), rows["b"].to_numpy()
    size_a, size_b = groups.sizes.a, groups.sizes.b
    pooled = (a + b) / max(size_a + size_b, 1)
    return rows.with_columns(
        pl.Series("p", chi_square_p(a, size_a, b, size_b)),
        pl.Series("is_few", np.minimum(pooled * size_a, pooled * size_b) < FEW),
        pl.Series("is_made_of", (a == size_a) & (b == 0) & (size_a > 0) & (size_b > 0)),
    )


def _in_one(context: ReportContext, groups: Groups, whole: ReportFilter, dimensions: Sequence[Dimension], units: Unit) -> tuple[pl.DataFrame, Ints]:
    """Both groups at once, so that what they share is read once: `value`, `a`, `b` by each dimension, and by which of them each row is."""
    [tally] = context.tally(whole, MembersByValue(tuple(dimensions), groups.a, groups.b, units))
    counted = tally.as_texts().frame
    return pl.DataFrame([counted["key_0"].alias("value"), counted[A], counted[B]]), counted["dimension"].to_numpy()


def _one_by_one(context: ReportContext, groups: Groups, dimensions: Sequence[Dimension], units: Unit) -> tuple[pl.DataFrame, Ints]:
    column = COLUMN[units]
    by = [GroupBy((dimension,), columns=frozenset({column})) for dimension in dimensions]
    tallies = context.tallies([(ask, one) for ask in (groups.a, groups.b) for one in by])
    parts = [_beside(a, b, column) for a, b in zip(tallies[: len(by)], tallies[len(by) :], strict=True)]
    return pl.concat(parts), np.repeat(np.arange(len(parts)), [len(part) for part in parts])


def _beside(a: Tally, b: Tally, column: str) -> pl.DataFrame:
    """Two tallies by one dimension beside each other, as texts: `value`, `a`, `b`."""
    one, other = (tally.as_texts().frame.select(pl.col("key_0").alias("value"), pl.col(column).alias(name)) for tally, name in ((a, A), (b, B)))
    return one.join(other, on="value", how="full", coalesce=True).with_columns(pl.col(A, B).fill_null(0.0))
