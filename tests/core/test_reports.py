"""Tables and series: worked examples, any hits against the slow oracle, and one shard against seven."""

import json
from dataclasses import replace
from zoneinfo import ZoneInfo

import polars as pl
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from tests.core.asking import ask_series, ask_table, only, reading_of
from tests.core.building import DAY, HOME, MINUTE, REFERENCE, hit, numbered, rules
from tests.core.oracle import conversions_of, figures, page_of, visits_of
from tests.core.strategies import DESKTOP, PHONE, hit_lists
from upper_compass.core.dataset.coded_hits import Dictionary
from upper_compass.core.dataset.properties import Properties
from upper_compass.core.definitions.goals import Goal
from upper_compass.core.definitions.hit_match import PropTest
from upper_compass.core.definitions.segments import Segment
from upper_compass.core.engine.dimensions import DIMENSIONS
from upper_compass.core.engine.measures import MEASURES
from upper_compass.core.engine.selection import ReportFilter
from upper_compass.core.engine.tally import HIT_COLUMNS, VISIT_COLUMNS, GroupBy

pytestmark = pytest.mark.usefixtures("early_years")
BOOKED = Goal.model_validate({"match": {"kind": "event", "names": ["book"]}, "counts": "every time", "value": {"kind": "hit"}})
BOUGHT = Goal.model_validate({"match": {"kind": "order"}, "value": {"kind": "order"}})
SEEN = Goal.model_validate({"match": {"kind": "view", "page": {"test": "starts with", "value": "/courses"}}, "value": {"kind": "fixed", "amount": 3}})
GOALS = {
    "booked": (BOOKED, lambda v: conversions_of(v, lambda h: h.get("name") == "book", False, lambda h: h.get("value") or 0)),
    "bought": (BOUGHT, lambda v: conversions_of(v, lambda h: h["kind"] == "order" and not h.get("repeated"), True, lambda h: h.get("value") or 0)),
    "seen": (SEEN, lambda v: conversions_of(v, lambda h: h["kind"] == "view" and page_of(h["url"]).startswith("/courses"), True, lambda h: 3)),
}
COLUMNS = frozenset([*VISIT_COLUMNS, *HIT_COLUMNS, "visitors", "people", "converters", "conversions", "value", "converting_visits", "entries", "exits", "seen"])

# Those that need no look at single hits, where whole visits will do.
FEW_COLUMNS = frozenset(["views", "visitors", "visits", "conversions"])


def reading(hits, count=1, **changes):
    return reading_of(hits, rules(**changes), count)


def ask(hits_or_reading, *, measures=("visits",), **more):
    return ask_table(hits_or_reading, measures=measures, **more)


def by_key(result, measure="visits"):
    return {row.keys[0]: row.values[measure] for row in result.rows}


def test_a_visit_is_judged_by_its_start_and_a_hit_by_its_own_time():
    hits = [hit(DAY - MINUTE), hit(DAY + MINUTE), hit(DAY + 2 * MINUTE)]
    measures = ["visits", "views", "visitors", "views_per_visit"]
    assert ask(hits, measures=measures).total.values == {"visits": 1, "views": 1, "visitors": 1, "views_per_visit": 3}
    assert ask(hits, first="1970-01-02", last="1970-01-02", measures=measures).total.values == {
        "visits": 0,
        "views": 2,
        "visitors": 1,
        "views_per_visit": None,
    }


def test_a_conversion_counts_at_its_own_time_and_its_visit_at_its_start():
    hits = [hit(DAY - MINUTE), hit(DAY + MINUTE, "event", name="book", value=70)]
    measures = ["conversions", "converting_visits", "conversion_rate", "value", "converters"]
    first, second = (ask(hits, first=day, last=day, measures=measures, goal=BOOKED).total.values for day in ("1970-01-01", "1970-01-02"))
    assert first == {"conversions": 0, "converting_visits": 1, "conversion_rate": 1, "value": 0, "converters": 0}
    assert second == {"conversions": 1, "converting_visits": 0, "conversion_rate": None, "value": 70, "converters": 1}


def test_once_a_visit_counts_the_first_match_of_the_whole_visit_and_none_when_it_lies_outside():
    once = BOOKED.model_copy(update={"counts": "once a visit"})
    hits = [hit(DAY - MINUTE, "event", name="book"), hit(DAY + MINUTE, "event", name="book")]
    assert ask(hits, first="1970-01-02", last="1970-01-02", measures=["conversions"], goal=once).total.values["conversions"] == 0


def test_a_page_counts_conversions_at_or_after_its_first_hit_only():
    hits = [
        hit(0, url=HOME + "a"),
        hit(1, "event", name="book", url=HOME + "a"),
        hit(2, url=HOME + "b"),
        hit(3, "event", name="book", url=HOME + "b"),
    ]
    result = ask(hits, dimensions=["page"], measures=["conversions", "visits", "conversion_rate"], goal=BOOKED)
    assert by_key(result, "conversions") == {"/a": 2, "/b": 1}
    assert by_key(result, "conversion_rate") == {"/a": 1, "/b": 1}
    assert result.notes[0].kind == "overlap"
    assert result.rest is None


def test_the_same_order_counts_once_the_earliest_and_an_order_without_an_id_counts():
    hits = [hit(5, "order", visitor="b", order_id="o1", value=9), hit(3, "order", order_id="o1", value=7), hit(8, "order", value=1), hit(9, "order", value=1)]
    for count in (1, 7):
        total = ask(reading(numbered(hits), count), measures=["orders", "revenue"]).total.values
        assert total == {"orders": 3, "revenue": 9}


def test_money_in_other_currencies_is_converted_and_what_has_no_rate_is_reported():
    hits = [hit(1, "order", value=10, currency="USD"), hit(2, "order", value=10, currency="SEK"), hit(3, "order", value=10)]
    result = ask(reading(numbered(hits), rates={"USD": 0.5}), measures=["revenue", "orders"])
    assert result.total.values == {"revenue": 15, "orders": 3}
    assert [note.text for note in result.notes] == ["1 amount counts 0, because its currency has no rate in the site's settings."]


def test_amounts_without_a_rate_are_those_that_would_have_counted():
    view = Goal.model_validate({"match": {"kind": "view", "page": {"test": "is", "value": "/"}}, "value": {"kind": "hit"}})
    hits = [
        hit(1, value=2, currency="SEK"),
        hit(1, value=2, currency="SEK", visitor="robot", robot=True),
        hit(1, value=2, currency="SEK", visitor="elsewhere", url=HOME + "?via=card"),
        hit(2, "event", name="unwanted", value=3, currency="SEK"),
    ]

    def notes(**more):
        return [note.text.partition(",")[0] for note in ask(hits, measures=["value"], goal=view, **more).notes]

    assert notes() == ["2 amounts count 0"]
    assert notes(filters=[{"dimension": "source", "values": ["card"]}]) == ["1 amount counts 0"]
    assert notes(with_excluded=True) == ["3 amounts count 0"]


def test_conditions_on_properties_mind_the_type():
    hits = [hit(i, "event", name="book", props=props) for i, props in enumerate(['{"places": 2}', '{"places": "2"}', '{"kind": "Rye"}', None])]

    def count(*tests):
        goal = Goal.model_validate({"match": {"kind": "event", "names": ["book"], "props": list(tests)}, "counts": "every time"})
        return ask(hits, measures=["conversions"], goal=goal).total.values["conversions"]

    assert count({"key": "places", "test": "≥", "value": 2}) == 1
    assert count({"key": "kind", "test": "regular expression", "value": "y"}) == 1
    assert count({"key": "kind", "test": "is", "value": "rye"}) == 0
    assert count({"key": "places", "test": "is", "value": "2"}) == 2
    assert count({"key": "places", "test": "is not", "value": "2"}) == 2
    assert count({"key": "places", "test": "≠", "value": 2}) == 3
    assert count({"key": "places", "test": "=", "value": 2}) == 1


@pytest.mark.parametrize(("value", "text"), [(2, "2"), (2.0, "2"), (2.5, "2.5"), (1e-7, "0.0000001"), (True, "true"), (False, "false"), (-3.25, "-3.25")])
def test_to_a_test_on_text_a_number_is_its_shortest_decimal_form(value, text):
    sets = Dictionary()
    sets.encode(pl.Series([json.dumps({"k": value})]))
    properties = Properties(sets, Dictionary())
    for test, holds in (("is", True), ("is not", False), ("starts with", True)):
        assert properties.passing([PropTest.model_validate({"key": "k", "value": text, "test": test})]).tolist()[1] == holds


def test_an_empty_value_is_a_row_of_its_own_for_visits_and_no_row_for_hits():
    hits = [hit(0), hit(1, "event", name="book", visitor="b")]
    assert by_key(ask(hits, dimensions=["entry_page"])) == {"/": 1, "": 1}
    assert by_key(ask(hits, dimensions=["event"], measures=["visits", "people", "times"]), "people") == {"book": 1}


def test_two_dimensions_and_a_limit_with_the_rest_added_up():
    hits = [hit(i * 40 * MINUTE, url=f"{HOME}p{i % 3}?via={'ab'[i % 2]}", visitor=str(i)) for i in range(6)]
    result = ask(hits, dimensions=["source", "entry_page"], limit=2, measures=["visits", "visitors"])
    assert [row.keys for row in result.rows] == [["a", "/p0"], ["a", "/p1"]]
    assert result.rest.rows == 4
    assert result.rest.figures.values == {"visits": 4, "visitors": None}


def test_narrowing_keeps_visits_with_a_value_or_without():
    hits = [hit(0), hit(1, url=HOME + "b"), hit(0, visitor="b"), hit(0, visitor="c", url=HOME + "b?via=x")]
    filters = {"dimension": "page", "values": ["/b"]}
    assert ask(hits, filters=[filters]).total.values["visits"] == 2
    assert ask(hits, filters=[filters | {"without": True}]).total.values["visits"] == 1
    assert ask(hits, filters=[filters, {"dimension": "source", "values": ["x"]}]).total.values["visits"] == 1
    assert ask(hits, filters=[{"dimension": "source", "values": ["never seen"]}]).total.values["visits"] == 0


def test_versus_brings_the_figures_before_and_says_what_is_beyond_chance():
    hits = [hit(DAY, visitor=f"n{i}") for i in range(40)] + [hit(0, visitor=f"b{i}") for i in range(10)]
    total = ask(hits, first="1970-01-02", last="1970-01-02", versus="before", measures=["visits", "bounce_rate"]).total
    assert (total.values["visits"], total.before["visits"]) == (40, 10)
    assert total.is_significant == {"visits": True, "bounce_rate": False}
    assert (round(total.interval["bounce_rate"][0], 4), total.interval["bounce_rate"][1]) == (0.9124, 1.0)


def test_a_key_that_only_versus_has_is_still_a_row():
    hits = [hit(DAY, url=HOME + "new"), hit(0, url=HOME + "old", visitor="b")]
    result = ask(hits, first="1970-01-02", last="1970-01-02", versus="before", dimensions=["entry_page"])
    assert [(row.keys[0], row.values["visits"], row.before["visits"]) for row in result.rows] == [("/new", 1, 0), ("/old", 0, 1)]


def test_a_series_has_every_bucket_and_the_day_that_has_23_hours():
    read = replace(reading(numbered([hit(0)])), zone=ZoneInfo("Europe/Berlin"))
    result = ask_series(read, first="2026-03-29", last="2026-03-29", bucket="hour", versus="before")
    assert len(result.points) == 23
    assert result.points[2].keys == "2026-03-29T03:00+02:00"
    weeks = ask_series(read, first="2026-09-01", last="2026-09-30", bucket="week")
    assert [point.keys for point in weeks.points] == ["2026-09-01", "2026-09-07", "2026-09-14", "2026-09-21", "2026-09-28"]


KEYS = {
    None: {},
    "source": {"key_of_visit": lambda v: v.source[0]},
    "entry_page": {"key_of_visit": lambda v: page_of(v.views[0]["url"]) if v.views else ""},
    "page": {"keys_of_hit": lambda h: page_of(h["url"])},
    "event": {"keys_of_hit": lambda h: h.get("name")},
}


@given(hit_lists(), st.sampled_from(list(KEYS)), st.sampled_from(list(GOALS)), st.sampled_from((1, 7)), st.integers(9, 14), st.integers(0, 3), st.booleans())
@settings(max_examples=25)
def test_any_table_agrees_with_the_oracle(hits, dimension, goal, count, first, length, few):
    columns = FEW_COLUMNS if few else COLUMNS
    start, stop = first * DAY, (first + 1 + length) * DAY
    by = GroupBy((DIMENSIONS[dimension],) if dimension else (), columns=columns)
    [mine] = reading(hits, count).tally(ReportFilter(start, stop, GOALS[goal][0]), by)
    theirs = figures(visits_of(hits, rules(), REFERENCE), start, stop, GOALS[goal][1], **KEYS[dimension])
    tallied = {row.get("key_0", ""): {name: row[name] for name in columns} for row in mine.as_texts().frame.to_dicts()}
    expected = {key: {name: row[name] for name in columns} for key, row in theirs.items()}
    something = lambda rows: {key: row for key, row in rows.items() if any(row.values())}  # noqa: E731
    assert something(tallied) == something(expected)


@given(hit_lists(), st.sampled_from(["source", "page"]))
@settings(max_examples=5)
def test_seven_shards_answer_as_one_does(hits, dimension):
    one, seven = reading(hits, 1), reading(hits, 7)
    days = {"first": "1970-01-10", "last": "1970-01-15", "measures": list(MEASURES), "versus": "before"}
    table = {"dimensions": [dimension], "sort": "visits"} | days
    assert ask_table(one, BOOKED, **table) == ask_table(seven, BOOKED, **table)
    assert ask_series(one, BOOKED, **days) == ask_series(seven, BOOKED, **days)


@given(hit_lists(), st.sampled_from(list(GOALS)))
@settings(max_examples=6)
def test_a_series_is_the_tables_of_its_days(hits, goal):
    read = reading(hits)
    course = ask_series(read, GOALS[goal][0], first="1970-01-11", last="1970-01-13", measures=MEASURES)
    for point in course.points:
        assert ask(read, first=point.keys, last=point.keys, measures=MEASURES, goal=GOALS[goal][0]).total.values == point.values


DEVICES = {PHONE: "phone", DESKTOP: "desktop", "crawler": "other"}
VALUES = (
    ("page", "/"), ("page", "/courses"), ("source", "card"), ("source", "letter"), ("source", "direct"), ("device", "desktop"), ("device", "phone"),
)  # fmt: skip


@given(hit_lists(), st.sampled_from(VALUES), st.booleans())
@settings(max_examples=10)
def test_any_narrowing_agrees_with_the_oracle(hits, narrowed, without):
    """What is left by a narrowing is what the oracle counts over the visits that fit."""
    dimension, value = narrowed
    narrow = Segment.model_validate(only({"dimension": dimension, "values": [value], "without": without}))
    columns = COLUMNS - {"seen"}
    [mine] = reading(hits).tally(ReportFilter(0, 40 * DAY, BOOKED, (narrow,)), GroupBy(columns=columns))

    def has(visit):
        if dimension == "page":
            return any(page_of(one["url"]) == value for one in visit.hits)
        if dimension == "device":
            return DEVICES.get(visit.marked.get("user_agent"), "") == value
        return visit.source[0] == value

    fitting = [visit for visit in visits_of(hits, rules(), REFERENCE) if has(visit) != without]
    theirs = figures(fitting, 0, 40 * DAY, GOALS["booked"][1]).get("", dict.fromkeys(columns, 0))
    assert mine.frame.select(sorted(columns)).row(0, named=True) == {name: theirs[name] for name in columns}


def test_one_visitor_with_very_many_hits_of_very_many_values_is_no_trouble():
    """Pages times conversions of one visit would be 25 million; what is kept grows with their sum."""
    hits = [hit(i, url=f"{HOME}{i}") for i in range(5000)] + [hit(5000 + i, "event", name="book", value=1, url=HOME) for i in range(5000)]
    result = ask(hits, dimensions=["page"], measures=["conversions", "visits", "value"], goal=BOOKED, limit=10_000)
    assert len(result.rows) == 5001
    assert {row.values["conversions"] for row in result.rows} == {5000}
    assert result.total.values == {"conversions": 5000, "visits": 1, "value": 5000}
