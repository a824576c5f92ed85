"""The events of a site: who did what, how often, where, with which properties."""

from __future__ import annotations

from collections import Counter, defaultdict
from collections.abc import Sequence

import numpy as np
import polars as pl
from pydantic import BaseModel

from upper_compass.core.dataset.coded_hits import Codes
from upper_compass.core.dataset.conversions import money
from upper_compass.core.dataset.lookups import DimensionLookups
from upper_compass.core.dataset.shard import Shard
from upper_compass.core.definitions.hits import EVENTS_BY_ITSELF, Kind
from upper_compass.core.definitions.site_rules import SiteRules
from upper_compass.core.engine.selection import ReportFilter, Selection

PAGES, VALUES = 3, 5


class ValueCount(BaseModel):
    """A value and how often it was there."""

    value: str
    times: int


class PropOut(BaseModel):
    """A property: its commonest values, and how many different ones there were."""

    key: str
    values: list[ValueCount]
    different: int


class EventOut(BaseModel):
    """One event under the name that reports show.

    `sent_as`: the names under which it is sent; `by_itself`: the site script sends it without being told. `people`, `times`, `value` (in the site's currency)
    and what follows are of the period, without robots and own traffic; `last`: ms of the newest over all history, own traffic included.
    """

    name: str
    sent_as: list[str]
    people: int
    times: int
    value: float
    last: int | None
    passive: bool
    by_itself: bool
    hidden: bool
    description: str
    pages: list[ValueCount]
    props: list[PropOut]


def events(shards: Sequence[Shard], ask: ReportFilter, rules: SiteRules) -> list[EventOut]:
    """Every event that ever arrived, the most frequent of the period first, hidden ones last."""
    parts = [_of_shard(Selection(shard, ask)) for shard in shards]
    figures = pl.concat([part[0] for part in parts]).group_by("sent").agg(pl.col("times", "value").sum(), pl.col("last").max())
    pages = pl.concat([part[1] for part in parts]).group_by("sent", "page").agg(pl.col("times").sum())
    props = pl.concat([part[2] for part in parts]).group_by("sent", "key", "value").agg(pl.col("times").sum())
    grouped: dict[str, list[str]] = defaultdict(list)
    for sent in sorted(figures["sent"]):
        grouped[rules.event_name(sent)].append(sent)
    people = _people(shards, ask)
    notes = {note.name: note for note in rules.events}
    passive = _passive(shards)
    listed = []
    for name, sent in grouped.items():
        own = figures.filter(pl.col("sent").is_in(sent))
        note = next((notes[one] for one in sent if one in notes), None)
        listed.append(
            EventOut(
                name=name,
                sent_as=sent,
                people=people.get(name, 0),
                times=int(own["times"].sum()),
                value=float(own["value"].sum()),
                last=own["last"].max(),
                passive=passive[sent[0]],
                by_itself=EVENTS_BY_ITSELF.issuperset(sent),
                hidden=bool(note and note.hidden),
                description=note.description if note else "",
                pages=_commonest(pages.filter(pl.col("sent").is_in(sent)), "page", PAGES),
                props=_props(props.filter(pl.col("sent").is_in(sent))),
            )
        )
    return sorted(listed, key=lambda one: (one.hidden, -one.times, one.name))


def _of_shard(cut: Selection) -> tuple[pl.DataFrame, pl.DataFrame, pl.DataFrame]:
    """By name as sent: times, value, last; times by page; times by property and value. People are counted by the name that is shown, see `_people`."""
    shard, lookups = cut.shard, cut.shard.lookups
    sent = shard.hit("name")
    ever = np.flatnonzero((shard.derived.kind == Kind.event) & ~np.isin(shard.hit("visitor"), shard.tombstoned))
    last = pl.DataFrame({"code": sent[ever], "last": shard.hit("at")[ever]}).group_by("code").agg(pl.col("last").max())
    rows = cut.rows[cut.kind(cut.rows) == Kind.event]
    table = pl.DataFrame({
        "code": sent[rows], "value": money(shard.hits, rows, lookups), "page": lookups["page"][shard.hit("url")[rows]], "props": shard.hit("props")[rows],
    })  # fmt: skip
    counted = last.join(table.group_by("code").agg(pl.len().alias("times"), pl.col("value").sum()), on="code", how="left").fill_null(0)
    names = lookups.dictionaries["name"]

    def by(column: str, texts: pl.Series) -> pl.DataFrame:
        found = table.group_by("code", column).agg(pl.len().alias("times"))
        return found.select(names.decode(found["code"].to_numpy()).alias("sent"), texts.gather(found[column]).alias(column), pl.col("times").cast(pl.Int64))

    figures = counted.select(names.decode(counted["code"].to_numpy()).alias("sent"), pl.col("times").cast(pl.Int64), "value", "last")
    return figures, by("page", lookups.labels.texts), _props_of_shard(table, lookups)


def _props_of_shard(table: pl.DataFrame, lookups: DimensionLookups) -> pl.DataFrame:
    """How often each name was sent with each property (`key`) and `value`."""
    properties = lookups.properties
    sets = table.group_by("code", "props").agg(pl.len().cast(pl.Int64).alias("times"))
    values = sets.join(properties.rows, left_on="props", right_on="set").group_by("code", "key", "label").agg(pl.col("times").sum())
    return pl.DataFrame({
        "sent": lookups.dictionaries["name"].decode(values["code"].to_numpy()), "key": properties.keys.decode(values["key"].to_numpy()),
        "value": lookups.labels.decode(values["label"].to_numpy()), "times": values["times"],
    })  # fmt: skip


def _people(shards: Sequence[Shard], ask: ReportFilter) -> dict[str, int]:
    """Distinct visitors by the name that is shown; a visitor's hits lie in one shard, so shards add up."""
    counted: Counter[str] = Counter()
    for shard in shards:
        cut = Selection(shard, ask)
        rows = cut.rows[cut.kind(cut.rows) == Kind.event]
        if not len(rows):
            continue
        shown = _shown(shard)[shard.hit("name")[rows]]
        pairs = pl.DataFrame({"visitor": shard.hit("visitor")[rows], "shown": shown}).unique().group_by("shown").agg(pl.len().alias("people"))
        counted.update(dict(zip(shard.lookups.labels.decode(pairs["shown"].to_numpy()), pairs["people"], strict=True)))
    return dict(counted)


def _shown(shard: Shard) -> Codes:
    """The name that is shown by code of the name as sent, hidden events too."""
    names = shard.lookups.dictionaries["name"].texts
    return shard.lookups.labels.encode(pl.Series([shard.lookups.rules.event_name(name) for name in names], dtype=pl.String))


def _passive(shards: Sequence[Shard]) -> dict[str, bool]:
    lookups = shards[0].lookups
    return dict(zip(lookups.dictionaries["name"].texts, lookups["passive"].tolist(), strict=True))


def _commonest(table: pl.DataFrame, column: str, most: int) -> list[ValueCount]:
    found = table.group_by(column).agg(pl.col("times").sum()).sort("times", column, descending=[True, False]).head(most)
    return [ValueCount(value=value, times=times) for value, times in found.select(column, "times").iter_rows()]


def _props(values: pl.DataFrame) -> list[PropOut]:
    """The properties with these values (`key`, `value`, `times`), the commonest first."""
    by_value = values.group_by("key", "value").agg(pl.col("times").sum()).sort("times", "value", descending=[True, False])
    keys = by_value.group_by("key").agg(pl.len().alias("different"), pl.col("times").sum()).sort("times", "key", descending=[True, False])
    commonest = by_value.group_by("key", maintain_order=True).head(VALUES).partition_by("key", as_dict=True)
    listed = []
    for key, different in keys.select("key", "different").iter_rows():
        shown = [ValueCount(value=value, times=times) for value, times in commonest[key,].select("value", "times").iter_rows()]
        listed.append(PropOut(key=key, values=shown, different=different))
    return listed
