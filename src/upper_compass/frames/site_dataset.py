"""One site's frames: a large main part and a small delta, brought up to date by what came since.

The main part holds most visitors. A visitor who did something since the main part was made is taken over, with all their hits, by the delta, and tombstoned in
the main part; so only the visitors who did something are derived anew, and both parts together always hold each visitor once. When the delta has grown
to a fair part of the main part, both are compacted into a new main part.
"""

from __future__ import annotations

from collections.abc import Iterable
from copy import copy
from dataclasses import dataclass, replace

import numpy as np
import polars as pl

from upper_compass.core.dataset.coded_hits import CODED_SCHEMA, Dictionaries, Ints, encode_hits, in_order, repeated_orders
from upper_compass.core.dataset.lookups import DimensionLookups
from upper_compass.core.dataset.shard import Shard
from upper_compass.core.definitions.hits import Kind
from upper_compass.core.definitions.reference import Reference
from upper_compass.core.definitions.site_rules import SiteRules

COMPACT_FROM = 20_000
COMPACT_SHARE = 0.25

ORDERS = {"seq": pl.Int64(), "at": pl.Int64(), "order_id": pl.UInt32(), "visitor": pl.UInt32()}


@dataclass(frozen=True)
class SiteDataset:
    """A site's hits as of number `seq`. Immutable but for its dictionaries, which only grow."""

    dictionaries: Dictionaries
    lookups: DimensionLookups
    main: Shard
    delta: Shard
    orders: pl.DataFrame
    seq: int

    @property
    def shards(self) -> list[Shard]:
        """What reports are read from."""
        return [self.main, self.delta]

    @property
    def hits(self) -> pl.DataFrame:
        """All coded hits, each once, in no order."""
        standing = self.main.hits
        if len(self.delta.hits):
            standing = standing.filter(~pl.col("visitor").is_in(self.delta.hits["visitor"].unique().implode()))
        return pl.concat([standing, self.delta.hits])


def start(rules: SiteRules, reference: Reference, dictionaries: Dictionaries | None = None, hits: pl.DataFrame | None = None, seq: int = 0) -> SiteDataset:
    """Frames of coded hits (in any order) and their dictionaries; without any, empty frames."""
    dictionaries = dictionaries or Dictionaries()
    hits = pl.DataFrame(schema=CODED_SCHEMA) if hits is None else hits
    lookups = DimensionLookups(rules, reference, dictionaries)
    return _compacted(dictionaries, lookups, hits, _orders_of(hits), seq)


def with_rules(frames: SiteDataset, rules: SiteRules, reference: Reference) -> SiteDataset:
    """The same hits read by other rules."""
    return start(rules, reference, frames.dictionaries, frames.hits, frames.seq)


def advance(frames: SiteDataset, parts: Iterable[pl.DataFrame], seq: int) -> SiteDataset:
    """Take in raw hits (frames of RAW_SCHEMA) that came since, up to number `seq`."""
    coded = [encode_hits(part, frames.dictionaries) for part in parts]
    if not any(len(part) for part in coded):
        return replace(frames, seq=seq)
    frames.lookups.extend()
    fresh = pl.concat(coded)
    new_orders = _orders_of(fresh)
    orders = pl.concat([frames.orders, new_orders])
    if len(fresh) > max(COMPACT_FROM, COMPACT_SHARE * len(frames.main.hits)):
        return _compacted(frames.dictionaries, frames.lookups, pl.concat([frames.hits, fresh]), orders, seq)
    touched = _touched(fresh, orders, new_orders)
    moved = frames.main.hits[frames.main.rows_of_visitors(touched)]
    moved = moved.filter(~pl.col("visitor").is_in(frames.delta.hits["visitor"].unique().implode()))
    delta = in_order(pl.concat([frames.delta.hits, moved, fresh]))
    if len(delta) > max(COMPACT_FROM, COMPACT_SHARE * len(frames.main.hits)):
        return _compacted(frames.dictionaries, frames.lookups, pl.concat([frames.hits, fresh]), orders, seq)
    main = copy(frames.main)
    main.tombstone(touched)
    return replace(frames, main=main, delta=Shard.of(delta, frames.lookups, repeated_orders(orders)), orders=orders, seq=seq)


def _touched(fresh: pl.DataFrame, orders: pl.DataFrame, new_orders: pl.DataFrame) -> Ints:
    """Visitors whom new hits may change: those who sent them, and those with an order whose id came again."""
    ids = new_orders["order_id"].unique().implode()
    sharing = orders.filter((pl.col("order_id") > 0) & pl.col("order_id").is_in(ids))["visitor"]
    return pl.concat([fresh["visitor"], sharing]).unique().sort().to_numpy()


def _orders_of(hits: pl.DataFrame) -> pl.DataFrame:
    return hits.filter(pl.col("kind") == int(Kind.order)).select(list(ORDERS))


def _compacted(dictionaries: Dictionaries, lookups: DimensionLookups, hits: pl.DataFrame, orders: pl.DataFrame, seq: int) -> SiteDataset:
    repeated = repeated_orders(orders)
    empty = pl.DataFrame(schema=CODED_SCHEMA)
    main = Shard.of(in_order(hits), lookups, repeated)
    return SiteDataset(dictionaries, lookups, main, Shard.of(empty, lookups, np.empty(0, np.int64)), orders, seq)
