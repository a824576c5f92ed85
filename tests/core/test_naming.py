"""Events under their notes, and the site's own fields: as listed, as dimensions, in goals."""

import json

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from pydantic import ValidationError

from tests.core.asking import reading_of
from tests.core.building import DAY, HOME, MINUTE, REFERENCE, hit, numbered, rules, shards_of
from tests.core.oracle import page_of, visits_of
from tests.core.strategies import hit_lists
from tests.core.test_reports import ask, by_key, reading
from upper_compass.core.definitions.goals import Goal
from upper_compass.core.definitions.site_rules import SiteField
from upper_compass.core.engine.dimensions import UnknownNameError
from upper_compass.core.engine.selection import ReportFilter
from upper_compass.core.reports.event_list import events, sent_fields
from upper_compass.core.reports.goal_preview import preview_goal

pytestmark = pytest.mark.usefixtures("early_years")
EVER = ReportFilter(0, 2**62)


def did(at, name, visitor="a", **more):
    return hit(at, "event", visitor, name=name, **more)


def listed(hits, question=EVER, count=1, **changes):
    site_rules = rules(**changes)
    return {one.name: one for one in events(reading_of(numbered(hits), site_rules, count), question, site_rules)}


def counted_once(hits, orders):
    """Orders that are the first of their id in all of history; of equal times the one that arrived first."""
    first = {}
    for one in sorted((one for one in hits if one["kind"] == "order" and one.get("order_id")), key=lambda one: (one["at"], one["seq"])):
        first.setdefault(one["order_id"], one["seq"])
    return [one for one in orders if not one.get("order_id") or first[one["order_id"]] == one["seq"]]


@settings(max_examples=30)
@given(hits=hit_lists(), count=st.sampled_from((1, 3)))
def test_the_list_of_any_events_is_that_of_the_slow_way(hits, count):
    notes = [{"name": "book", "shown_as": "sale"}, {"name": "file download", "shown_as": "sale"}]
    question = ReportFilter(10 * DAY, 11 * DAY)
    found = events(reading_of(hits, rules(events=notes), count), question, rules(events=notes))
    kept = [one for visit in visits_of(hits, rules(), REFERENCE) if not visit.excluded for one in visit.hits]
    orders = [one for one in kept if one["kind"] == "order" and question.start <= one["at"] < question.stop]
    listed_orders = [one for one in found if one.kind == "order"]
    assert sum(one.value for one in listed_orders) == pytest.approx(sum(one.get("value") or 0 for one in counted_once(hits, orders)))
    assert sum(one.people for one in listed_orders) == len({one["visitor"] for one in counted_once(hits, orders)})
    found = [one for one in found if one.kind == "event"]
    renamed = {"book": "sale", "file download": "sale"}
    ever = [one for one in hits if one["kind"] == "event"]
    kept = [one for visit in visits_of(hits, rules(), REFERENCE) if not visit.excluded for one in visit.hits if one["kind"] == "event"]
    kept = [one for one in kept if question.start <= one["at"] < question.stop]
    expected = {}
    for name in {renamed.get(one["name"], one["name"]) for one in ever}:
        own = [one for one in kept if renamed.get(one["name"], one["name"]) == name]
        last = max(one["at"] for one in ever if renamed.get(one["name"], one["name"]) == name)
        pages = {}
        for one in own:
            pages[page_of(one["url"])] = pages.get(page_of(one["url"]), 0) + 1
        expected[name] = (len(own), len({one["visitor"] for one in own}), sum(one.get("value") or 0 for one in own), last, sum(sorted(pages.values())[-3:]))
    assert {one.name: (one.times, one.people, pytest.approx(one.value), one.last, sum(page.times for page in one.pages)) for one in found} == expected


def test_of_very_many_names_each_is_listed():
    hits = [did(i, f"event {i % 4000}", f"v{i % 50}", props=json.dumps({"n": i})) for i in range(6000)]
    found = listed(hits, count=3)
    assert (len(found), found["event 7"].times, found["event 3999"].times, found["event 7"].props[0].different) == (4000, 2, 1, 2)


def test_properties_are_listed_with_their_commonest_values():
    hits = [did(i, "book", props=json.dumps({"course": "rye" if i < 4 else f"c{i}", "places": 2.0} | ({"gift": True} if i == 0 else {}))) for i in range(12)]
    props = listed(hits)["book"].props
    assert [(one.key, one.different, len(one.values), one.values[0].value, one.values[0].times) for one in props] == [
        ("course", 9, 5, "rye", 4), ("places", 1, 1, "2", 12), ("gift", 1, 1, "true", 1),
    ]  # fmt: skip
    many = [did(i, "seen", props=json.dumps({"id": f"x{i % 2_500}"})) for i in range(2_501)]
    assert [(one.different, one.values[0].value, one.values[0].times) for one in listed(many)["seen"].props] == [(2_500, "x0", 2)]


def test_orders_have_a_row_and_keys_that_arrived_are_told_before_they_are_defined():
    hits = [
        did(0, "book"), hit(1, "order", "a", value=5, order_id="1", url=HOME + "thanks"), hit(2, "order", "b", value=7, order_id="1"), hit(3, "order", "b", value=2),
        hit(4, fields=json.dumps({"author": "Orla", "plan": "x"})), hit(5, fields=json.dumps({"author": "Tom"})), hit(6, fields=json.dumps({"author": "Orla"})),
    ]  # fmt: skip
    orders = listed(hits)["order"]
    assert (orders.kind, orders.times, orders.people, orders.value, orders.last, orders.sent_as) == ("order", 2, 2, 7, 3, [])
    assert [(page.value, page.times) for page in orders.pages] == [("/", 1), ("/thanks", 1)]
    seen = sent_fields(reading_of(numbered(hits), rules(), 2), EVER)
    assert [(one.key, one.different, [(each.value, each.times) for each in one.values]) for one in seen] == [
        ("author", 2, [("Orla", 2), ("Tom", 1)]), ("plan", 1, [("x", 1)]),
    ]  # fmt: skip


def test_own_traffic_has_its_event_listed_without_a_figure():
    found = listed([did(5, "tried", internal=True)])["tried"]
    assert (found.times, found.people, found.last, found.pages) == (0, 0, 5, [])


def test_a_renamed_event_is_renamed_in_history_and_goals_by_either_name_count():
    hits = [did(0, "buy now"), did(DAY, "bought"), did(2 * DAY, "else")]
    notes = [{"name": "buy now", "shown_as": "bought", "description": "Old button"}]
    found = listed(hits, events=notes)
    assert (set(found), found["bought"].sent_as, found["bought"].description) == ({"bought", "else"}, ["bought", "buy now"], "Old button")
    read = reading(numbered(hits), events=notes)
    assert by_key(ask(read, dimensions=["event"], last="1970-01-03")) == {"bought": 2, "else": 1}
    shard = read.shards.main[0]
    for name, rows in (("bought", [0, 1]), ("buy now", [0]), ("else", [2]), ("never", [])):
        assert shard.conversions(Goal.model_validate({"match": {"kind": "event", "names": [name]}})).row.tolist() == rows


def test_a_passive_event_no_longer_keeps_a_visit_from_bouncing_and_a_hidden_one_has_no_row():
    hits = [hit(0), did(1, "hover"), hit(DAY, visitor="b"), did(DAY + 1, "scroll depth", "b")]

    def bounces(**changes):
        return ask(reading(numbered(hits), **changes), measures=["bounce_rate"], last="1970-01-02").total.values["bounce_rate"]

    assert bounces() == 0.5
    assert bounces(events=[{"name": "hover", "passive": True}]) == 1
    assert bounces(events=[{"name": "scroll depth", "passive": False}]) == 0
    hidden = [{"name": "hover", "hidden": True}]
    assert by_key(ask(reading(numbered(hits), events=hidden), dimensions=["event"], last="1970-01-02")) == {"scroll depth": 1}
    assert [(name, one.hidden, one.times, one.by_itself) for name, one in listed(hits, events=hidden).items()] == [
        ("scroll depth", False, 1, True),
        ("hover", True, 1, False),
    ]


FIELDS = [
    {"key": "author", "title": "Author"},
    {"key": "plan", "title": "Plan", "of": "visit"},
    {"key": "page", "title": "Results page", "read": {"kind": "query", "key": "p"}},
    {"key": "course", "title": "Course", "of": "visit", "read": {"kind": "page", "pattern": "^/courses/([^/]+)"}},
    {"key": "bread", "title": "Bread", "read": {"kind": "property", "key": "bread"}},
]


def fields(**values):
    return {"fields": json.dumps(values)}


STORY = [
    hit(0, url=HOME + "courses/rye?p=2", **fields(author="Orla", plan="free")),
    hit(MINUTE, **fields(plan="paid")),
    did(2 * MINUTE, "book", value=5, props=json.dumps({"bread": "oat"}), **fields(author="Bram")),
    hit(3 * MINUTE, url=HOME + "courses/oat/book", **fields(plan="")),
    hit(0, visitor="b", url=HOME + "courses", **fields(author="Bram")),
]


@pytest.mark.parametrize(
    ("key", "measure", "expected"),
    [
        ("author", "views", {"Orla": 1, "Bram": 1}),
        ("author", "visits", {"Orla": 1, "Bram": 2}),
        ("author", "conversions", {"Orla": 1, "Bram": 1}),
        ("plan", "visits", {"paid": 1, "": 1}),
        ("plan", "conversions", {"paid": 1}),
        ("page", "views", {"2": 1}),
        ("course", "views", {"oat": 3, "": 1}),
        ("bread", "times", {"oat": 1}),
    ],
)
def test_a_field_is_a_dimension_of_the_hit_or_of_the_visit(key, measure, expected):
    booked = Goal.model_validate({"match": {"kind": "event", "names": ["book"]}})
    result = ask(reading(numbered(STORY), fields=FIELDS), dimensions=[f"field.{key}"], measures=[measure], goal=booked)
    assert by_key(result, measure) == expected


def test_one_can_narrow_to_a_field_and_three_shards_agree_with_one():
    filters = [{"dimension": "field.plan", "values": ["paid"]}]
    for count in (1, 3):
        assert by_key(ask(reading(numbered(STORY), count, fields=FIELDS), dimensions=["field.course"], filters=filters)) == {"oat": 1}


def test_a_field_that_is_gone_is_named_in_the_error():
    with pytest.raises(UnknownNameError, match="'author'"):
        ask(reading(numbered(STORY)), dimensions=["field.author"])


@pytest.mark.parametrize(
    ("where", "rows"),
    [
        ([{"field": "author", "test": "is", "value": "Bram"}], [2]),
        ([{"field": "plan", "test": "is", "value": "paid"}], [2]),
        ([{"field": "plan", "test": "is", "value": "free"}], []),
        ([{"field": "author", "test": "contains", "value": "r"}, {"field": "course", "test": "is not", "value": "rye"}], [2]),
        ([{"field": "never", "test": "is", "value": "x"}], []),
        ([{"field": "never", "test": "is not", "value": "x"}], [2]),
    ],
)
def test_a_goal_can_ask_for_fields_of_the_hit_and_of_the_visit(where, rows):
    shard = shards_of(numbered(STORY), rules(fields=FIELDS))[0]
    assert shard.conversions(Goal.model_validate({"match": {"kind": "event", "names": ["book"], "fields": where}})).row.tolist() == rows


@pytest.mark.parametrize(
    "wrong",
    [
        {"key": "Author", "title": "A"},
        {"key": "a", "title": ""},
        {"key": "a", "title": "A", "read": {"kind": "page", "pattern": "^/x"}},
        {"key": "a", "title": "A", "read": {"kind": "page", "pattern": "^/(x)(y)"}},
        {"key": "a", "title": "A", "read": {"kind": "page", "pattern": "("}},
        {"key": "a", "title": "A", "read": {"kind": "guess"}},
    ],
)
def test_fields_that_cannot_be_read_are_refused(wrong):
    with pytest.raises(ValidationError):
        SiteField.model_validate(wrong)
    with pytest.raises(ValidationError):
        rules(fields=[FIELDS[0], FIELDS[0]])


def test_a_goal_is_tried_before_it_is_kept():
    hits = [*STORY, did(DAY, "book", internal=True), did(2 * DAY, "book", value=3)]
    goal = Goal.model_validate({"match": {"kind": "event", "names": ["book"]}, "counts": "every time", "value": {"kind": "hit"}})
    read = reading_of(numbered(hits), rules(), 3)
    found = preview_goal(read, ReportFilter(0, DAY, goal=goal))
    assert (found.conversions, found.visits, found.value) == (1, 1, 5)
    assert [(page.value, page.times) for page in preview_goal(read, ReportFilter(0, 3 * DAY, goal=goal)).pages] == [("/", 2)]


@pytest.mark.parametrize(
    ("test", "value", "near"),
    [("is", "/thank-you", "/thank-you.html"), ("starts with", "/thankyou", "/thank-you.html"), ("is", "/zebra", None), ("contains", "thank-yuo", None), ("is", "/" + "x" * 400, None)],
)  # fmt: skip
def test_a_page_that_nobody_saw_is_held_against_those_that_were_seen(test, value, near):
    read = reading_of(numbered([hit(0, url=HOME + "thank-you.html"), hit(1, url=HOME + "courses")]), rules(), 2)
    goal = Goal.model_validate({"match": {"kind": "view", "page": {"test": test, "value": value}}})
    assert preview_goal(read, ReportFilter(0, DAY, goal=goal)).near == near
    found = Goal.model_validate({"match": {"kind": "view", "page": {"test": "is", "value": "/courses"}}})
    assert preview_goal(read, ReportFilter(0, DAY, goal=found)).near is None


def test_what_is_read_changes_the_version_and_a_description_does_not():
    plain = rules(events=[{"name": "a"}])
    assert rules(events=[{"name": "a", "description": "x"}]).version() == plain.version()
    assert rules(events=[{"name": "a", "passive": True}]).version() != plain.version()
