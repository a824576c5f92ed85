"""The registry of dimensions: what a report can be broken down by. Adding one is one entry here."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import Literal

import numpy as np

from upper_compass.core.dataset.coded_hits import Codes
from upper_compass.core.dataset.shard import Shard
from upper_compass.core.dataset.site_fields import field_of_hits
from upper_compass.core.dataset.visits import Rows
from upper_compass.core.definitions.site_rules import SiteField, SiteRules
from upper_compass.core.engine import visit_dimensions as of_visits

Read = Callable[[Shard, Rows], Codes]
# What a dimension tells of; two of one family often say the same in other words.
Family = Literal["traffic", "content", "action", "technology", "geography", "time", "loyalty", "own"]


@dataclass(frozen=True)
class Dimension:
    """`read` gives codes of words: for visits of a shard when `of` is visit, for rows of its hits when `of` is hit; 0 is no value.

    `order`: its values as people order them, where that is not by letters.
    """

    name: str
    title: str
    of: Literal["visit", "hit"]
    meaning: str
    read: Read
    order: tuple[str, ...] = ()

    @property
    def family(self) -> Family:
        """What it tells of."""
        return FAMILIES.get(self.name, "traffic") if not self.name.startswith(OWN) else "own"


def _source(column: str) -> Read:
    return lambda shard, visits: shard.lookups[column][shard.visit("traffic_source")[visits]]


def _first_source(column: str) -> Read:
    """The traffic source of the same visitor's visit number 1; all visits of a visitor stand behind each other."""

    def read(shard: Shard, visits: Rows) -> Codes:
        first = visits - (shard.visit("number")[visits] - 1)
        return shard.lookups[column][shard.visit("traffic_source")[first]]

    return read


def _page_at(end: str) -> Read:
    def read(shard: Shard, visits: Rows) -> Codes:
        rows = shard.visit(end)[visits]
        pages = shard.lookups["page"][shard.hit("url")[rows]] if len(rows) else np.empty(0, np.uint32)
        return np.where(rows >= 0, pages, 0).astype(np.uint32)

    return read


def _agent(column: str) -> Read:
    return lambda shard, visits: shard.lookups[column][shard.visit("agent")[visits]]


def _kept(column: str) -> Read:
    return lambda shard, visits: shard.visit(column)[visits].astype(np.uint32)


def _newness(shard: Shard, visits: Rows) -> Codes:
    new, returning = shard.lookups.word("new"), shard.lookups.word("returning")
    return np.where(shard.visit("number")[visits] == 1, new, returning).astype(np.uint32)


def _of_url(column: str) -> Read:
    return lambda shard, rows: shard.lookups[column][shard.hit("url")[rows]]


def _event(shard: Shard, rows: Rows) -> Codes:
    return shard.lookups["event"][shard.hit("name")[rows]]


def _properties(shard: Shard, rows: Rows) -> Codes:
    return shard.lookups.properties_in_words()[shard.hit("props")[rows]] if len(rows) else np.empty(0, np.uint32)


def _prop(event: str, key: str) -> Read:
    """A property of one kind of event that the site script sends automatically."""

    def read(shard: Shard, rows: Rows) -> Codes:
        labels = np.zeros(len(rows), np.uint32)
        code = shard.lookups.dictionaries["name"].find(event)
        of_event = np.flatnonzero(shard.hit("name")[rows] == code) if code is not None else labels[:0]
        if len(of_event):
            labels[of_event] = shard.lookups.prop(key)[shard.hit("props")[rows[of_event]]]
        return labels

    return read


def _registry(*dimensions: Dimension) -> dict[str, Dimension]:
    return {dimension.name: dimension for dimension in dimensions}


DIMENSIONS = _registry(
    Dimension("channel", "Channel", "visit", "The kind of way by which the visit came, by the site's ordered list of channels.", _source("channel")),
    Dimension("source", "Source", "visit", "Where the visit came from: a tagged source, a link label, a site that referred, or direct.", _source("source")),
    Dimension("medium", "Medium", "visit", "By what sort of link the visit came.", _source("medium")),
    Dimension("campaign", "Campaign", "visit", "The campaign named in the link's tags.", _source("campaign")),
    Dimension("content", "Content", "visit", "Which of several links to the same page was clicked, as tagged.", _source("content")),
    Dimension("term", "Term", "visit", "The search term or audience named in the link's tags.", _source("term")),
    Dimension("label", "Link label", "visit", "The one word on a link that carries no more than that.", _source("label")),
    Dimension("raw_source", "Source as tagged", "visit", "The source before tidying and aliases.", _source("raw_source")),
    Dimension("raw_medium", "Medium as tagged", "visit", "The medium before tidying and aliases.", _source("raw_medium")),
    Dimension("raw_campaign", "Campaign as tagged", "visit", "The campaign before tidying and aliases.", _source("raw_campaign")),
    Dimension("raw_content", "Content as tagged", "visit", "The content before tidying and aliases.", _source("raw_content")),
    Dimension("raw_term", "Term as tagged", "visit", "The term before tidying and aliases.", _source("raw_term")),
    Dimension("raw_label", "Link label as tagged", "visit", "The link label before tidying and aliases.", _source("raw_label")),
    Dimension("first_channel", "First channel", "visit", "The channel of the visitor's first ever visit.", _first_source("channel")),
    Dimension("first_source", "First source", "visit", "The source of the visitor's first ever visit.", _first_source("source")),
    Dimension("first_medium", "First medium", "visit", "The medium of the visitor's first ever visit.", _first_source("medium")),
    Dimension("first_campaign", "First campaign", "visit", "The campaign of the visitor's first ever visit.", _first_source("campaign")),
    Dimension("first_content", "First content", "visit", "The content of the visitor's first ever visit.", _first_source("content")),
    Dimension("first_term", "First term", "visit", "The term of the visitor's first ever visit.", _first_source("term")),
    Dimension("first_label", "First link label", "visit", "The link label of the visitor's first ever visit.", _first_source("label")),
    Dimension("entry_page", "Landing page", "visit", "The first page of the visit.", _page_at("entry")),
    Dimension("exit_page", "Exit page", "visit", "The last page of the visit.", _page_at("exit")),
    Dimension("visitor_kind", "New or returning", "visit", "Whether it is the visitor's first ever visit.", _newness),
    Dimension("device", "Device", "visit", "Phone, tablet, desktop or other, by the browser's own word.", _agent("device")),
    Dimension("browser", "Browser", "visit", "The browser's name.", _agent("browser")),
    Dimension("system", "System", "visit", "The operating system's name.", _agent("system")),
    Dimension("language", "Language", "visit", "The language that the browser asks for, without its region.", _kept("language")),
    Dimension("country", "Country", "visit", "The country of the visitor's network, else of their time zone.", _kept("country")),
    Dimension("continent", "Continent", "visit", "The continent of the visitor's country.", of_visits.continent),
    Dimension("screen", "Screen", "visit", "The size of the visitor's screen, in points.", of_visits.screen),
    Dimension(
        "visit_number",
        "Visit number",
        "visit",
        "Which visit of its visitor it is, counted over all history.",
        of_visits.visit_number,
        of_visits.named(of_visits.NUMBERS),
    ),
    Dimension(
        "days_since",
        "Days since the visit before",
        "visit",
        "Whole days from the start of the visitor's visit before; none of the first visit.",
        of_visits.days_since,
        of_visits.named(of_visits.DAYS_SINCE),
    ),
    Dimension("weekday", "Weekday", "visit", "The day of the week on which the visit began, in the site's time.", of_visits.weekday, of_visits.WEEKDAYS),
    Dimension("day", "Day", "visit", "The day on which the visit began, in the site's time.", of_visits.day),
    Dimension("hour", "Hour", "visit", "The hour of the day at which the visit began, in the site's time.", of_visits.hour),
    Dimension("referrer", "Referrer", "visit", "The host that the first view was referred by, whatever its tags say.", of_visits.referrer),
    Dimension("referrer_page", "Referring page", "visit", "The page that the first view was referred by.", of_visits.referrer_page),
    Dimension(
        "referrer_term",
        "Searched for elsewhere",
        "visit",
        "What was searched for at the search engine that referred, where it still tells.",
        of_visits.referrer_term,
    ),
    Dimension("page", "Page", "hit", "The path of the address, without query and trailing slashes.", _of_url("page")),
    Dimension("host", "Host", "hit", "The host of the address.", _of_url("host")),
    Dimension("page_group", "Page group", "hit", "The first of the site's named page patterns that matches.", _of_url("page_group")),
    Dimension("previous_page", "Page before", "hit", "The page that was seen before, in the same visit.", of_visits.previous_page),
    Dimension("next_page", "Page after", "hit", "The page that was seen next, in the same visit.", of_visits.next_page),
    Dimension("event", "Event", "hit", "The name of the event.", _event),
    Dimension("properties", "Properties", "hit", "All properties of the event, as they were sent together.", _properties),
    Dimension("file", "File", "hit", "The file that was downloaded.", _prop("file download", "file")),
    Dimension("outbound_host", "Left for", "hit", "The host of the outbound link that was clicked.", _prop("outbound click", "host")),
    Dimension("outbound_link", "Link left by", "hit", "The address of the outbound link that was clicked.", _prop("outbound click", "href")),
    Dimension("form", "Form sent", "hit", "The form that was sent.", _prop("form submit", "form")),
    Dimension("media", "Media", "hit", "The video or audio that was started.", _prop("media start", "media")),
    Dimension("search_term", "Site search", "hit", "What was searched for on the site.", _prop("site search", "term")),
    Dimension("search_led_to", "Search led to", "hit", "The page that was seen next after a search on the site.", of_visits.search_led_to),
    Dimension("promo", "Promotion clicked", "hit", "The promotion on the site that was clicked.", _prop("promo click", "promo")),
)

OWN, PROPERTY = "field.", "prop."
MAX_KEY = 100
# By name; all others tell where a visit came from.
FAMILIES: dict[str, Family] = {
    **dict.fromkeys(("entry_page", "exit_page", "page", "host", "page_group", "previous_page", "next_page"), "content"),
    **dict.fromkeys(("event", "properties", "file", "outbound_host", "outbound_link", "form", "media", "search_term", "search_led_to", "promo"), "action"),
    **dict.fromkeys(("device", "browser", "system", "screen"), "technology"),
    **dict.fromkeys(("language", "country", "continent"), "geography"),
    **dict.fromkeys(("weekday", "day", "hour"), "time"),
    **dict.fromkeys(("visitor_kind", "visit_number", "days_since"), "loyalty"),
}


class UnknownNameError(ValueError):
    """Something is asked for that there is not: `field` of the request, and a sentence."""

    def __init__(self, field: str, text: str) -> None:
        super().__init__(field, text)
        self.field, self.text = field, text

    def __str__(self) -> str:
        return self.text


def of_field(field: SiteField) -> Dimension:
    """A site field as a dimension, named `field.` and its key."""
    meaning = "A field of the site's own, of each hit." if field.of == "hit" else "A field of the site's own; the last value of the visit."

    def read(shard: Shard, rows: Rows) -> Codes:
        return field_of_hits(field, shard.hits, shard.lookups, rows) if field.of == "hit" else shard.field(field)[rows]

    return Dimension(f"{OWN}{field.key}", field.title, field.of, meaning, read)


def of_property(key: str) -> Dimension:
    """A property of events and orders as a dimension of the hit, named `prop.` and the key."""

    def read(shard: Shard, rows: Rows) -> Codes:
        return shard.lookups.prop(key)[shard.hit("props")[rows]] if len(rows) else np.empty(0, np.uint32)

    return Dimension(f"{PROPERTY}{key}", key, "hit", f"The property {key} of events.", read)


def dimension_of(name: str, rules: SiteRules, asked_in: str) -> Dimension:
    """A dimension by name, of the registry, a property of events, or of the site's own. Raises UnknownNameError for the field that it is `asked_in`."""
    if name in DIMENSIONS:
        return DIMENSIONS[name]
    if name.startswith(PROPERTY) and 0 < len(name) - len(PROPERTY) <= MAX_KEY:
        return of_property(name.removeprefix(PROPERTY))
    if not name.startswith(OWN):
        raise UnknownNameError(asked_in, f"there is no dimension {name!r}; the registry lists them all")
    field = next((one for one in rules.fields if one.key == name.removeprefix(OWN)), None)
    if field is None:
        raise UnknownNameError(asked_in, f"the site has no field {name.removeprefix(OWN)!r}; it may have been removed")
    return of_field(field)
