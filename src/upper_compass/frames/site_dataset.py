"""One site's hits as shards, brought up to date by what came since.

Visitors are split by a hash among the shards of the main level, which hold most of them; so they are put down, and those of a small site are read as
one. Whoever does something after that was made is taken over, with all their hits, by the deltas: the last of these is small and takes in what arrives;
when it has grown it stays, and is joined with the one before when that is of about its size. So only the visitors who did something are derived anew, and
little else, however much has gathered. When the deltas have grown to a fair part of the main level, all are compacted into a new one.

What a large level still counts of visitors who left it is retracted by shards of its own that hold just them, so that what was tallied of it
stays true (see `ShardSet`). From a small level they are taken out.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator, Sequence
from copy import copy
from dataclasses import dataclass, field, replace
from functools import cached_property
from itertools import chain
from typing import TypeVar

import numpy as np
import polars as pl

from upper_compass.core.dataset.coded_hits import (
    CODED,
    CODED_SCHEMA,
    Codes,
    Dictionaries,
    Ints,
    encode_hits,
    in_order,
    repeated_orders,
    repeated_with,
    sharing_ids,
)
from upper_compass.core.dataset.lookups import DimensionLookups
from upper_compass.core.dataset.shard import Shard, among
from upper_compass.core.dataset.shard_set import ShardSet
from upper_compass.core.definitions.hits import Kind
from upper_compass.core.definitions.reference import Reference
from upper_compass.core.definitions.site_rules import SiteRules
from upper_compass.frames.placing import PlacedHits, Placing

# Into so many shards visitors are split; those of a site of fewer hits than this are read as one, for that is quicker (docs/performance.md).
SHARDS = 8
SPLIT_FROM = 400_000
# Hits of the last delta, and how many times larger each level before it is at least.
TAIL, GROWTH = 2_000, 4
# From a level of so many hits, visitors who leave are retracted, and not taken out.
RETRACT_FROM = 50_000
COMPACT_FROM = 20_000
COMPACT_SHARE = 0.25

ORDERS = {"seq": pl.Int64(), "at": pl.Int64(), "order_id": pl.UInt32(), "visitor": pl.UInt32()}
T = TypeVar("T")
NOBODY: Codes = np.empty(0, np.uint32)
NO_HITS = pl.DataFrame(schema=CODED_SCHEMA)


@dataclass(frozen=True)
class Level:
    """Shards of which each visitor stands in one: as they were made (`shards`), with those who left tombstoned (`valid`), and these alone (`retracted`).

    `tombstoned`: who left (ascending codes) without being taken out; `repeated`: the `seq` of repeated orders when it was made.
    """

    shards: tuple[Shard, ...]
    valid: tuple[Shard, ...]
    repeated: Ints
    retracted: tuple[Shard, ...] = ()
    tombstoned: Codes = field(default_factory=lambda: NOBODY)
    version: object = field(default_factory=object)

    @staticmethod
    def of(hits: pl.DataFrame, lookups: DimensionLookups, repeated: Ints) -> Level:
        """A level of one shard."""
        shard = Shard.of(in_order(hits), lookups, repeated)
        return Level((shard,), (shard,), repeated)

    @cached_property
    def count(self) -> int:
        """How many hits it was made of."""
        return sum(len(shard.hits) for shard in self.shards)

    @property
    def hits(self) -> pl.DataFrame:
        """The hits that stand here (a frame of CODED_SCHEMA, in no order)."""
        return pl.concat([_valid_hits(shard) for shard in self.valid])

    def hits_of(self, visitors: Codes) -> pl.DataFrame:
        """All hits (a frame of CODED_SCHEMA, in no order) of those visitors (ascending codes) who stand here."""
        parts = [shard.hits[pl.Series(shard.rows_of_visitors(visitors[~among(visitors, shard.tombstoned)]))] for shard in self.valid]
        return pl.concat(parts)

    def without(self, visitors: Codes, lookups: DimensionLookups) -> Level:
        """The level when these visitors have left it."""
        valid = tuple(_without(shard, visitors) for shard in self.valid)
        if all(shard is before for shard, before in zip(valid, self.valid, strict=True)):
            return self
        if self.count < RETRACT_FROM:
            return Level(valid, valid, self.repeated)
        leaving = visitors[~among(visitors, self.tombstoned)]

        def retracting(hits: pl.DataFrame) -> Shard:
            return replace(Shard.of(in_order(hits), lookups, self.repeated), sign=-1)

        retracted = _pushed(self.retracted, self.hits_of(leaving), lambda shard: len(shard.hits), lambda shard: shard.hits, retracting)
        return replace(self, valid=valid, retracted=retracted, tombstoned=np.sort(np.concatenate([self.tombstoned, leaving])))

    def with_lookups(self, lookups: DimensionLookups) -> Level:
        """The same visits read by other look-ups."""
        shards, retracted = (tuple(shard.with_lookups(lookups) for shard in shards) for shards in (self.shards, self.retracted))
        valid = tuple(_without(shard, before.tombstoned) for shard, before in zip(shards, self.valid, strict=True))
        return replace(self, shards=shards, valid=valid, retracted=retracted, version=object())


@dataclass(frozen=True)
class SiteDataset:
    """A site's hits as of number `seq`. Immutable but for its dictionaries, which only grow. `repeated`: `seq` of repeated orders, ascending."""

    dictionaries: Dictionaries
    lookups: DimensionLookups
    main: Level
    orders: pl.DataFrame
    repeated: Ints
    seq: int
    deltas: tuple[Level, ...] = ()
    placing: Placing = field(default_factory=Placing)

    @cached_property
    def shards(self) -> ShardSet:
        """What reports are read from."""
        valid = tuple(shard for level in (self.main, *self.deltas) for shard in level.valid)
        deltas = self.main.retracted + tuple(shard for level in self.deltas for shard in level.shards + level.retracted)
        return ShardSet(self.lookups, self.main.shards, valid, deltas, self.main.version)

    def parts(self) -> Iterator[pl.DataFrame]:
        """All coded hits, each once, in no order, shard by shard (frames of CODED_SCHEMA)."""
        return (_valid_hits(shard) for level in (self.main, *self.deltas) for shard in level.valid)

    def by_shard(self) -> Iterator[pl.DataFrame]:
        """All coded hits, each once, in the SHARDS that visitors are split into, each in order (frames of CODED_SCHEMA)."""
        standing, gathered = _standing(self)
        splitting, pieces = _Splitting(self.dictionaries, SHARDS), _nothing(SHARDS)
        for part in gathered:
            _hand_out(splitting.split(part), pieces, lambda piece: piece)
        for number, shard in enumerate(standing):
            yield _joined(shard, pieces[number])
            if shard and shard.let_go:
                shard.let_go()

    @cached_property
    def size(self) -> int:
        """About how many bytes it takes."""
        shards = [shard for level in (self.main, *self.deltas) for shard in level.shards]
        hits = sum(int(shard.hits.estimated_size()) for shard in shards if not shard.is_mapped)
        held = hits + sum(int(shard.derived.visits.estimated_size()) + 6 * len(shard.hits) for shard in shards)
        return held + sum(self.dictionaries[name].size for name in CODED)


def _valid_hits(shard: Shard) -> pl.DataFrame:
    """The hits of a shard without those of visitors who were taken over by another."""
    if not len(shard.tombstoned):
        return shard.hits
    kept = np.ones(len(shard.hits), bool)
    kept[shard.rows_of_visitors(shard.tombstoned)] = False
    return shard.hits.filter(kept)


def start(
    rules: SiteRules,
    reference: Reference,
    dictionaries: Dictionaries | None = None,
    hits: list[pl.DataFrame] | None = None,
    seq: int = 0,
    repeated: Ints | None = None,
    placing: Placing | None = None,
) -> SiteDataset:
    """Shards of coded hits (frames of CODED_SCHEMA, in any order, taken out of the list as they are read) and their dictionaries; without any, empty ones.

    `repeated`: the `seq` of repeated orders of the whole site (ascending), where these are not all of its hits.
    """
    empty = of_shards(rules, reference, dictionaries or Dictionaries(), [PlacedHits(NO_HITS)], 0, repeated, placing)
    return _compacted(empty, empty.lookups, _taken_out(hits or []), seq, repeated)


def of_shards(
    rules: SiteRules,
    reference: Reference,
    dictionaries: Dictionaries,
    shards: list[PlacedHits],
    seq: int,
    repeated: Ints | None = None,
    placing: Placing | None = None,
) -> SiteDataset:
    """A dataset of what `SiteDataset.by_shard` gave before, which is taken out of the list. `repeated`: see `start`."""
    lookups = DimensionLookups(rules, reference, dictionaries)
    orders = pl.concat([_orders_of(one.hits) for one in shards])
    repeated = repeated_orders(orders) if repeated is None else repeated
    if len(shards) > 1 and sum(len(one.hits) for one in shards) < SPLIT_FROM:
        shards[:] = [(placing or Placing()).begin().keep(in_order(pl.concat([one.hits for one in shards])))]
    shards.reverse()
    main = tuple(_shard_of(one, lookups, repeated) for one in _taken_out(shards))
    return SiteDataset(dictionaries, lookups, Level(main, main, repeated), orders, repeated, seq, placing=placing or Placing())


def with_rules(dataset: SiteDataset, rules: SiteRules, reference: Reference) -> SiteDataset:
    """The same hits read by other rules. Where these change nothing of which visits there are, no visit is derived again."""
    if rules.derivation_version() != dataset.lookups.rules.derivation_version():
        return _compacted(dataset, DimensionLookups(rules, reference, dataset.dictionaries), (), dataset.seq, dataset.repeated)
    lookups = DimensionLookups(rules, reference, dataset.dictionaries, dataset.lookups)
    main, *deltas = (level.with_lookups(lookups) for level in (dataset.main, *dataset.deltas))
    return replace(dataset, lookups=lookups, main=main, deltas=tuple(deltas))


def advance(dataset: SiteDataset, parts: Iterable[pl.DataFrame], seq: int, repeated: Ints | None = None) -> SiteDataset:
    """Take in raw hits (frames of RAW_SCHEMA) that came since, up to number `seq`. `repeated`: see `start`."""
    arriving = (encode_hits(part, dataset.dictionaries) for part in parts)
    coded: list[pl.DataFrame] = []
    gathered, bearable = sum(level.count for level in dataset.deltas), max(COMPACT_FROM, COMPACT_SHARE * dataset.main.count)
    for part in arriving:
        coded.append(part)
        gathered += len(part)
        if gathered > bearable:  # the rest is read while it is split: it may be too much to hold
            del part
            return _compacted(dataset, dataset.lookups, chain(_taken_out(coded), arriving), seq, repeated)
    judged_anew = NOBODY if repeated is None else _judged_anew(dataset, repeated)
    if not any(len(part) for part in coded) and not len(judged_anew):
        return replace(dataset, seq=seq) if repeated is None else replace(dataset, seq=seq, repeated=repeated)
    dataset.lookups.extend()
    fresh = pl.concat([NO_HITS, *coded])
    new_orders = _orders_of(fresh)
    orders = pl.concat([dataset.orders, new_orders]) if len(new_orders) else dataset.orders
    repeated = repeated_with(dataset.repeated, orders, new_orders) if repeated is None else repeated
    touched = np.union1d(_touched(fresh, orders, new_orders), judged_anew).astype(np.uint32)
    levels = (dataset.main, *dataset.deltas)
    moved = pl.concat([*(level.hits_of(touched) for level in levels), fresh])
    main, *deltas = (level.without(touched, dataset.lookups) for level in levels)
    pushed = _pushed(deltas, moved, lambda level: level.count, lambda level: level.hits, lambda hits: Level.of(hits, dataset.lookups, repeated))
    return replace(dataset, main=main, deltas=pushed, orders=orders, repeated=repeated, seq=seq)


def _without(shard: Shard, visitors: Codes) -> Shard:
    """The shard with these visitors tombstoned, as far as they stand in it."""
    here = visitors[among(visitors, shard.hit("visitor"))]
    if not len(here):
        return shard
    changed = copy(shard)
    changed.tombstone(here)
    return changed


def _pushed(
    below: Sequence[T], hits: pl.DataFrame, count_of: Callable[[T], int], hits_of: Callable[[T], pl.DataFrame], make: Callable[[pl.DataFrame], T]
) -> tuple[T, ...]:
    """What there was, levels or shards, with these hits in the last one, or in a new one; of those before, what is of about the same size is joined."""
    before = list(below)
    joining = _joining([count_of(one) for one in before], len(hits))
    if joining == 1 and count_of(before[-1]) + len(hits) <= TAIL:
        hits = pl.concat([hits_of(before.pop()), hits])
    elif joining > 1:
        before[-joining:] = [make(pl.concat([hits_of(one) for one in before[-joining:]]))]
    return (*before, make(hits))


def _joining(counts: Sequence[int], arriving: int) -> int:
    """How many of the last levels are joined, with each other: those of about the size of what lies behind them. 1: only the last takes hits in."""
    if not counts or counts[-1] + arriving <= TAIL:
        return min(len(counts), 1)
    joining = 1
    while joining < len(counts) and counts[-1 - joining] < GROWTH * sum(counts[-joining:]):
        joining += 1
    return joining


def _touched(fresh: pl.DataFrame, orders: pl.DataFrame, new_orders: pl.DataFrame) -> Codes:
    """Visitors (ascending) whom new hits may change: those who sent them, and those with an order whose id came again."""
    visitors = [fresh["visitor"]]
    if len(new_orders):
        visitors.append(sharing_ids(orders, new_orders)["visitor"])
    return pl.concat(visitors).unique().sort().to_numpy()


def _judged_anew(dataset: SiteDataset, repeated: Ints) -> Codes:
    """Visitors (ascending) with an order that was repeated and is not any more, or is now."""
    changed = np.setxor1d(dataset.repeated, repeated)
    if not len(changed):
        return NOBODY
    return dataset.orders.filter(pl.col("seq").is_in(changed.tolist()))["visitor"].unique().sort().to_numpy()


def _orders_of(hits: pl.DataFrame) -> pl.DataFrame:
    return hits.filter(pl.col("kind") == int(Kind.order)).select(list(ORDERS))


def _taken_out(parts: list[T]) -> Iterator[T]:
    """What is in the list, which lets go of it."""
    while parts:
        yield parts.pop()


def _shards_of(visitors: pl.Series, count: int) -> pl.Series:
    return visitors.hash() % count


def split_by() -> str:
    """What tells one way to split visitors from another: where some of them go."""
    return "".join(map(str, _shards_of(pl.Series([f"visitor {number}" for number in range(64)]), SHARDS)))


class _Splitting:
    """Which shard of so many each visitor belongs to."""

    def __init__(self, dictionaries: Dictionaries, count: int) -> None:
        self._visitors, self._count = dictionaries["visitor"], count
        self._shard_of = pl.Series([], dtype=pl.UInt64)

    def split(self, part: pl.DataFrame) -> Iterator[pl.DataFrame]:
        """The hits of each shard among these."""
        since = self._visitors.since(len(self._shard_of))
        if len(since):
            self._shard_of = pl.concat([self._shard_of, _shards_of(since, self._count)], rechunk=True)
        of = self._shard_of[part["visitor"]]
        return (part.filter(of == number) for number in range(self._count))


def _nothing(count: int) -> list[list[pl.DataFrame]]:
    return [[] for _ in range(count)]


def _hand_out(split: Iterable[pl.DataFrame], pieces: Sequence[list[pl.DataFrame]], keep: Callable[[pl.DataFrame], pl.DataFrame]) -> None:
    for number, piece in enumerate(split):
        if len(piece):
            pieces[number].append(keep(piece))


def _standing(dataset: SiteDataset) -> tuple[list[Shard | None], Iterator[pl.DataFrame]]:
    """Of each of SHARDS the shard of the main level that it is, none where these are read as one; and all other hits, which are to be split among them."""
    is_split = len(dataset.main.valid) == SHARDS
    others = dataset.deltas if is_split else (dataset.main, *dataset.deltas)
    return [*dataset.main.valid] if is_split else [None] * SHARDS, (_valid_hits(shard) for level in others for shard in level.valid)


def _joined(shard: Shard | None, pieces: Sequence[pl.DataFrame]) -> pl.DataFrame:
    """The hits of a shard, if any, together with others, in order; the same frame where there is nothing to change."""
    standing = _valid_hits(shard) if shard else NO_HITS
    return in_order(pl.concat([standing, *pieces])) if pieces else standing


def _shard_of(placed: PlacedHits, lookups: DimensionLookups, repeated: Ints) -> Shard:
    """A shard of hits in order; what was read of mapped ones to derive visits need not stay in memory."""
    shard = replace(Shard.of(placed.hits, lookups, repeated), let_go=placed.let_go)
    if shard.let_go:
        shard.let_go()
    return shard


def _compacted(dataset: SiteDataset, lookups: DimensionLookups, parts: Iterable[pl.DataFrame], seq: int, repeated: Ints | None) -> SiteDataset:
    """All hits, with parts (frames of CODED_SCHEMA) that come, as one level. A part is let go of when it is split, and what was split when its shard is made.

    Whoever stands in one of SHARDS shards of the main level stays there; those that were read as one are read each by itself when there is enough.
    """
    splitting, pieces, place = _Splitting(dataset.dictionaries, SHARDS), _nothing(SHARDS), dataset.placing.begin()
    standing, gathered = _standing(dataset)
    new_orders, count = [dataset.orders], 0
    for part in gathered:
        _hand_out(splitting.split(part), pieces, lambda piece: place.keep(piece).hits)
        count += len(part)
    for part in parts:
        new_orders.append(_orders_of(part))
        _hand_out(splitting.split(part), pieces, lambda piece: place.keep(piece).hits)
        count += len(part)
        del part
    if standing[0] is None and count < SPLIT_FROM:
        standing, pieces = [None], [list(chain(*pieces))]
    lookups.extend()
    orders = pl.concat(new_orders)
    repeated = repeated_orders(orders) if repeated is None else repeated
    place, main = dataset.placing.begin(), []
    for number, shard in enumerate(standing):
        hits = _joined(shard, pieces[number])
        pieces[number] = []
        placed = PlacedHits(hits, shard.let_go) if shard and hits is shard.hits and shard.is_mapped else place.keep(hits)
        main.append(_shard_of(placed, lookups, repeated))
        del hits, placed
    return SiteDataset(dataset.dictionaries, lookups, Level(tuple(main), tuple(main), repeated), orders, repeated, seq, placing=dataset.placing)
