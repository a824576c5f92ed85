"""Single hits and visits, told in words."""

from __future__ import annotations

import json
from typing import Any, Literal

import numpy as np
import polars as pl
from pydantic import BaseModel

from upper_compass.core.dataset.conversions import Conversions
from upper_compass.core.dataset.shard import Shard
from upper_compass.core.dataset.traffic_sources import Tags
from upper_compass.core.dataset.visits import NO_VISIT, REPEATED_ORDER, Rows
from upper_compass.core.definitions.hits import Kind, PropValue
from upper_compass.core.engine.dimensions import DIMENSIONS

_HIT_TEXTS = ("visitor", "url", "referrer", "title", "name", "props", "fields", "currency", "order_id")
_HIT_WORDS = ("host", "page")
_SOURCE_WORDS = ("channel", "source", "medium", "campaign")
_PLACE_WORDS = ("device", "browser", "system", "language", "country")
_VISIT_WORDS = (*_SOURCE_WORDS, "content", "term", "label", "entry_page", "exit_page", *_PLACE_WORDS)


class HitRecord(BaseModel):
    """One hit. `at` in ms since 1970; `visit`: number of the visitor's visit, 0 for a hit that belongs to none; `repeated`: its order id came earlier."""

    seq: int
    at: int
    kind: Literal["view", "event", "order", "engage"]
    visitor: str
    visit: int
    url: str
    referrer: str
    host: str
    page: str
    title: str
    name: str
    value: float | None
    currency: str
    order_id: str
    repeated: bool
    engaged_ms: int
    props: dict[str, PropValue]
    fields: dict[str, str]
    channel: str
    source: str
    medium: str
    campaign: str
    device: str
    browser: str
    system: str
    language: str
    country: str
    robot: bool
    internal: bool


class VisitRecord(Tags):
    """One visit: times in ms, words of its dimensions. `excluded`: of a robot or the site's own people."""

    visitor: str
    number: int
    start: int
    duration: int
    engaged: int
    views: int
    bounce: bool
    excluded: bool
    channel: str
    entry_page: str
    exit_page: str
    device: str
    browser: str
    system: str
    language: str
    country: str
    conversions: int = 0
    value: float = 0


def _of_visits(shard: Shard, visits: Rows, names: tuple[str, ...]) -> list[pl.Series]:
    """Words of dimensions of visits; nothing where a visit is NO_VISIT."""
    known = visits != NO_VISIT

    def word(name: str) -> pl.Series:
        codes = np.zeros(len(visits), np.uint32)
        codes[known] = DIMENSIONS[name].read(shard, visits[known])
        return shard.lookups.labels.decode(codes).alias(name)

    return [word(name) for name in names]


def hit_frame(shard: Shard, rows: Rows) -> pl.DataFrame:
    """Hits in the order of the rows, texts as texts, a row each: the columns of HitRecord, `kind` as a number, `props` and `fields` as JSON."""
    visit = shard.derived.visit_of[rows]
    numbers = np.zeros(len(rows), np.int64)
    numbers[visit != NO_VISIT] = shard.visit("number")[visit[visit != NO_VISIT]]
    plain = shard.hits[pl.Series(rows)].select("seq", "at", "kind", "engaged_ms", "robot", "internal", pl.col("value").fill_nan(None))
    table = plain.with_columns(
        pl.Series("visit", numbers),
        pl.Series("repeated", shard.derived.kind[rows] == REPEATED_ORDER),
        *(shard.lookups.dictionaries[name].decode(shard.hit(name)[rows]).alias(name) for name in _HIT_TEXTS),
        *(shard.lookups.labels.decode(DIMENSIONS[name].read(shard, rows)).alias(name) for name in _HIT_WORDS),
        *_of_visits(shard, visit, (*_SOURCE_WORDS, *_PLACE_WORDS)),
    )
    renamed = {note.name: note.shown_as for note in shard.lookups.rules.events if note.shown_as}
    return table.with_columns(pl.col("name").replace(renamed))


def hit_records(hits: pl.DataFrame) -> list[HitRecord]:
    """The rows of `hit_frame`, and what other columns it was given are passed over."""
    names = list(HitRecord.model_fields)

    def record_of(row: dict[str, Any]) -> HitRecord:
        details = {name: json.loads(row[name]) if row[name] else {} for name in ("props", "fields")}
        return HitRecord.model_construct(None, **row | details | {"kind": Kind(row["kind"]).name})

    return [record_of(row) for row in hits.select(names).iter_rows(named=True)]


def visit_frame(shard: Shard, visits: Rows, counted: Conversions) -> pl.DataFrame:
    """Visits in the order given (any), a row each: the columns of VisitRecord, with their conversions."""
    of = counted.visit
    low, high = np.searchsorted(of, visits, side="left"), np.searchsorted(of, visits, side="right")
    running = np.concatenate([[0.0], np.cumsum(counted.value)])
    plain = shard.derived.visits[pl.Series(visits)]
    return plain.select(
        "number", "start", (pl.col("end") - pl.col("start")).alias("duration"), "engaged", "views", "bounce", "excluded",
        shard.lookups.dictionaries["visitor"].decode(plain["visitor"].to_numpy()).alias("visitor"),
        pl.Series("conversions", high - low, dtype=pl.Int64), pl.Series("value", running[high] - running[low], dtype=pl.Float64),
        *_of_visits(shard, visits, _VISIT_WORDS),
    )  # fmt: skip


def visit_records(visits: pl.DataFrame) -> list[VisitRecord]:
    """The rows of `visit_frame`, and what other columns it was given are passed over."""
    return [VisitRecord.model_construct(None, **row) for row in visits.select(list(VisitRecord.model_fields)).iter_rows(named=True)]
