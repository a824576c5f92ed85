"""What came by links: values that visits were tagged with, visits of the links that were made, and links that nobody made here."""

from __future__ import annotations

from collections import Counter, defaultdict
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
import polars as pl
from pydantic import BaseModel

from upper_compass.core.dataset.shard import Shard
from upper_compass.core.dataset.traffic_sources import FIELDS, Tags, query_values, split_addresses, tidy, value_of
from upper_compass.core.dataset.visits import Rows
from upper_compass.core.engine.selection import ReportFilter, Selection

MAX_UNMADE = 100
_SOURCE = list(FIELDS)
_SCHEMA = dict.fromkeys(FIELDS, pl.String) | {"page": pl.String}


@dataclass(frozen=True)
class RegisteredLink:
    """A link that somebody made: how its visits are read, the page that it leads to, and when it was made (ms)."""

    id: int
    read: dict[str, str]
    page: str
    made: int


class LinkPerformance(BaseModel):
    """What came by a link since it was made."""

    visits: int = 0
    conversions: int = 0
    value: float = 0.0


class UnregisteredLink(Tags):
    """Tags seen on landing pages that no link made here bears."""

    page: str
    visits: int


def observed_values(shards: Sequence[Shard], ask: ReportFilter) -> dict[str, dict[str, int]]:
    """By field, the tidied values that visits were tagged with, before aliases, and how many visits had them."""
    found: dict[str, Counter[str]] = defaultdict(Counter)
    for shard in shards:
        cut = Selection(shard, ask)
        traffic_sources, counts = np.unique(shard.visit("traffic_source")[cut.visits], return_counts=True)
        for name in FIELDS:
            column = f"raw_{name}" if name in FIELDS[:3] else name
            for value, count in zip(shard.lookups.labels.decode(shard.lookups[column][traffic_sources]), counts.tolist(), strict=True):
                if value and value != "(unset)":
                    found[name][tidy(value)] += count
    found["source"].pop("direct", None)
    found["medium"].pop("none", None)
    return {name: dict(counted) for name, counted in found.items()}


def link_performance(shards: Sequence[Shard], ask: ReportFilter, links: Sequence[RegisteredLink]) -> dict[int, LinkPerformance]:
    """Visits in the question's period, since each link was made, that landed on its page with just its tags; with their conversions."""
    if not links:
        return {}
    made = pl.DataFrame(
        [one.read | {"page": one.page, "link": one.id, "made": one.made} for one in links], schema=_SCHEMA | {"link": pl.Int64, "made": pl.Int64}
    )
    found: dict[int, LinkPerformance] = defaultdict(LinkPerformance)
    for shard in shards:
        cut = Selection(shard, ask)
        visits = _landed(cut)
        conversions = np.bincount(cut.conversions.visit, minlength=len(cut.visit_mask)) if len(cut.visit_mask) else np.zeros(0)
        value = np.bincount(cut.conversions.visit, cut.conversions.value, minlength=len(cut.visit_mask)) if len(cut.visit_mask) else np.zeros(0)
        table = _words_of(shard, visits).with_columns(
            pl.Series("start", shard.visit("start")[visits]), pl.Series("conversions", conversions[visits]), pl.Series("value", value[visits])
        )
        joined = table.join(made, on=[*_SOURCE, "page"]).filter(pl.col("start") >= pl.col("made"))
        for row in joined.group_by("link").agg(pl.len().alias("visits"), pl.col("conversions", "value").sum()).iter_rows(named=True):
            held = found[row["link"]]
            held.visits += row["visits"]
            held.conversions += int(row["conversions"])
            held.value += row["value"]
    return dict(found)


def unregistered_links(shards: Sequence[Shard], ask: ReportFilter, links: Sequence[RegisteredLink]) -> list[UnregisteredLink]:
    """Tags and labels that visits came with and that no link made here bears, the most frequent first. Click ids are no links of anybody's."""
    parts = []
    for shard in shards:
        visits = _landed(Selection(shard, ask))
        urls, places = np.unique(shard.hit("url")[shard.visit("entry")[visits]], return_inverse=True)
        tagged = _bears_tags(shard, urls)[places] if len(urls) else np.zeros(0, bool)
        parts.append(_words_of(shard, visits[tagged]))
    counted = pl.concat(parts).group_by([*_SOURCE, "page"]).agg(pl.len().alias("visits"))
    if links:
        made = pl.DataFrame([one.read | {"page": one.page} for one in links], schema=_SCHEMA)
        counted = counted.join(made, on=[*_SOURCE, "page"], how="anti")
    rows = counted.sort(["visits", *_SOURCE, "page"], descending=[True, *(False for _ in _SCHEMA)]).head(MAX_UNMADE)
    return [UnregisteredLink(**row) for row in rows.iter_rows(named=True)]


def _landed(cut: Selection) -> Rows:
    """Visits of the question that have a first view."""
    return cut.visits[cut.shard.visit("entry")[cut.visits] >= 0]


def _words_of(shard: Shard, visits: Rows) -> pl.DataFrame:
    traffic_source = shard.visit("traffic_source")[visits]
    words = shard.lookups.labels
    pages = shard.lookups["page"][shard.hit("url")[shard.visit("entry")[visits]]]
    return pl.DataFrame({name: words.decode(shard.lookups[name][traffic_source]) for name in FIELDS} | {"page": words.decode(pages)})


def _bears_tags(shard: Shard, urls: np.ndarray) -> np.ndarray:
    """Whether each address bears a source, medium or campaign tag, or a label."""
    texts = shard.lookups.dictionaries["url"].decode(urls)
    keys = ["utm_source", "utm_medium", "utm_campaign", *shard.lookups.rules.label_keys]
    values = query_values(split_addresses(texts)["query"], keys)
    return values.select(pl.any_horizontal(pl.col(value_of(key)) != "" for key in keys)).to_series().to_numpy()
