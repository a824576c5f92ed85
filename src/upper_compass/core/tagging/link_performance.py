"""What came by links: values that visits were tagged with, visits of the links that were made, and links that nobody made here."""

from __future__ import annotations

from collections import Counter, defaultdict
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
import polars as pl
from pydantic import BaseModel

from upper_compass.core.dataset.shard import Shard
from upper_compass.core.dataset.traffic_sources import FIELDS, UNSET, Tags, query_values, split_addresses, tidy, value_of
from upper_compass.core.dataset.visits import Rows
from upper_compass.core.engine.context import ReportContext
from upper_compass.core.engine.dimensions import DIMENSIONS
from upper_compass.core.engine.protocol import Counting, Tally, tallied
from upper_compass.core.engine.selection import ReportFilter, Selection
from upper_compass.core.engine.tally import GroupBy

MAX_UNMADE = 100
_SOURCE = list(FIELDS)
_SCHEMA = dict.fromkeys(FIELDS, pl.String) | {"page": pl.String}


@dataclass(frozen=True)
class RegisteredLink:
    """A link that somebody made: how its visits are read, the page that it leads to, and when the day began on which it was made (ms)."""

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


def observed_values(context: ReportContext, ask: ReportFilter) -> dict[str, dict[str, int]]:
    """By field, the tidied values that visits were tagged with, before aliases, and how many visits had them."""
    found: dict[str, Counter[str]] = defaultdict(Counter)
    tallies = context.tally(ask, *(GroupBy((DIMENSIONS[f"raw_{name}"],), columns=frozenset({"visits"})) for name in FIELDS))
    for name, tally in zip(FIELDS, tallies, strict=True):
        for value, count in tally.as_texts().frame.select("key_0", "visits").iter_rows():
            if value and value != UNSET:
                found[name][tidy(value)] += int(count)
    found["source"].pop("direct", None)
    found["medium"].pop("none", None)
    return {name: dict(counted) for name, counted in found.items()}


def observed_pages(context: ReportContext, ask: ReportFilter, pages: Sequence[str]) -> frozenset[str] | None:
    """Which of the pages were viewed; None where no page was."""
    seen = context.tally(ask, GroupBy((DIMENSIONS["page"],), columns=frozenset({"views"})))[0].as_texts().frame.filter(pl.col("views") > 0)
    return frozenset(seen.filter(pl.col("key_0").is_in(list(pages)))["key_0"]) if len(seen) else None


def link_performance(context: ReportContext, ask: ReportFilter, links: Sequence[RegisteredLink]) -> dict[int, LinkPerformance]:
    """Visits in the question's period, since each link was made, that landed on its page with just its tags; with their conversions."""
    if not links:
        return {}
    found = context.tally(ask, Counting(_by_link, (tuple(links),)))[0].frame.filter(pl.col("visits") > 0)
    return {
        link: LinkPerformance(visits=visits, conversions=conversions, value=value)
        for link, visits, conversions, value in found.select("link", "visits", "conversions", "value").iter_rows()
    }


def _by_link(selection: Selection, links: Sequence[RegisteredLink]) -> Tally:
    """Visits, conversions and value by `link`."""
    made = pl.DataFrame(
        [one.read | {"page": one.page, "link": one.id, "made": one.made} for one in links], schema=_SCHEMA | {"link": pl.Int64, "made": pl.Int64}
    )
    visits = _landed(selection)
    of, count = selection.conversions.visit, len(selection.visit_mask)
    table = (
        _landings(selection.shard, visits)
        .as_texts()
        .frame.with_columns(
            pl.Series("start", selection.shard.visit("start")[visits]),
            pl.Series("conversions", np.bincount(of, minlength=count)[visits], dtype=pl.Int64),
            pl.Series("value", np.bincount(of, selection.conversions.value, minlength=count)[visits], dtype=pl.Float64),
        )
    )
    joined = table.join(made, on=[*_SOURCE, "page"]).filter(pl.col("start") >= pl.col("made"))
    return tallied(joined, {"link": None}, sums=("conversions", "value"), count="visits")


def unregistered_links(context: ReportContext, ask: ReportFilter, links: Sequence[RegisteredLink]) -> list[UnregisteredLink]:
    """Tags and labels that visits came with and that no link made here bears, the most frequent first. Click ids are no links of anybody's."""
    counted = context.tally(ask, Counting(_tagged))[0].as_texts().frame.select([*_SOURCE, "page", "visits"])
    if links:
        made = pl.DataFrame([one.read | {"page": one.page} for one in links], schema=_SCHEMA)
        counted = counted.join(made, on=[*_SOURCE, "page"], how="anti")
    rows = counted.sort(["visits", *_SOURCE, "page"], descending=[True, *(False for _ in _SCHEMA)]).head(MAX_UNMADE)
    return [UnregisteredLink(**row) for row in rows.iter_rows(named=True)]


def _tagged(selection: Selection) -> Tally:
    """Visits by the fields of their source and the page where they landed, of addresses that bear tags."""
    visits = _landed(selection)
    urls, places = np.unique(selection.shard.hit("url")[selection.shard.visit("entry")[visits]], return_inverse=True)
    tagged = _bears_tags(selection.shard, urls)[places] if len(urls) else np.zeros(0, bool)
    landings = _landings(selection.shard, visits[tagged])
    return tallied(landings.frame, landings.keys, count="visits")


def _landed(selection: Selection) -> Rows:
    """Visits of the question that have a first view."""
    return selection.visits[selection.shard.visit("entry")[selection.visits] >= 0]


def _landings(shard: Shard, visits: Rows) -> Tally:
    """The fields of the source and the page of each visit, a row each."""
    lookups, traffic_source = shard.lookups, shard.visit("traffic_source")[visits]
    codes = {name: lookups[name][traffic_source] for name in FIELDS} | {"page": lookups["page"][shard.hit("url")[shard.visit("entry")[visits]]]}
    return Tally(pl.DataFrame(codes, schema=dict.fromkeys(codes, pl.UInt32)), dict.fromkeys(codes, lookups.labels), {})


def _bears_tags(shard: Shard, urls: np.ndarray) -> np.ndarray:
    """Whether each address bears a source, medium or campaign tag, or a label."""
    texts = shard.lookups.dictionaries["url"].decode(urls)
    keys = ["utm_source", "utm_medium", "utm_campaign", *shard.lookups.rules.label_keys]
    values = query_values(split_addresses(texts)["query"], keys)
    return values.select(pl.any_horizontal(pl.col(value_of(key)) != "" for key in keys)).to_series().to_numpy()
