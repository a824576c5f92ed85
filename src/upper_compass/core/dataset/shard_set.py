"""The shards of a site, as reports read them."""

from __future__ import annotations

from dataclasses import dataclass, field

from upper_compass.core.dataset.lookups import DimensionLookups
from upper_compass.core.dataset.shard import Shard


@dataclass(frozen=True)
class ShardSet:
    """The shards of a site, in two ways.

    `valid` hold each visitor once: those who came back are tombstoned in the shard where they stood before. What can be added up is read from `main`
    instead, in which nobody is tombstoned, so that what was tallied of it stays true however many come back, and from the `deltas`: newer shards,
    and such of sign -1, which hold visitors as they stand in an older shard, and retract their share.
    """

    lookups: DimensionLookups
    main: tuple[Shard, ...]
    valid: tuple[Shard, ...]
    deltas: tuple[Shard, ...] = ()
    # Which hits by which rules: the same object as long as these are the same.
    main_version: object = field(default_factory=object)
    version: object = field(default_factory=object)
