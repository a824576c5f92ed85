"""The events of a site: who did what, how often, where, with which properties."""

from __future__ import annotations

from collections import defaultdict

import numpy as np
import polars as pl
from pydantic import BaseModel

from upper_compass.core.dataset.conversions import money
from upper_compass.core.dataset.visits import Rows
from upper_compass.core.definitions.hits import EVENTS_BY_ITSELF, Kind
from upper_compass.core.definitions.site_rules import SiteRules
from upper_compass.core.engine.context import ReportContext
from upper_compass.core.engine.protocol import Counting, Tally, tallied
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


def events(reading: ReportContext, ask: ReportFilter, rules: SiteRules) -> list[EventOut]:
    """Every event that ever arrived, the most frequent of the period first, hidden ones last."""
    asked = (_figures, _by_page, _by_property, _people)
    figures, pages, props, people = (tally.as_texts().frame for tally in reading.tally(ask, *(Counting(one) for one in asked)))
    grouped: dict[str, list[str]] = defaultdict(list)
    for sent in sorted(figures["sent"]):
        grouped[rules.event_name(sent)].append(sent)
    counted = dict(people.select("shown", "people").iter_rows())
    notes = {note.name: note for note in rules.events}
    listed = []
    for name, sent in grouped.items():
        own = figures.filter(pl.col("sent").is_in(sent))
        note = next((notes[one] for one in sent if one in notes), None)
        listed.append(
            EventOut(
                name=name,
                sent_as=sent,
                people=counted.get(name, 0),
                times=int(own["times"].sum()),
                value=float(own["value"].sum()),
                last=own["last"].max(),
                passive=rules.is_passive(sent[0]),
                by_itself=EVENTS_BY_ITSELF.issuperset(sent),
                hidden=bool(note and note.hidden),
                description=note.description if note else "",
                pages=_commonest(pages.filter(pl.col("sent").is_in(sent)), "page", PAGES),
                props=_props(props.filter(pl.col("sent").is_in(sent))),
            )
        )
    return sorted(listed, key=lambda one: (one.hidden, -one.times, one.name))


def _events(cut: Selection) -> Rows:
    """Rows of the events of the period."""
    return cut.rows[cut.kind(cut.rows) == Kind.event]


def _figures(cut: Selection) -> Tally:
    """By name as sent: times and value in the period; the last moment over all history."""
    shard, rows = cut.shard, _events(cut)
    sent = shard.hit("name")
    ever = np.flatnonzero(shard.derived.kind == Kind.event)
    last = pl.DataFrame({"sent": sent[ever], "last": shard.hit("at")[ever]}).with_columns(pl.lit(0, pl.Int64).alias("times"), pl.lit(0.0).alias("value"))
    now = pl.DataFrame({"sent": sent[rows], "value": money(shard.hits, rows, shard.lookups)})
    counted = now.with_columns(pl.lit(1, pl.Int64).alias("times"), pl.lit(None, pl.Int64).alias("last")).select(last.columns)
    return tallied(pl.concat([last, counted]), {"sent": shard.lookups.dictionaries["name"]}, sums=("times", "value"), maxima=("last",))


def _by_page(cut: Selection) -> Tally:
    """Times by name as sent and page."""
    shard, rows, lookups = cut.shard, _events(cut), cut.shard.lookups
    table = pl.DataFrame({"sent": shard.hit("name")[rows], "page": lookups["page"][shard.hit("url")[rows]]})
    return tallied(table, {"sent": lookups.dictionaries["name"], "page": lookups.labels}, count="times")


def _by_property(cut: Selection) -> Tally:
    """Times by name as sent, property (`key`) and `value`."""
    shard, rows, lookups = cut.shard, _events(cut), cut.shard.lookups
    sets = pl.DataFrame({"sent": shard.hit("name")[rows], "set": shard.hit("props")[rows]}).group_by("sent", "set").agg(pl.len().cast(pl.Int64).alias("times"))
    values = sets.join(lookups.properties.rows, on="set").rename({"label": "value"})
    return tallied(values, {"sent": lookups.dictionaries["name"], "key": lookups.properties.keys, "value": lookups.labels}, sums=("times",))


def _people(cut: Selection) -> Tally:
    """Distinct visitors by the name that is shown, hidden events too."""
    shard, rows, lookups = cut.shard, _events(cut), cut.shard.lookups
    names = lookups.dictionaries["name"].texts
    shown = lookups.labels.encode(pl.Series([lookups.rules.event_name(name) for name in names], dtype=pl.String))
    pairs = pl.DataFrame({"visitor": shard.hit("visitor")[rows], "shown": shown[shard.hit("name")[rows]]}).unique()
    return tallied(pairs, {"shown": lookups.labels}, count="people")


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
