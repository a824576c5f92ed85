"""The events of a site: who did what, how often, where, with which properties."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Callable
from typing import Any, Literal

import numpy as np
import polars as pl
from pydantic import BaseModel

from upper_compass.core.dataset.coded_hits import Codes
from upper_compass.core.dataset.money import money
from upper_compass.core.dataset.visits import Rows
from upper_compass.core.definitions.hits import EVENTS_BY_ITSELF, PASSIVE_EVENTS, Kind
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


def events(context: ReportContext, ask: ReportFilter, rules: SiteRules) -> list[EventOut]:
    """Every event that ever arrived, and orders if there are any, the most frequent of the period first, hidden ones last."""
    asked = [Counting(one, (kind,), _adds_up(one, kind)) for kind in (Kind.event, Kind.order) for one in (_figures, _by_page, _by_property, _people)]
    figures, pages, props, people, *of_orders = (tally.as_texts().frame for tally in context.tally(ask, *asked))
    notes = {note.name: note for note in rules.events}
    listed = []
    for name, found in _counted(figures, pages, props, people).items():
        sent = found["sent_as"]
        noted = notes.get(sent[0])
        passive = sent[0] in PASSIVE_EVENTS if noted is None or noted.passive is None else noted.passive
        note = next((notes[one] for one in sent if one in notes), None)
        told = {"passive": passive, "by_itself": EVENTS_BY_ITSELF.issuperset(sent), "hidden": bool(note and note.hidden)}
        listed.append(EventOut(name=name, description=note.description if note else "", **told, **found))
    for found in _counted(*of_orders).values():
        told = {"passive": False, "by_itself": False, "hidden": False}
        listed.append(EventOut(kind="order", name="order", description="", **told, **found | {"sent_as": []}))
    return sorted(listed, key=lambda one: (one.hidden, -one.times, one.name))


def _adds_up(counted: Callable[..., Tally], kind: Kind) -> bool:
    """An event stays what it is; an order is none any more once an earlier one of its id arrives, and then the last moment cannot be taken back."""
    return not (counted is _figures and kind is Kind.order)


def _counted(figures: pl.DataFrame, pages: pl.DataFrame, props: pl.DataFrame, people: pl.DataFrame) -> dict[str, dict[str, Any]]:
    """What was counted, by the name that reports show."""
    pages_of, props_of, people_of = _commonest(pages, "page", PAGES), _props(props), dict(people.select("shown", "people").iter_rows())
    summed = figures.group_by("shown").agg(pl.col("sent").sort(), pl.col("times").sum(), pl.col("value").sum(), pl.col("last").max())
    return {
        shown: {
            "sent_as": sent, "times": times, "value": value, "last": last,
            "people": people_of.get(shown, 0), "pages": pages_of.get(shown, []), "props": props_of.get(shown, []),
        }
        for shown, sent, times, value, last in summed.select("shown", "sent", "times", "value", "last").iter_rows()
    }  # fmt: skip


def _of_kind(selection: Selection, kind: Kind) -> Rows:
    """Rows of the hits of a kind, of the period."""
    return selection.rows[selection.kind(selection.rows) == kind]


def _shown(selection: Selection, rows: Rows, kind: Kind) -> Codes:
    """The name that reports show, of each hit (a label, u32); nothing for orders."""
    return selection.shard.lookups["shown_event"][selection.shard.hit("name")[rows]] if kind is Kind.event else np.zeros(len(rows), np.uint32)


def _figures(selection: Selection, kind: Kind) -> Tally:
    """By the name that is shown and as sent: times and value in the period; the last moment over all history."""
    shard, rows = selection.shard, _of_kind(selection, kind)
    sent = shard.hit("name")
    ever = np.flatnonzero(shard.derived.kind == kind).astype(np.int32)
    ever = ever[shard.valid[shard.derived.visit_of[ever]]]  # what kind a hit is of is judged anew where its visitor stands now
    last = pl.DataFrame({"shown": _shown(selection, ever, kind), "sent": sent[ever], "last": shard.hit("at")[ever]})
    last = last.with_columns(pl.lit(0, pl.Int64).alias("times"), pl.lit(0.0).alias("value"))
    now = pl.DataFrame({"shown": _shown(selection, rows, kind), "sent": sent[rows], "value": money(shard.hits, rows, shard.lookups)})
    counted = now.with_columns(pl.lit(1, pl.Int64).alias("times"), pl.lit(None, pl.Int64).alias("last")).select(last.columns)
    keys = {"shown": shard.lookups.labels, "sent": shard.lookups.dictionaries["name"]}
    return tallied(pl.concat([last, counted]), keys, sums=("times", "value"), maxima=("last",))


def _by_page(selection: Selection, kind: Kind) -> Tally:
    """Times by the name that is shown and page."""
    rows, lookups = _of_kind(selection, kind), selection.shard.lookups
    table = pl.DataFrame({"shown": _shown(selection, rows, kind), "page": lookups["page"][selection.shard.hit("url")[rows]]})
    return tallied(table, {"shown": lookups.labels, "page": lookups.labels}, count="times")


def _by_property(selection: Selection, kind: Kind) -> Tally:
    """Times by the name that is shown, property (`key`) and `value`."""
    rows, lookups = _of_kind(selection, kind), selection.shard.lookups
    sets = pl.DataFrame({"shown": _shown(selection, rows, kind), "set": selection.shard.hit("props")[rows]})
    values = sets.group_by("shown", "set").agg(pl.len().cast(pl.Int64).alias("times")).join(lookups.properties.rows, on="set").rename({"label": "value"})
    return tallied(values, {"shown": lookups.labels, "key": lookups.properties.keys, "value": lookups.labels}, sums=("times",))


def _people(selection: Selection, kind: Kind) -> Tally:
    """Distinct visitors by the name that is shown."""
    rows = _of_kind(selection, kind)
    pairs = pl.DataFrame({"visitor": selection.shard.hit("visitor")[rows], "shown": _shown(selection, rows, kind)}).unique()
    return tallied(pairs, {"shown": selection.shard.lookups.labels}, count="people")


def sent_fields(context: ReportContext, ask: ReportFilter) -> list[PropOut]:
    """Keys of the site's own that hits of the period bore, whether they are defined or not, with their commonest values; the commonest first."""
    found = context.tally(ask, Counting(_by_sent_field))[0].as_texts().frame
    return _props(found.with_columns(pl.lit("").alias("shown"))).get("", [])


def _by_sent_field(selection: Selection) -> Tally:
    """Hits (`times`) by `key` and `value` of what they bore."""
    shard, lookups = selection.shard, selection.shard.lookups
    sets = pl.DataFrame({"set": shard.hit("fields")[selection.rows]}).group_by("set").agg(pl.len().cast(pl.Int64).alias("times"))
    values = sets.join(lookups.sent_fields.rows, on="set").rename({"label": "value"})
    return tallied(values, {"key": lookups.sent_fields.keys, "value": lookups.labels}, sums=("times",))


def _commonest(table: pl.DataFrame, column: str, most: int) -> dict[str, list[ValueCount]]:
    """The commonest values (`times`) of a column, by the name that is shown."""
    first = table.sort("times", column, descending=[True, False]).group_by("shown", maintain_order=True).head(most)
    found = defaultdict(list)
    for shown, value, times in first.select("shown", column, "times").iter_rows():
        found[shown].append(ValueCount(value=value, times=times))
    return found


def _props(values: pl.DataFrame) -> dict[str, list[PropOut]]:
    """The properties with these values (`key`, `value`, `times`), the commonest first, by the name that is shown."""
    first = values.sort("times", "value", descending=[True, False]).group_by("shown", "key", maintain_order=True).head(VALUES)
    counts = defaultdict(list)
    for shown, key, value, times in first.select("shown", "key", "value", "times").iter_rows():
        counts[shown, key].append(ValueCount(value=value, times=times))
    keys = values.group_by("shown", "key").agg(pl.len().alias("different"), pl.col("times").sum()).sort("times", "key", descending=[True, False])
    found = defaultdict(list)
    for shown, key, different in keys.select("shown", "key", "different").iter_rows():
        found[shown].append(PropOut(key=key, values=counts[shown, key], different=different))
    return found
