"""The shards of a site, as reports read them."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, field

from upper_compass.core.dataset.lookups import DimensionLookups
from upper_compass.core.dataset.shard import Shard


@dataclass(frozen=True)
class ShardSet:
    """Shards of which each visitor stands in one.

    `standing` and `recent` hold each visitor once: of `standing`, visitors who came back since are tombstoned, and all that they did stands in
    `recent`. What can be added up is read from `base` instead, which are the same shards with nobody tombstoned, so that what was tallied of them
    stays true however many come back; `replaced` (of sign -1) are those visitors as they stand in `base`, and take their share back.
    """

    lookups: DimensionLookups
    base: tuple[Shard, ...]
    standing: tuple[Shard, ...]
    recent: tuple[Shard, ...] = ()
    replaced: tuple[Shard, ...] = ()
    # Which hits by which rules: the same object as long as these are the same.
    base_version: object = field(default_factory=object)
    version: object = field(default_factory=object)

    @staticmethod
    def of(shards: Sequence[Shard]) -> ShardSet:
        """Shards, one or more, with common look-ups and disjoint visitors."""
        return ShardSet(shards[0].lookups, tuple(shards), tuple(shards))

    @property
    def each_once(self) -> tuple[Shard, ...]:
        """Shards that hold each visitor once."""
        return self.standing + self.recent
