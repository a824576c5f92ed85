"""Laying the demo: the site, its people, its goals, and its history through the import door."""

from __future__ import annotations

import gzip
import io
from collections.abc import Iterator
from datetime import date, datetime, timedelta
from typing import Any

import psycopg
import sqlalchemy as sa

from upper_compass.collect.importing import Import, ImportReport, import_hits
from upper_compass.core.definitions.funnels import SavedFunnel
from upper_compass.core.definitions.goals import Goal
from upper_compass.core.definitions.logbook import EntryKind, LogbookEntry
from upper_compass.core.definitions.saved_segments import SavedSegment
from upper_compass.core.definitions.script_settings import Tagging
from upper_compass.core.definitions.site_rules import EventNote, PageField, PageGroup, SiteCopy, SiteField, SiteRules
from upper_compass.core.tagging.link_builder import Builder, LinkDraft, Word
from upper_compass.core.tagging.tag_rules import RuleSet
from upper_compass.demo.history import GERMAN_OPENED, GUIDE_CHANGED, OUTAGE, RECIPES_READ, SEED, ZONE, HistoryGenerator
from upper_compass.demo.places import SITE
from upper_compass.reference import shipped
from upper_compass.store import accounts, funnels, links, logbook, rules, segments, sites
from upper_compass.store.hits import HitWriter
from upper_compass.store.record import erase_all
from upper_compass.store.tables import logbook as logbook_table

KEY = "mill"
ACCOUNT, PASSWORD = "ida@fennmoor-mill.example", "flour and water"
COLLEAGUE = ("tom@fennmoor-mill.example", "Tom Achterberg", "salt and time", "viewer")
RULES = SiteRules(
    hosts=["fennmoor-mill.example", "127.0.0.1", "localhost"],
    copies=[SiteCopy(at=f"{host}/mill", counts_as="fennmoor-mill.example") for host in ("127.0.0.1", "localhost")],
    timezone=ZONE.key,
    currency="EUR",
    page_groups=[
        PageGroup(name="Courses", pattern="/courses"), PageGroup(name="Shop", pattern="/shop"), PageGroup(name="Recipes", pattern="/recipes"),
        PageGroup(name="Guides", pattern="/guides"), PageGroup(name="Checkout", pattern="/checkout"), PageGroup(name="German part", pattern="/de"),
    ],
    events=[
        EventNote(name="course booked", description="A place in a course was booked; worth its price."),
        EventNote(name="site search", description="Somebody looked for a recipe."),
    ],
    fields=[
        SiteField(key="author", title="Recipe by"),
        SiteField(key="course", title="Course looked at", of="visit", read=PageField(kind="page", pattern="^/courses/([^/]+)")),
    ],
)  # fmt: skip
VOCABULARY = [
    Word(field="medium", value="email", meaning="Letters to those who asked for them"), Word(field="medium", value="qr", meaning="Codes on anything printed"),
    Word(field="medium", value="podcast", meaning="Spoken in a programme, with a short address"), Word(field="source", value="letter", meaning="Our own letter, every Thursday"),
    Word(field="source", value="flour-bag", meaning="Printed on the bags"),
]  # fmt: skip
# What was made, what for, and how many days ago.
LINKS = (
    ({"address": f"{SITE}/courses", "source": "crust-talk", "medium": "podcast", "campaign": "crust-talk"}, "Read out in the programme", 10),
    ({"address": f"{SITE}/shop", "source": "loaf-deals", "medium": "affiliate", "campaign": "autumn"}, "For the deals page", 60),
    ({"address": f"{SITE}/", "label": "crumb-and-crust"}, "For their list of mills", 120),
    ({"address": f"{SITE}/gift-vouchers", "source": "murmur", "medium": "paid-social", "campaign": "gifts"}, "The winter picture", 40),
)
TAGGING = Tagging(inserts_html=True)
_RECIPE = {"key": "recipe", "value": {"kind": "element", "selector": "h1"}}
_ON_RECIPES = [{"kind": "page", "test": "starts with", "value": "/recipes/"}]
_READ = {
    "id": "recipread", "name": "Recipes read for a minute", "when": {"kind": "seconds passed", "seconds": 60}, "only_if": _ON_RECIPES,
    "then": [{"kind": "event", "name": "recipe read", "props": [_RECIPE]}],
}  # fmt: skip
_FLOUR = {
    "id": "recipflour", "name": "From a recipe to its flour", "when": {"kind": "clicked", "text": "The flour for it"}, "only_if": _ON_RECIPES,
    "then": [{"kind": "event", "name": "flour wanted", "props": [_RECIPE, {"key": "came_by", "value": {"kind": "source", "part": "channel"}}]}],
}  # fmt: skip
_WELCOME = {
    "id": "welcome2", "name": "A word to those who come back", "when": {"kind": "page shown"},
    "only_if": [{"kind": "page", "test": "is", "value": "/courses"}, {"kind": "visitor", "visitor": "returning"}],
    "then": [{
        "kind": "html", "place": "before", "selector": "main ul",
        "html": '<p>Good to see you again. <a href="/mill/gift-vouchers" data-uc-event="voucher from welcome">A voucher for a friend?</a></p>',
    }],
}  # fmt: skip
# What each version is for, its rules, and how many days ago it went live; the draft comes last.
RULES_MADE = (("Which recipes are read, not only opened", [_READ], RECIPES_READ), ("Who goes from a recipe to the shop", [_READ, _FLOUR], 0))
RULES_DRAFT = [_READ, _FLOUR, _WELCOME]
GOALS = {
    "Course bookings": {"match": {"kind": "event", "names": ["course booked"]}, "counts": "every time", "value": {"kind": "hit"}},
    "Orders": {"match": {"kind": "order"}, "counts": "every time", "value": {"kind": "order"}},
    "Guide downloads": {"match": {"kind": "event", "names": ["file download"]}, "value": {"kind": "fixed", "amount": 2}},
    "Wholesale enquiries": {
        "match": {"kind": "event", "names": ["form submit"], "props": [{"key": "form", "test": "is", "value": "wholesale"}]},
        "value": {"kind": "fixed", "amount": 120},
    },
}
# Days ago, kind, what was noted, and on which view.
LOGBOOK: tuple[tuple[int, EntryKind, str, str], ...] = (
    (GERMAN_OPENED, "change", "The German part opened.", "/read/audience"),
    (GUIDE_CHANGED, "change", "The starter guide was rewritten, with a new cover.", "/read/pages"),
    (OUTAGE, "note", "The host was down from ten to half past two.", "/read/overview"),
    (2, "finding", "Who comes from pinwheel books courses far more often than the rest.", "/explain/compare"),
)
CHECKOUT: dict[str, Any] = {
    "name": "Checkout", "dimension": "device",
    "funnel": {"units": "visits", "steps": [
        *({"kind": "view", "page": {"test": "is", "value": page}} for page in ("/basket", "/checkout/address", "/checkout/delivery", "/checkout/pay")),
        {"kind": "order"},
    ]},
}  # fmt: skip
SEGMENTS: tuple[tuple[str, str, dict[str, Any]], ...] = (
    (
        "From a guide to a course", "Do guides bring people into courses?",
        {"of": "people", "where": {"conditions": [
            {"kind": "in order", "within_minutes": 43_200, "steps": [
                {"kind": "view", "page": {"test": "starts with", "value": "/guides"}}, {"kind": "view", "page": {"test": "starts with", "value": "/courses"}},
            ]},
        ]}},
    ),
    (
        "Stopped in the checkout", "Went to pay and did not order.",
        {"where": {"conditions": [
            {"kind": "did", "match": {"kind": "view", "page": {"test": "starts with", "value": "/checkout"}}},
            {"kind": "did", "match": {"kind": "order"}, "test": "exactly", "times": 0},
        ]}},
    ),
    ("By letter", "", {"where": {"conditions": [{"kind": "dimension", "dimension": "channel", "test": "is", "values": ["Email"]}]}}),
    ("On phones", "", {"where": {"conditions": [{"kind": "dimension", "dimension": "device", "test": "is", "values": ["phone"]}]}}),
)  # fmt: skip
# Another edition is read by other rules; those of the old one are replaced.
EDITION = 11
_STAMP = f"demo, edition {EDITION}, laid"


def _stamp(day: date) -> str:
    return f"{_STAMP} {day.isoformat()} {SEED}"


def _stamped(connection: sa.Connection) -> str:
    return str(connection.execute(sa.text("SELECT obj_description('sites'::regclass)")).scalar() or "")


def seeded_today(engine: sa.Engine, now: datetime) -> bool:
    """Whether the demo's history is whole and ends yesterday."""
    with engine.connect() as connection:
        return _stamped(connection) == _stamp(now.astimezone(ZONE).date())


def seed_demo(engine: sa.Engine, url: str, now: datetime) -> ImportReport:
    """Lay the demo anew, ending the day before now; what was collected by hand before goes with the old one.

    Raises RuntimeError when a hit of the demo's own is refused: then nothing is stamped, and the next start lays it again.
    """
    day = now.astimezone(ZONE).date()
    with engine.begin() as connection:
        same_edition = _stamped(connection).startswith(_STAMP)
        connection.execute(sa.text("COMMENT ON TABLE sites IS NULL"))
        site = _site(connection, now, same_edition=same_edition)
        erase_all(connection, site.id)
    with psycopg.connect(url.replace("+psycopg", "")) as connection:
        report = import_hits(io.BufferedReader(_Lines(HistoryGenerator(day).lines())), Import(site.id, None, now), HitWriter(connection))
    if report.bad:
        raise RuntimeError(f"the demo's own hits were refused: {report.refused[:3]}")
    with engine.begin() as connection:
        connection.execute(sa.text(f"COMMENT ON TABLE sites IS '{_stamp(day)}'"))
    with engine.connect().execution_options(isolation_level="AUTOCOMMIT") as connection:
        # By name: the whole database would have tables in it that other connections just let go of.
        connection.execute(sa.text("ANALYZE hits, hit_ids, sites, goals, links"))
    return report


def _site(connection: sa.Connection, now: datetime, *, same_edition: bool) -> sites.Site:
    found = sites.site_by_key(connection, KEY)
    owner = accounts.add_user(connection, ACCOUNT, "Ida Brandvold", PASSWORD)
    colleague = accounts.add_user(connection, *COLLEAGUE[:3])
    if found is None:
        found = sites.add_site(connection, "Fennmoor Mill", RULES, owner.id, KEY, TAGGING)
        for name, definition in GOALS.items():
            sites.add_goal(connection, found.id, name, Goal.model_validate(definition), owner.id)
    elif not same_edition:
        sites.change_site(connection, found, found.name, RULES, TAGGING, owner.id)
        sites.change_rules(connection, found.id, lambda _: RULES, owner.id, "site")
    if not links.links_of(connection, found.id):
        links.keep_vocabulary(connection, found.id, VOCABULARY, owner.id)
        builder = Builder(RULES, shipped())
        for given, note, days in LINKS:
            draft = LinkDraft.model_validate(given)
            kept = links.NewLink(draft, builder.build(draft).url or "", note)
            links.add_links(connection, found.id, [kept], owner.id, now - timedelta(days=days))
    _write_logbook(connection, found.id, owner.id, now.astimezone(ZONE).date())
    if not segments.SAVED.all_of(connection, found.id):
        for name, note, segment in SEGMENTS:
            segments.SAVED.add(connection, found.id, SavedSegment.model_validate({"name": name, "note": note, "segment": segment}), owner.id)
    if not funnels.SAVED.all_of(connection, found.id):
        funnels.SAVED.add(connection, found.id, SavedFunnel.model_validate(CHECKOUT), owner.id)
    if not rules.live_numbers(connection).get(found.id):
        for note, made, days in RULES_MADE:
            version = RuleSet.model_validate({"rules": made}).rules
            rules.make_live(connection, found.id, version, note, owner.id, now - timedelta(days=days))
        rules.keep_draft(connection, found.id, RuleSet.model_validate({"rules": RULES_DRAFT}).rules, owner.id)
    sites.give_role(connection, found.id, colleague.id, COLLEAGUE[3])
    return found


def _write_logbook(connection: sa.Connection, site_id: int, owner_id: int, day: date) -> None:
    """What the demo notes itself, on the days that its history has it today; what people noted stays."""
    texts = [text for _, _, text, _ in LOGBOOK]
    connection.execute(logbook_table.delete().where(logbook_table.c.site_id == site_id, logbook_table.c.text.in_(texts)))
    for ago, kind, text, view in LOGBOOK:
        on = day - timedelta(days=ago)
        logbook.add_entry(connection, site_id, LogbookEntry(kind=kind, first=on, last=on, text=text, view=view), owner_id)


def write_file(path: str, day: date) -> None:
    """The history as a gzipped file of JSON Lines, for `./compass import`."""
    with gzip.open(path, "wb", compresslevel=1) as file:
        file.writelines(HistoryGenerator(day).lines())


class _Lines(io.RawIOBase):
    """Lines as a file that can be read."""

    def __init__(self, lines: Iterator[bytes]) -> None:
        self._lines = lines
        self._left = b""

    def readable(self) -> bool:
        return True

    def readinto(self, buffer) -> int:  # type: ignore[no-untyped-def]  # noqa: ANN001
        parts = [self._left]
        size = len(self._left)
        while size < len(buffer):
            line = next(self._lines, b"")
            if not line:
                break
            parts.append(line)
            size += len(line)
        data = b"".join(parts)
        taken = min(len(buffer), len(data))
        buffer[:taken] = data[:taken]
        self._left = data[taken:]
        return taken
