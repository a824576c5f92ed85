"""What other aliases, channels or settings of evidence would do to visits that are there already."""

from __future__ import annotations

from typing import Literal

import numpy as np
import polars as pl
from pydantic import BaseModel

from upper_compass.core.dataset.coded_hits import Dictionaries
from upper_compass.core.dataset.lookups import DimensionLookups
from upper_compass.core.dataset.visits import sources_of_views
from upper_compass.core.definitions.reference import Reference
from upper_compass.core.definitions.site_rules import SiteRules
from upper_compass.core.engine.context import ReportContext
from upper_compass.core.engine.protocol import Counting, Tally, tallied
from upper_compass.core.engine.selection import ReportFilter, Selection

Moved = Literal["channel", "source", "medium", "campaign", "content", "term", "label"]
FIELDS: tuple[Moved, ...] = ("channel", "source", "medium", "campaign", "content", "term", "label")
MOST = 50


class Reclassification(BaseModel):
    """How many visits leave one value of a field for another."""

    field: Moved
    was: str
    becomes: str
    visits: int


class ReclassificationPreview(BaseModel):
    """`visits`: all of the period; `moved`: those of which any field changes; `moves`: the largest first, channels before all else."""

    visits: int
    moved: int
    moves: list[Reclassification]


def reclassification_preview(context: ReportContext, ask: ReportFilter, drafted: SiteRules, reference: Reference) -> ReclassificationPreview:
    """What changes when the site is read by the drafted rules, for the visits as they are cut today. A visit goes by the evidence of its first view."""
    entries = context.tally(ask, Counting(_entries))[0].as_texts().frame
    was, becomes = (_read(entries, rules, reference) for rules in (context.shards.lookups.rules, drafted))
    both = pl.concat([entries.select("visits"), was.rename(lambda name: f"was {name}"), becomes.rename(lambda name: f"new {name}")], how="horizontal")
    changed = pl.any_horizontal(pl.col(f"was {name}") != pl.col(f"new {name}") for name in FIELDS)
    found: list[Reclassification] = []
    for name in FIELDS:
        different = both.filter(pl.col(f"was {name}") != pl.col(f"new {name}")).group_by(f"was {name}", f"new {name}").agg(pl.col("visits").sum())
        rows = different.sort("visits", f"was {name}", f"new {name}", descending=[True, False, False]).head(MOST)
        found += [Reclassification(field=name, was=a, becomes=b, visits=count) for a, b, count in rows.iter_rows()]
    return ReclassificationPreview(visits=int(entries["visits"].sum()), moved=int(both.filter(changed)["visits"].sum()), moves=found)


def _entries(selection: Selection) -> Tally:
    """Visits by address and referrer of their first view; both are empty where a visit has no view, and so it is direct."""
    shard, entry = selection.shard, selection.shard.visit("entry")[selection.visits]
    codes = {name: np.where(entry >= 0, shard.hit(name)[entry], 0) if len(entry) else entry for name in ("url", "referrer")}
    keys = {name: shard.lookups.dictionaries[name] for name in codes}
    return tallied(pl.DataFrame(codes, schema=dict.fromkeys(codes, pl.UInt32)), keys, count="visits")


def _read(entries: pl.DataFrame, rules: SiteRules, reference: Reference) -> pl.DataFrame:
    """A row per entry: the fields that the rules read from its address and referrer."""
    dictionaries = Dictionaries()
    url, referrer = (dictionaries[name].encode(entries[name]) for name in ("url", "referrer"))
    lookups = DimensionLookups(rules, reference, dictionaries)
    traffic_source = np.maximum(sources_of_views(np.ones(len(url), bool), url, referrer, lookups), 0)
    return pl.DataFrame({name: lookups.labels.decode(lookups[name][traffic_source]) for name in FIELDS})
