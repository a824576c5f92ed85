"""Hits as tests write them, and shards made of them."""

from __future__ import annotations

import polars as pl

from upper_compass.core.dataset.coded_hits import RAW_SCHEMA, Dictionaries, encode_hits, repeated_orders
from upper_compass.core.dataset.lookups import DimensionLookups
from upper_compass.core.dataset.shard import Shard
from upper_compass.core.definitions.hits import Kind
from upper_compass.core.definitions.reference import KnownHost, Reference
from upper_compass.core.definitions.site_rules import SiteRules

MINUTE = 60_000
DAY = 86_400_000
HOME = "https://mill.example/"

REFERENCE = Reference(
    hosts={
        "seekwell.example": KnownHost("Seekwell", "search"),
        "murmur.example": KnownHost("Murmur", "social"),
        "post.example": KnownHost("Postroom", "mail"),
        "reels.example": KnownHost("Reels", "video"),
        "sage.example": KnownHost("Sage", "assistant"),
        "list.example": KnownHost("The List", ""),
    },
    click_ids=(("swid", "Seekwell"), ("mid", "Murmur")),
    zone_countries={"Europe/Dublin": "IE", "Europe/Berlin": "DE"},
    continents={"IE": "Europe", "DE": "Europe"},
)


def rules(**changes) -> SiteRules:
    return SiteRules(**{"hosts": ["mill.example", "www.shop.example"], "ignored_hosts": ["pay.example"], "currency": "EUR"} | changes)


def hit(at, kind="view", visitor="a", url=HOME, **more):
    """One hit; `at` in ms."""
    return {"at": at, "kind": kind, "visitor": visitor, "url": url} | more


def numbered(hits):
    return [one | {"seq": i + 1} for i, one in enumerate(hits)]


def raw_frame(hits) -> pl.DataFrame:
    """Numbered hits as the store gives them."""
    rows = [{name: one.get(name) for name in RAW_SCHEMA} | {"kind": int(Kind[one["kind"]])} for one in hits]
    frame = pl.DataFrame(rows, schema=RAW_SCHEMA)
    return frame.with_columns(pl.col("robot", "internal").fill_null(False))


def shards_of(hits, site_rules=None, count=1, reference=REFERENCE) -> list[Shard]:
    """Numbered hits as `count` shards with common dictionaries."""
    dictionaries = Dictionaries()
    coded = encode_hits(raw_frame(hits), dictionaries)
    lookups = DimensionLookups(site_rules or rules(), reference, dictionaries)
    repeated = repeated_orders(coded.filter(pl.col("kind") == int(Kind.order)))
    parts = [coded.filter(pl.col("visitor") % count == i).rechunk() for i in range(count)]
    return [Shard.of(part, lookups, repeated) for part in parts]
