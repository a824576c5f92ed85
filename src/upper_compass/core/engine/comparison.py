"""Two groups counted value by value: what Compare shows, and what Worth a look looks through (rules, chapter 8)."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np
import polars as pl

from upper_compass.core.dataset.coded_hits import Codes
from upper_compass.core.dataset.shard import Shard
from upper_compass.core.dataset.visits import Rows
from upper_compass.core.definitions.comparisons import ComparedSizes
from upper_compass.core.engine.context import ReportContext
from upper_compass.core.engine.dimensions import DIMENSIONS, Dimension, of_field
from upper_compass.core.engine.protocol import Tally
from upper_compass.core.engine.selection import Outside, ReportFilter, Selection, Unit
from upper_compass.core.engine.statistics import FEW, chi_square_p
from upper_compass.core.engine.tally import GroupBy

# The additive column that counts the units.
COLUMN: dict[Unit, str] = {"people": "visitors", "visits": "visits"}
# Of a page that is known, these say where one came from and went on to, alone they are the pages themselves once more; a day is what a period is made
# of, and all properties together are what an event is.
OF_ANOTHER = ("previous_page", "next_page", "day", "properties")
_A, _B = "a", "b"


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
    counted = _in_one(context, groups, groups.whole, dimensions, units) if groups.whole else _one_by_one(context, groups, dimensions, units)
    parts = [frame.select(pl.lit(dimension.name).alias("dimension"), "value", "a", "b") for dimension, frame in zip(dimensions, counted, strict=True)]
    rows = pl.concat(parts).filter((pl.col("a") > 0) | (pl.col("b") > 0))
    a, b = rows["a"].to_numpy(), rows["b"].to_numpy()
    size_a, size_b = groups.sizes.a, groups.sizes.b
    pooled = (a + b) / max(size_a + size_b, 1)
    return rows.with_columns(
        pl.Series("p", chi_square_p(a, size_a, b, size_b)),
        pl.Series("is_few", np.minimum(pooled * size_a, pooled * size_b) < FEW),
        pl.Series("is_made_of", (a == size_a) & (b == 0) & (size_a > 0) & (size_b > 0)),
    )


def _in_one(context: ReportContext, groups: Groups, whole: ReportFilter, dimensions: Sequence[Dimension], units: Unit) -> list[pl.DataFrame]:
    """Both groups at once, for each dimension: the group is a second key, so that what both share is read once."""
    column = COLUMN[units]
    group = _group_of(groups)
    tallies = context.tallies([(whole, GroupBy((dimension, group), columns=frozenset({column}))) for dimension in dimensions])
    return [_spread(tally, column) for tally in tallies]


def _spread(tally: Tally, column: str) -> pl.DataFrame:
    """A tally by value and group with a row a value: `value`, `a`, `b`."""
    by_text = tally.as_texts().frame
    counted = [pl.when(pl.col("key_1") == name).then(pl.col(column)).otherwise(0.0).sum().alias(name) for name in (_A, _B)]
    return by_text.group_by(pl.col("key_0").alias("value")).agg(counted)


def _group_of(groups: Groups) -> Dimension:
    """Which of the two groups a visit is in, as a dimension; none where it is in neither."""

    def read(shard: Shard, visits: Rows) -> Codes:
        words = np.array([0, shard.lookups.word(_A), shard.lookups.word(_B)], np.uint32)
        masks = [Selection(shard, replace(ask, goal=None)).visit_mask for ask in (groups.a, groups.b)]
        member: Codes = words[np.where(masks[0], 1, np.where(masks[1], 2, 0))]
        return member

    def kept(shard: Shard, visits: Rows) -> Codes:
        return shard.kept((groups.a.key, groups.b.key, "group"), lambda: read(shard, visits))[visits]

    return Dimension(f"group {groups.a.key} {groups.b.key}", "Group", "visit", "", kept)


def _one_by_one(context: ReportContext, groups: Groups, dimensions: Sequence[Dimension], units: Unit) -> list[pl.DataFrame]:
    column = COLUMN[units]
    by = [GroupBy((dimension,), columns=frozenset({column})) for dimension in dimensions]
    tallies = context.tallies([(ask, one) for ask in (groups.a, groups.b) for one in by])
    return [_beside(a, b, column) for a, b in zip(tallies[: len(by)], tallies[len(by) :], strict=True)]


def _beside(a: Tally, b: Tally, column: str) -> pl.DataFrame:
    """Two tallies by one dimension beside each other, as texts: `value`, `a`, `b`."""
    one, other = (tally.as_texts().frame.select(pl.col("key_0").alias("value"), pl.col(column).alias(name)) for tally, name in ((a, _A), (b, _B)))
    return one.join(other, on="value", how="full", coalesce=True).with_columns(pl.col(_A, _B).fill_null(0.0))
