"""One site's frames: a large base and a small rest, brought up to date by what came since.

The base holds most visitors. A visitor who did something since the base was made is taken over, with all their hits, by the rest, and buried in
the base; so only the visitors who did something are derived anew, and both parts together always hold each visitor once. When the rest has grown
to a fair part of the base, both are melted into a new base.
"""

from __future__ import annotations

from collections.abc import Iterable
from copy import copy
from dataclasses import dataclass, replace

import numpy as np
import polars as pl

from upper_compass.core.dataset.coded_hits import CODED_SCHEMA, Dictionaries, Ints, encode_hits, in_order, repeated_orders
from upper_compass.core.dataset.lookups import Lexicon
from upper_compass.core.dataset.shard import Shard
from upper_compass.core.definitions.hits import Kind
from upper_compass.core.definitions.reference import Reference
from upper_compass.core.definitions.site_rules import SiteRules

MELT_FROM = 20_000
MELT_SHARE = 0.25

ORDERS = {"seq": pl.Int64(), "at": pl.Int64(), "order_id": pl.UInt32(), "visitor": pl.UInt32()}


@dataclass(frozen=True)
class Frames:
    """A site's hits as of number `seq`. Immutable but for its dictionaries, which only grow."""

    dictionaries: Dictionaries
    lexicon: Lexicon
    base: Shard
    rest: Shard
    orders: pl.DataFrame
    seq: int

    @property
    def shards(self) -> list[Shard]:
        """What reports are read from."""
        return [self.base, self.rest]

    @property
    def hits(self) -> pl.DataFrame:
        """All coded hits, each once, in no order."""
        standing = self.base.hits
        if len(self.rest.hits):
            standing = standing.filter(~pl.col("visitor").is_in(self.rest.hits["visitor"].unique().implode()))
        return pl.concat([standing, self.rest.hits])


def start(rules: SiteRules, reference: Reference, dictionaries: Dictionaries | None = None, hits: pl.DataFrame | None = None, seq: int = 0) -> Frames:
    """Frames of coded hits (in any order) and their dictionaries; without any, empty frames."""
    dictionaries = dictionaries or Dictionaries()
    hits = pl.DataFrame(schema=CODED_SCHEMA) if hits is None else hits
    lexicon = Lexicon(rules, reference, dictionaries)
    return _melted(dictionaries, lexicon, hits, _orders_of(hits), seq)


def with_rules(frames: Frames, rules: SiteRules, reference: Reference) -> Frames:
    """The same hits read by other rules."""
    return start(rules, reference, frames.dictionaries, frames.hits, frames.seq)


def advance(frames: Frames, parts: Iterable[pl.DataFrame], seq: int) -> Frames:
    """Take in raw hits (frames of RAW_SCHEMA) that came since, up to number `seq`."""
    coded = [encode_hits(part, frames.dictionaries) for part in parts]
    if not any(len(part) for part in coded):
        return replace(frames, seq=seq)
    frames.lexicon.extend()
    fresh = pl.concat(coded)
    new_orders = _orders_of(fresh)
    orders = pl.concat([frames.orders, new_orders])
    if len(fresh) > max(MELT_FROM, MELT_SHARE * len(frames.base.hits)):
        return _melted(frames.dictionaries, frames.lexicon, pl.concat([frames.hits, fresh]), orders, seq)
    touched = _touched(fresh, orders, new_orders)
    moved = frames.base.hits[frames.base.rows_of_visitors(touched)]
    moved = moved.filter(~pl.col("visitor").is_in(frames.rest.hits["visitor"].unique().implode()))
    rest = in_order(pl.concat([frames.rest.hits, moved, fresh]))
    if len(rest) > max(MELT_FROM, MELT_SHARE * len(frames.base.hits)):
        return _melted(frames.dictionaries, frames.lexicon, pl.concat([frames.hits, fresh]), orders, seq)
    base = copy(frames.base)
    base.bury(touched)
    return replace(frames, base=base, rest=Shard.of(rest, frames.lexicon, repeated_orders(orders)), orders=orders, seq=seq)


def _touched(fresh: pl.DataFrame, orders: pl.DataFrame, new_orders: pl.DataFrame) -> Ints:
    """Visitors whom new hits may change: those who sent them, and those with an order whose id came again."""
    ids = new_orders["order_id"].unique().implode()
    sharing = orders.filter((pl.col("order_id") > 0) & pl.col("order_id").is_in(ids))["visitor"]
    return pl.concat([fresh["visitor"], sharing]).unique().sort().to_numpy()


def _orders_of(hits: pl.DataFrame) -> pl.DataFrame:
    return hits.filter(pl.col("kind") == int(Kind.order)).select(list(ORDERS))


def _melted(dictionaries: Dictionaries, lexicon: Lexicon, hits: pl.DataFrame, orders: pl.DataFrame, seq: int) -> Frames:
    repeated = repeated_orders(orders)
    empty = pl.DataFrame(schema=CODED_SCHEMA)
    base = Shard.of(in_order(hits), lexicon, repeated)
    return Frames(dictionaries, lexicon, base, Shard.of(empty, lexicon, np.empty(0, np.int64)), orders, seq)
