"""When a visit was, which one of its visitor it is, what it was referred by, which page came before and after: worked examples."""

import pytest

from tests.core.asking import ask_table, reading_of
from tests.core.building import DAY, HOME, MINUTE, REFERENCE, hit, numbered, rules
from upper_compass.core.engine.dimensions import DIMENSIONS

pytestmark = pytest.mark.usefixtures("early_years")
HOUR = 60 * MINUTE
# 1970-01-01 was a Thursday.


def by(dimension, hits, site_rules=None, measures=("visits",), last="1970-12-31", **more):
    dimensions = dimension if isinstance(dimension, list) else [dimension]
    read = reading_of(numbered(hits), site_rules or rules(timezone="UTC"))
    found = ask_table(read, dimensions=dimensions, measures=measures, last=last, **more)
    return {tuple(row.keys) if len(dimensions) > 1 else row.keys[0]: row.values[measures[0]] for row in found.rows}


def test_which_visit_it_is_and_how_many_days_after_the_one_before():
    days = [0, 0.9, 3, 10, 25, 60, 200]
    hits = [hit(round(day * DAY), visitor="often") for day in days] + [hit(0, visitor="once")]
    assert by("visit_number", hits) == {"1": 2, "2": 1, "3": 1, "4": 1, "5": 1, "6 to 9": 2}
    assert by("days_since", hits) == {"": 2, "0": 1, "2": 1, "7 to 13": 1, "14 to 29": 1, "30 to 89": 1, "90 and more": 1}
    many = [hit(day * DAY, visitor="daily") for day in range(25)]
    assert by("visit_number", many) == {"1": 1, "2": 1, "3": 1, "4": 1, "5": 1, "6 to 9": 4, "10 to 19": 10, "20 and more": 6}


def test_their_values_stand_in_the_order_of_people():
    hits = [hit(day * DAY, visitor="daily") for day in range(25)]
    read = reading_of(numbered(hits))
    for dimension, descending in (("visit_number", False), ("visit_number", True), ("weekday", False)):
        found = ask_table(read, dimensions=[dimension], sort=dimension, descending=descending, last="1970-12-31").rows
        order = [name for name in DIMENSIONS[dimension].order if name in {row.keys[0] for row in found}]
        assert [row.keys[0] for row in found] == (order[::-1] if descending else order)


def test_hours_and_weekdays_are_those_of_the_sites_clock():
    night, spring = 23 * HOUR + 30 * MINUTE, 150 * DAY + 22 * HOUR
    hits = [hit(night, visitor="a"), hit(spring, visitor="b")]
    assert by("hour", hits) == {"23": 1, "22": 1}
    assert by("weekday", hits) == {"Thursday": 1, "Sunday": 1}
    there = rules(timezone="Asia/Kolkata")  # five and a half hours ahead
    assert by("hour", hits, there) == {"05": 1, "03": 1}
    assert by(["weekday", "hour"], hits, there) == {("Friday", "05"): 1, ("Monday", "03"): 1}
    assert by("hour", []) == {}


def test_continents_and_screens():
    hits = [
        hit(0, visitor="a", country="ie"),
        hit(0, visitor="b", timezone="Europe/Berlin"),
        hit(0, visitor="c"),
        hit(MINUTE, visitor="c", screen="390x844"),
        hit(2 * MINUTE, visitor="c", screen="844x390"),
    ]
    read = reading_of(numbered(hits))
    assert REFERENCE.continents == {"IE": "Europe", "DE": "Europe"}
    found = ask_table(read, dimensions=["continent"]).rows
    assert {row.keys[0]: row.values["visits"] for row in found} == {"Europe": 2, "": 1}
    assert by("screen", hits) == {"": 2, "390x844": 1}


def test_a_referrer_is_told_down_to_its_page_and_to_what_was_searched():
    hits = [
        hit(0, visitor="a", referrer="https://www.seekwell.example/find?hl=en&q=Rye+Flour"),
        hit(0, visitor="b", referrer="https://blog.example/bread/?q=not+a+search"),
        hit(0, visitor="c", url=HOME + "?utm_source=letter&utm_medium=email", referrer="https://blog.example/bread"),
        hit(0, visitor="d", referrer="https://mill.example/own"),
        hit(0, visitor="e", referrer="https://pay.example/ignored"),
        hit(0, visitor="f"),
        hit(0, visitor="g", referrer="https://seekwell.example/find?q=(masked)"),
    ]
    assert by("referrer", hits) == {"seekwell.example": 2, "blog.example": 2, "": 3}
    assert by("referrer_page", hits) == {"seekwell.example/find": 2, "blog.example/bread": 2, "": 3}
    assert by("referrer_term", hits) == {"rye flour": 1, "": 6}


WALK = [
    hit(0, visitor="a", url=HOME + "courses"),
    hit(MINUTE, "event", name="site search", visitor="a", url=HOME + "courses", props='{"term": "rye"}'),
    hit(2 * MINUTE, visitor="a", url=HOME + "flour"),
    hit(3 * MINUTE, "event", name="site search", visitor="a", url=HOME + "flour", props='{"term": "spelt"}'),
    hit(0, visitor="b", url=HOME + "flour"),
    hit(DAY, visitor="b", url=HOME + "courses"),
]


def test_the_page_before_and_the_page_after_lie_in_the_same_visit():
    assert by(["page", "next_page"], WALK) == {("/courses", "/flour"): 1, ("/courses", "left the site"): 1, ("/flour", "left the site"): 2}
    assert by(["page", "previous_page"], WALK) == {("/courses", "arrived"): 2, ("/flour", "arrived"): 1, ("/flour", "/courses"): 1}
    # What lies outside the period is a page before and after all the same.
    assert by(
        ["page", "previous_page"], [hit(DAY - MINUTE, visitor="a"), hit(DAY, visitor="a", url=HOME + "flour")], measures=["views"], first="1970-01-02"
    ) == {("/flour", "/"): 1}


def test_where_a_search_led():
    assert by(["search_term", "search_led_to"], WALK, measures=["times"]) == {("rye", "/flour"): 1, ("spelt", "nowhere"): 1}
    assert by("search_led_to", [hit(0)]) == {}


def test_pages_that_are_gone_on_to_and_seldom_entered():
    found = ask_table(reading_of(numbered(WALK)), dimensions=["page"], measures=["reached_later", "entries", "entry_rate", "visits"], last="1970-01-02").rows
    assert {row.keys[0]: row.values for row in found} == {
        "/flour": {"reached_later": 1, "entries": 1, "entry_rate": 0.5, "visits": 2},
        "/courses": {"reached_later": 0, "entries": 2, "entry_rate": 1, "visits": 2},
    }
