"""The events of a site: who did what, how often, where, with which properties."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Callable
from typing import Any, Literal

import numpy as np
import polars as pl
from pydantic import BaseModel

from upper_compass.core.dataset.money import money
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
    """One event under the name that reports show; or all orders, as `order`, which are no events.

    `sent_as`: the names under which it is sent; `by_itself`: the site script sends it without being told. `people`, `times`, `value` (in the site's currency)
    and what follows are of the period, without robots and own traffic; `last`: ms of the newest over all history, own traffic included.
    """

    kind: Literal["event", "order"] = "event"
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
    """Every event that ever arrived, and orders if there are any, the most frequent of the period first, hidden ones last."""
    asked = [Counting(one, (kind,), _adds_up(one, kind)) for kind in (Kind.event, Kind.order) for one in (_figures, _by_page, _by_property, _people)]
    figures, pages, props, people, *of_orders = (tally.as_texts().frame for tally in reading.tally(ask, *asked))
    grouped: dict[str, list[str]] = defaultdict(list)
    for sent in sorted(figures["sent"]):
        grouped[rules.event_name(sent)].append(sent)
    counted = dict(people.select("shown", "people").iter_rows())
    notes = {note.name: note for note in rules.events}
    listed = []
    for name, sent in grouped.items():
        found = _counted(*(table.filter(pl.col("sent").is_in(sent)) for table in (figures, pages, props)))
        note = next((notes[one] for one in sent if one in notes), None)
        told = {"passive": rules.is_passive(sent[0]), "by_itself": EVENTS_BY_ITSELF.issuperset(sent), "hidden": bool(note and note.hidden)}
        description = note.description if note else ""
        listed.append(EventOut(name=name, sent_as=sent, people=counted.get(name, 0), description=description, **told, **found))
    order_figures, order_pages, order_props, buyers = of_orders
    if len(order_figures):
        told = {"passive": False, "by_itself": False, "hidden": False}
        found = _counted(order_figures, order_pages, order_props)
        listed.append(EventOut(kind="order", name="order", sent_as=[], people=int(buyers["people"].sum()), description="", **told, **found))
    return sorted(listed, key=lambda one: (one.hidden, -one.times, one.name))


def _adds_up(counted: Callable[..., Tally], kind: Kind) -> bool:
    """An event stays what it is; an order is none any more once an earlier one of its id arrives, and then the last moment cannot be taken back."""
    return not (counted is _figures and kind is Kind.order)


def _counted(figures: pl.DataFrame, pages: pl.DataFrame, props: pl.DataFrame) -> dict[str, Any]:
    """What was counted of one event, whatever the names that it was sent under."""
    sums = {"times": int(figures["times"].sum()), "value": float(figures["value"].sum()), "last": figures["last"].max()}
    return sums | {"pages": _commonest(pages, "page", PAGES), "props": _props(props)}


def _of_kind(cut: Selection, kind: Kind) -> Rows:
    """Rows of the hits of a kind, of the period."""
    return cut.rows[cut.kind(cut.rows) == kind]


def _figures(cut: Selection, kind: Kind) -> Tally:
    """By name as sent: times and value in the period; the last moment over all history."""
    shard, rows = cut.shard, _of_kind(cut, kind)
    sent = shard.hit("name")
    ever = np.flatnonzero(shard.derived.kind == kind)
    ever = ever[shard.valid[shard.derived.visit_of[ever]]]  # what kind a hit is of is judged anew where its visitor stands now
    last = pl.DataFrame({"sent": sent[ever], "last": shard.hit("at")[ever]}).with_columns(pl.lit(0, pl.Int64).alias("times"), pl.lit(0.0).alias("value"))
    now = pl.DataFrame({"sent": sent[rows], "value": money(shard.hits, rows, shard.lookups)})
    counted = now.with_columns(pl.lit(1, pl.Int64).alias("times"), pl.lit(None, pl.Int64).alias("last")).select(last.columns)
    return tallied(pl.concat([last, counted]), {"sent": shard.lookups.dictionaries["name"]}, sums=("times", "value"), maxima=("last",))


def _by_page(cut: Selection, kind: Kind) -> Tally:
    """Times by name as sent and page."""
    shard, rows, lookups = cut.shard, _of_kind(cut, kind), cut.shard.lookups
    table = pl.DataFrame({"sent": shard.hit("name")[rows], "page": lookups["page"][shard.hit("url")[rows]]})
    return tallied(table, {"sent": lookups.dictionaries["name"], "page": lookups.labels}, count="times")


def _by_property(cut: Selection, kind: Kind) -> Tally:
    """Times by name as sent, property (`key`) and `value`."""
    shard, rows, lookups = cut.shard, _of_kind(cut, kind), cut.shard.lookups
    sets = pl.DataFrame({"sent": shard.hit("name")[rows], "set": shard.hit("props")[rows]}).group_by("sent", "set").agg(pl.len().cast(pl.Int64).alias("times"))
    values = sets.join(lookups.properties.rows, on="set").rename({"label": "value"})
    return tallied(values, {"sent": lookups.dictionaries["name"], "key": lookups.properties.keys, "value": lookups.labels}, sums=("times",))


def _people(cut: Selection, kind: Kind) -> Tally:
    """Distinct visitors by the name that is shown, hidden events too."""
    shard, rows, lookups = cut.shard, _of_kind(cut, kind), cut.shard.lookups
    names = lookups.dictionaries["name"].texts
    shown = lookups.labels.encode(pl.Series([lookups.rules.event_name(name) for name in names], dtype=pl.String))
    pairs = pl.DataFrame({"visitor": shard.hit("visitor")[rows], "shown": shown[shard.hit("name")[rows]]}).unique()
    return tallied(pairs, {"shown": lookups.labels}, count="people")


def sent_fields(reading: ReportContext, ask: ReportFilter) -> list[PropOut]:
    """Keys of the site's own that hits of the period bore, whether they are defined or not, with their commonest values; the commonest first."""
    return _props(reading.tally(ask, Counting(_by_sent_field))[0].as_texts().frame)


def _by_sent_field(cut: Selection) -> Tally:
    """Hits (`times`) by `key` and `value` of what they bore."""
    shard, lookups = cut.shard, cut.shard.lookups
    sets = pl.DataFrame({"set": shard.hit("fields")[cut.rows]}).group_by("set").agg(pl.len().cast(pl.Int64).alias("times"))
    values = sets.join(lookups.sent_fields.rows, on="set").rename({"label": "value"})
    return tallied(values, {"key": lookups.sent_fields.keys, "value": lookups.labels}, sums=("times",))


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
