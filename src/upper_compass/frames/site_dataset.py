"""One site's hits as shards, brought up to date by what came since.

Visitors are split by a hash among the base shards, which hold most of them. A visitor who does something after the base was made is taken over, with
all their hits, by the recent shards: the last of these is small and takes in what arrives, and when it has grown it becomes a level of its own, joined
with the one before when that is of about its size. So only the visitors who did something are derived anew, and little else, however much has
gathered. What the base still counts of visitors who left it is taken back by the replaced shards (see `ShardSet`). When the recent shards have grown
to a fair part of the base, all are compacted into a new base.
"""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from copy import copy
from dataclasses import dataclass, field, replace
from functools import cached_property

import numpy as np
import polars as pl

from upper_compass.core.dataset.coded_hits import CODED, CODED_SCHEMA, Codes, Dictionaries, Ints, encode_hits, in_order, repeated_orders
from upper_compass.core.dataset.lookups import DimensionLookups
from upper_compass.core.dataset.shard import Shard, among
from upper_compass.core.dataset.shard_set import ShardSet
from upper_compass.core.definitions.hits import Kind
from upper_compass.core.definitions.reference import Reference
from upper_compass.core.definitions.site_rules import SiteRules

SHARDS = 8
# Hits of the last recent shard, and how many times larger each level before it is at least.
TAIL, GROWTH = 2_000, 4
COMPACT_FROM = 20_000
COMPACT_SHARE = 0.25

ORDERS = {"seq": pl.Int64(), "at": pl.Int64(), "order_id": pl.UInt32(), "visitor": pl.UInt32()}
NOBODY: Codes = np.empty(0, np.uint32)


@dataclass(frozen=True)
class SiteDataset:
    """A site's hits as of number `seq`. Immutable but for its dictionaries, which only grow.

    `left`: visitors (ascending codes) who stand in the recent shards and not in the base; `repeated`: `seq` of repeated orders, ascending, and as it
    was when the base was made.
    """

    dictionaries: Dictionaries
    lookups: DimensionLookups
    base: tuple[Shard, ...]
    standing: tuple[Shard, ...]
    orders: pl.DataFrame
    repeated: Ints
    base_repeated: Ints
    seq: int
    recent: tuple[Shard, ...] = ()
    replaced: tuple[Shard, ...] = ()
    left: Codes = field(default_factory=lambda: NOBODY)
    base_version: object = field(default_factory=object)

    @cached_property
    def shards(self) -> ShardSet:
        """What reports are read from."""
        return ShardSet(self.lookups, self.base, self.standing, self.recent, self.replaced, self.base_version)

    @property
    def hits(self) -> pl.DataFrame:
        """All coded hits, each once, in no order."""
        return pl.concat([standing_hits(shard) for shard in self.standing + self.recent])

    @cached_property
    def size(self) -> int:
        """About how many bytes it takes."""
        shards = sum(int(shard.hits.estimated_size() + shard.derived.visits.estimated_size()) + 6 * len(shard.hits) for shard in self.base + self.recent)
        return shards + sum(int(self.dictionaries[name].texts.estimated_size()) + 12 * len(self.dictionaries[name]) for name in CODED)


def standing_hits(shard: Shard) -> pl.DataFrame:
    """The hits of a shard without those of visitors who were taken over by another."""
    if not len(shard.tombstoned):
        return shard.hits
    kept = np.ones(len(shard.hits), bool)
    kept[shard.rows_of_visitors(shard.tombstoned)] = False
    return shard.hits.filter(kept)


def start(rules: SiteRules, reference: Reference, dictionaries: Dictionaries | None = None, hits: pl.DataFrame | None = None, seq: int = 0) -> SiteDataset:
    """Shards of coded hits (in any order) and their dictionaries; without any, empty ones."""
    dictionaries = dictionaries or Dictionaries()
    hits = pl.DataFrame(schema=CODED_SCHEMA) if hits is None else hits
    lookups = DimensionLookups(rules, reference, dictionaries)
    orders = _orders_of(hits)
    return _compacted(dictionaries, lookups, hits, orders, repeated_orders(orders), seq)


def with_rules(dataset: SiteDataset, rules: SiteRules, reference: Reference) -> SiteDataset:
    """The same hits read by other rules. Where these change nothing of which visits there are, no visit is derived again."""
    if rules.derivation_version() != dataset.lookups.rules.derivation_version():
        lookups = DimensionLookups(rules, reference, dataset.dictionaries)
        return _compacted(dataset.dictionaries, lookups, dataset.hits, dataset.orders, dataset.repeated, dataset.seq)
    lookups = DimensionLookups(rules, reference, dataset.dictionaries, dataset.lookups)
    base = tuple(shard.with_lookups(lookups) for shard in dataset.base)
    standing = tuple(_without(shard, before.tombstoned) for shard, before in zip(base, dataset.standing, strict=True))
    recent, replaced = (tuple(shard.with_lookups(lookups) for shard in shards) for shards in (dataset.recent, dataset.replaced))
    return replace(dataset, lookups=lookups, base=base, standing=standing, recent=recent, replaced=replaced, base_version=object())


def advance(dataset: SiteDataset, parts: Iterable[pl.DataFrame], seq: int) -> SiteDataset:
    """Take in raw hits (frames of RAW_SCHEMA) that came since, up to number `seq`."""
    coded = [encode_hits(part, dataset.dictionaries) for part in parts]
    if not any(len(part) for part in coded):
        return replace(dataset, seq=seq)
    dataset.lookups.extend()
    fresh = pl.concat(coded)
    new_orders = _orders_of(fresh)
    orders = pl.concat([dataset.orders, new_orders]) if len(new_orders) else dataset.orders
    repeated = _repeated(dataset.repeated, orders, new_orders)
    gathered = len(fresh) + sum(len(shard.hits) for shard in dataset.recent)
    if gathered > max(COMPACT_FROM, COMPACT_SHARE * sum(len(shard.hits) for shard in dataset.base)):
        return _compacted(dataset.dictionaries, dataset.lookups, pl.concat([dataset.hits, fresh]), orders, repeated, seq)
    touched = _touched(fresh, orders, new_orders)
    leaving = touched[~among(touched, dataset.left)]
    from_base = _hits_of(dataset.base, leaving)
    moved = _hits_of(dataset.recent, touched)
    recent = tuple(_without(shard, touched) for shard in dataset.recent)
    replaced = dataset.replaced
    if len(from_base):
        replaced = tuple(replace(shard, sign=-1) for shard in _pushed(replaced, from_base, dataset.lookups, dataset.base_repeated))
    return replace(
        dataset,
        standing=tuple(_without(shard, leaving) for shard in dataset.standing),
        recent=_pushed(recent, pl.concat([from_base, moved, fresh]), dataset.lookups, repeated),
        replaced=replaced,
        left=np.union1d(dataset.left, leaving),
        orders=orders,
        repeated=repeated,
        seq=seq,
    )


def _hits_of(shards: Sequence[Shard], visitors: Codes) -> pl.DataFrame:
    """All hits of visitors that are read from these shards."""
    parts = [pl.DataFrame(schema=CODED_SCHEMA)]
    for shard in shards:
        here = visitors[~among(visitors, shard.tombstoned)]
        parts.append(shard.hits[pl.Series(shard.rows_of_visitors(here))])
    return pl.concat(parts)


def _without(shard: Shard, visitors: Codes) -> Shard:
    """The shard with these visitors tombstoned, as far as they stand in it."""
    here = visitors[among(visitors, shard.hit("visitor"))]
    if not len(here):
        return shard
    changed = copy(shard)
    changed.tombstone(here)
    return changed


def _pushed(levels: tuple[Shard, ...], hits: pl.DataFrame, lookups: DimensionLookups, repeated: Ints) -> tuple[Shard, ...]:
    """The levels with these hits in the last one; when that is full it becomes a level like the others, and a new one is begun."""
    below = list(levels)
    if below and len(below[-1].hits) + len(hits) <= TAIL:
        hits = pl.concat([standing_hits(below.pop()), hits])
    else:
        joining: list[Shard] = below[-1:]
        while len(joining) < len(below) and len(below[-1 - len(joining)].hits) < GROWTH * sum(len(shard.hits) for shard in joining):
            joining.append(below[-1 - len(joining)])
        if len(joining) > 1:
            joined = pl.concat([standing_hits(shard) for shard in joining])
            below[len(below) - len(joining) :] = [Shard.of(in_order(joined), lookups, repeated)]
    return (*below, Shard.of(in_order(hits), lookups, repeated))


def _touched(fresh: pl.DataFrame, orders: pl.DataFrame, new_orders: pl.DataFrame) -> Codes:
    """Visitors (ascending) whom new hits may change: those who sent them, and those with an order whose id came again."""
    visitors = [fresh["visitor"]]
    if len(new_orders):
        visitors.append(_sharing(orders, new_orders)["visitor"])
    return pl.concat(visitors).unique().sort().to_numpy()


def _sharing(orders: pl.DataFrame, new_orders: pl.DataFrame) -> pl.DataFrame:
    """The orders that bear an id of the new ones."""
    ids = new_orders["order_id"].unique().implode()
    return orders.filter((pl.col("order_id") > 0) & pl.col("order_id").is_in(ids))


def _repeated(repeated: Ints, orders: pl.DataFrame, new_orders: pl.DataFrame) -> Ints:
    """`seq` of all repeated orders; only those that share an id with a new one are judged again."""
    if not len(new_orders):
        return repeated
    sharing = _sharing(orders, new_orders)
    return np.union1d(np.setdiff1d(repeated, sharing["seq"].to_numpy()), repeated_orders(sharing))


def _orders_of(hits: pl.DataFrame) -> pl.DataFrame:
    return hits.filter(pl.col("kind") == int(Kind.order)).select(list(ORDERS))


def _compacted(dictionaries: Dictionaries, lookups: DimensionLookups, hits: pl.DataFrame, orders: pl.DataFrame, repeated: Ints, seq: int) -> SiteDataset:
    # A shard after the other, so that at no time all are held twice.
    of = pl.Series(dictionaries["visitor"].texts.hash() % SHARDS)[hits["visitor"]]
    base = tuple(Shard.of(in_order(hits.filter(of == number)), lookups, repeated) for number in range(SHARDS))
    return SiteDataset(dictionaries, lookups, base, base, orders, repeated, repeated, seq)
