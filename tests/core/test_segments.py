"""Segments: worked examples, and any segment of any hits against the slow oracle, in one shard and in eleven."""

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from pydantic import ValidationError

from tests.core.asking import ask_table, reading_of
from tests.core.building import DAY, HOME, MINUTE, REFERENCE, hit, numbered, rules
from tests.core.oracle import conversions_of, figures, visits_of
from tests.core.segment_oracle import fitting
from tests.core.strategies import hit_lists
from upper_compass.core.definitions.goals import Goal
from upper_compass.core.definitions.segments import Segment, UnfitSegmentError, resolved, saved_in
from upper_compass.core.engine.selection import ReportFilter
from upper_compass.core.engine.tally import GroupBy
from upper_compass.core.reports.segment_size import SegmentSizeRequest, segment_size

BOOKED = Goal.model_validate({"match": {"kind": "event", "names": ["book"]}, "counts": "every time", "value": {"kind": "hit"}})
COLUMNS = frozenset(["visits", "views", "visitors", "conversions", "value", "orders", "bounces", "converting_visits"])
pytestmark = pytest.mark.usefixtures("early_years")


def booked(visit):
    return conversions_of(visit, lambda h: h.get("name") == "book", False, lambda h: h.get("value") or 0)


def view(value, test="is"):
    return {"kind": "view", "page": {"test": test, "value": value}}


MATCHES = st.sampled_from(
    [
        view("/courses"),
        view("/", "contains"),
        view("c", "regular expression"),
        {"kind": "view"},
        {"kind": "event", "names": ["book"]},
        {"kind": "event", "names": ["book", "file download"]},
        {"kind": "event", "names": ["s", "file"], "name_test": "starts with"},
        {"kind": "event", "names": ["book"], "props": [{"key": "places", "test": "≥", "value": 1}]},
        {"kind": "event", "names": ["book"], "page": {"test": "is not", "value": "/courses"}},
        {"kind": "event", "names": ["book"], "props": [{"key": "places", "test": "is not", "value": "1"}]},
        {"kind": "order"},
    ]
)
DIMENSION_CONDITIONS = st.builds(
    lambda dimension, test, values: {
        "kind": "dimension", "dimension": dimension, "test": test, "values": [] if test == "is empty" else values if test == "one of" else values[:1],
    },
    st.sampled_from(["source", "medium", "entry_page", "visitor_kind", "page", "event"]),
    st.sampled_from(["is", "is not", "one of", "contains", "starts with", "regular expression", "is empty"]),
    st.lists(st.sampled_from(["/", "/courses", "card", "direct", "c", "none", "new", "book", "never seen"]), min_size=1, max_size=3, unique=True),
)  # fmt: skip
NUMBER_CONDITIONS = st.builds(
    lambda of, test, than: {"kind": "number", "of": of, "test": test, "than": than},
    st.sampled_from(["views", "duration", "engaged", "number", "value"]), st.sampled_from("=≠<≤>≥"), st.sampled_from([0, 1, 2, 1.5, 300]),
)  # fmt: skip
DID_CONDITIONS = st.builds(
    lambda match, test, times: {"kind": "did", "match": match, "test": test, "times": times},
    MATCHES, st.sampled_from(["at least", "at most", "exactly"]), st.integers(0, 3),
)  # fmt: skip
ORDER_CONDITIONS = st.builds(
    lambda steps, within, directly: {"kind": "in order", "steps": steps, "within_minutes": within, "directly_next": directly},
    st.lists(MATCHES, min_size=2, max_size=3), st.sampled_from([None, 1, 5, 40, 2000]), st.booleans(),
)  # fmt: skip
ONE_HIT_CONDITIONS = st.builds(
    lambda found: {"kind": "group", "of": "one hit", "conditions": found}, st.lists(DIMENSION_CONDITIONS, max_size=3),
)  # fmt: skip
CONDITIONS = st.recursive(
    ONE_HIT_CONDITIONS | DIMENSION_CONDITIONS | NUMBER_CONDITIONS | DID_CONDITIONS | ORDER_CONDITIONS,
    lambda inner: (
        st.builds(lambda of, found: {"kind": "group", "of": of, "conditions": found}, st.sampled_from(["all", "any", "none"]), st.lists(inner, max_size=3))
        | st.builds(lambda of, one: {"kind": "segment", "segment": {"of": of, "where": {"conditions": [one]}}}, st.sampled_from(["visits", "people"]), inner)
    ),
    max_leaves=5,
)  # fmt: skip
SEGMENTS = st.builds(
    lambda of, group, found: {"of": of, "where": {"of": group, "conditions": found}},
    st.sampled_from(["visits", "people"]), st.sampled_from(["all", "any", "none"]), st.lists(CONDITIONS, max_size=3),
)  # fmt: skip


def with_props(hits):
    """Every second event has a number of places, some of them as a text."""
    places = ['{"places": 1}', None, '{"places": 2}', '{"places": "1"}']
    return [one | {"props": places[one["seq"] % 4]} if one["kind"] == "event" else one for one in hits]


@given(hit_lists(), SEGMENTS, st.sampled_from((1, 1, 11)), st.integers(9, 13), st.integers(0, 4))
@settings(max_examples=30)
def test_any_segment_agrees_with_the_oracle(hits, segment, count, first, length):
    hits = with_props(hits)
    start, stop = first * DAY, (first + 1 + length) * DAY
    asked = ReportFilter(start, stop, BOOKED, (Segment.model_validate(segment),), BOOKED)
    [mine] = reading_of(hits, count=count).tally(asked, GroupBy(columns=COLUMNS))
    within = fitting(segment, visits_of(hits, rules(), REFERENCE), start, stop, booked)
    theirs = figures(within, start, stop, booked).get("", dict.fromkeys(COLUMNS, 0))
    assert mine.frame.select(sorted(COLUMNS)).row(0, named=True) == {name: theirs[name] for name in sorted(COLUMNS)}


# Anna sees flour, then a course, and books. Ben sees the course, then flour; the next day he books at once.
STORY = numbered(
    [
        hit(0, url=HOME + "flour", visitor="anna"),
        hit(10 * MINUTE, url=HOME + "courses", visitor="anna"),
        hit(15 * MINUTE, "event", name="book", value=30, visitor="anna"),
        hit(0, url=HOME + "courses", visitor="ben"),
        hit(MINUTE, url=HOME + "flour", visitor="ben"),
        hit(DAY, "event", name="book", value=20, visitor="ben"),
    ]
)


def visits_in(*conditions, of="visits", group="all", **more):
    segment = {"of": of, "where": {"of": group, "conditions": list(conditions)}}
    return ask_table(reading_of(STORY), BOOKED, segment=segment, last="1970-01-02", **more).total.values["visits"]


def in_order(*steps, within=None):
    return {"kind": "in order", "steps": list(steps), "within_minutes": within}


BOOK = {"kind": "event", "names": ["book"]}


def is_(dimension, value):
    return {"kind": "dimension", "dimension": dimension, "test": "is", "values": [value]}


def one_hit(*conditions):
    return {"kind": "group", "of": "one hit", "conditions": list(conditions)}


def test_what_holds_in_one_hit_holds_for_the_same_hit():
    story = numbered([*STORY, hit(20 * MINUTE, "event", name="book", url=HOME + "flour", visitor="ben")])
    both = [is_("page", "/flour"), is_("event", "book")]
    reading = reading_of(story)

    def found(*conditions, of="visits"):
        return ask_table(reading, BOOKED, segment={"of": of, "where": {"conditions": list(conditions)}}, last="1970-01-02").total.values["visits"]

    assert (found(*both), found(one_hit(*both)), found(one_hit(*both), of="people")) == (2, 1, 2)
    assert found(one_hit(is_("page", "/courses"), is_("visitor_kind", "new"))) == 2
    assert found(one_hit(is_("event", "book"), {"kind": "dimension", "dimension": "page", "test": "is not", "values": ["/flour"]})) == 2
    assert found(one_hit()) == 3
    with pytest.raises(ValidationError, match="only conditions on dimensions"):
        found(one_hit(in_order(BOOK, BOOK)))
    with pytest.raises(ValidationError, match="a group of its own"):
        Segment.model_validate({"where": one_hit(*both)})


def test_in_order_minds_the_order_and_the_time_from_first_to_last():
    assert visits_in(in_order(view("/flour"), view("/courses"))) == 1
    assert visits_in(in_order(view("/flour"), view("/courses"), BOOK, within=15)) == 1
    assert visits_in(in_order(view("/flour"), view("/courses"), BOOK, within=14.9)) == 0
    assert visits_in(in_order(view("/courses"), BOOK)) == 1
    assert visits_in(in_order(view("/courses"), BOOK), of="people") == 3
    assert visits_in(in_order(view("/courses"), BOOK, within=60), of="people") == 1
    assert visits_in(in_order(view("/flour"), view("/flour"))) == 0


def test_a_person_is_in_with_all_visits_and_a_visit_alone():
    saw = {"kind": "did", "match": view("/flour")}
    assert (visits_in(saw), visits_in(saw, of="people")) == (2, 3)
    worth = {"kind": "number", "of": "value", "test": "≥", "than": 30}
    assert (visits_in(worth), visits_in(worth, of="people")) == (1, 1)
    second = {"kind": "number", "of": "number", "test": ">", "than": 1}
    assert (visits_in(second), visits_in(second, of="people"), visits_in(second, of="people", group="none")) == (1, 2, 1)


@given(hit_lists(), SEGMENTS, st.sampled_from((1, 11)))
@settings(max_examples=25)
def test_what_each_condition_leaves_is_what_the_segment_without_the_others_holds(hits, segment, count):
    reading = reading_of(with_props(hits), count=count)
    where = segment["where"]

    def size(conditions):
        group = {"of": where["of"] if conditions else "all", "conditions": conditions}
        asked = {"period": {"first": "1970-01-10", "last": "1970-01-13"}, "goal": 1, "segment": {"of": segment["of"], "where": group}}
        return segment_size(reading, SegmentSizeRequest.model_validate(asked), {1: BOOKED})

    def held(conditions):
        return getattr(size(conditions).held, segment["of"])

    whole, every = size(where["conditions"]), where["conditions"]
    assert [(one.left, one.alone, one.without) for one in whole.conditions] == [
        (held(every[: place + 1]), held([every[place]]), held(every[:place] + every[place + 1 :])) for place in range(len(every))
    ]
    assert len(whole.course) == len(whole.at) == 4
    if segment["of"] == "visits":
        assert sum(whole.course) == whole.held.visits


def test_saved_segments_stand_in_for_what_they_are():
    bookers = Segment.model_validate({"of": "people", "where": {"conditions": [{"kind": "did", "match": BOOK}]}})
    twice = Segment.model_validate(
        {"where": {"conditions": [{"kind": "saved", "id": 1}, {"kind": "dimension", "dimension": "page", "test": "is", "values": ["/flour"]}]}}
    )
    saved = {1: bookers, 2: twice}
    found = resolved(Segment.model_validate({"where": {"of": "none", "conditions": [{"kind": "saved", "id": 2}]}}), saved)
    assert visits_in(*found.model_dump()["where"]["conditions"], group="none") == 1
    assert saved_in(twice.where) == {1}
    with pytest.raises(UnfitSegmentError, match="no such segment"):
        resolved(twice, {})
    with pytest.raises(UnfitSegmentError, match="used in itself"):
        resolved(twice, {1: twice})
    deep = {number: Segment.model_validate({"where": {"conditions": [{"kind": "saved", "id": number + 1}]}}) for number in range(1, 9)} | {9: bookers}
    with pytest.raises(UnfitSegmentError, match="at most 5 deep"):
        resolved(deep[1], deep)
    many = Segment.model_validate({"where": {"conditions": [{"kind": "did", "match": BOOK}] * 40}})
    with pytest.raises(UnfitSegmentError, match="at most 60 conditions"):
        resolved(Segment.model_validate({"where": {"conditions": [{"kind": "saved", "id": 1}, {"kind": "saved", "id": 2}]}}), {1: many, 2: many})


def test_groups_that_are_empty():
    assert [visits_in(group=of) for of in ("all", "none", "any")] == [3, 3, 0]


def test_a_column_has_a_segment_of_its_own_within_that_of_the_report():
    flour, books = ({"where": {"conditions": [{"kind": "did", "match": match}]}} for match in (view("/flour"), BOOK))
    columns = [{"id": "all", "measure": "visits"}, {"id": "booked", "measure": "visits", "segment": books}, {"id": "worth", "measure": "value"}]
    total = ask_table(reading_of(STORY), BOOKED, last="1970-01-02", columns=columns).total
    assert total.values == {"all": 3, "booked": 2, "worth": 50}
    within = ask_table(reading_of(STORY), BOOKED, last="1970-01-02", columns=columns, segment=flour).total
    assert within.values == {"all": 2, "booked": 1, "worth": 30}


def test_masks_are_worked_out_once():
    shard = reading_of(STORY).shards.main[0]
    segment = Segment.model_validate({"where": {"conditions": [{"kind": "did", "match": BOOK}]}})
    asked = ReportFilter(0, 2 * DAY, None, (segment,))
    read = reading_of(STORY)
    read.tally(asked, GroupBy(columns=frozenset({"visits"})))
    again = read.shards.main[0]
    with pytest.MonkeyPatch.context() as patch:
        patch.setattr("upper_compass.core.engine.segments._mask", lambda *_, **__: pytest.fail("worked out again"))
        read.tally(asked, GroupBy(columns=frozenset({"views"})))
        with pytest.raises(pytest.fail.Exception):
            reading_of(STORY).tally(asked, GroupBy(columns=frozenset({"views"})))
    assert len(again.derived.visits) == len(shard.derived.visits) == 3


DEEP = {"kind": "group", "of": "all", "conditions": []}
for _ in range(6):
    DEEP = {"kind": "group", "of": "all", "conditions": [DEEP]}


@pytest.mark.parametrize(
    ("conditions", "said"),
    [
        ([{"kind": "dimension", "dimension": "page", "test": "is", "values": ["a", "b"]}], "do not go together"),
        ([{"kind": "dimension", "dimension": "page", "test": "is empty", "values": ["a"]}], "do not go together"),
        ([{"kind": "dimension", "dimension": "page", "test": "regular expression", "values": ["("]}], "cannot be read"),
        ([{"kind": "did", "match": {"kind": "event"}}], "name the event"),
        ([{"kind": "did", "match": {"kind": "view", "names": ["x"]}}], "only events have names"),
        ([{"kind": "did", "match": BOOK, "times": -1}], "greater than or equal to 0"),
        ([{"kind": "in order", "steps": [BOOK]}], "at least 2"),
        ([{"kind": "in order", "steps": [BOOK] * 11}], "at most 10"),
        ([{"kind": "in order", "steps": [BOOK, BOOK], "within_minutes": 0}], "greater than 0"),
        ([{"kind": "number", "of": "views", "test": "is", "than": 1}], "'='"),
        ([{"kind": "number", "of": "views", "test": "=", "than": float("nan")}], "finite number"),
        ([{"kind": "tide"}], "does not match any of the expected tags"),
        ([{"kind": "did", "match": BOOK}] * 61, "at most 60"),
        ([{"kind": "group", "conditions": [{"kind": "did", "match": BOOK}] * 40}] * 2, "at most 60 conditions"),
        ([DEEP], "at most 5 deep"),
    ],
)
def test_segments_that_make_no_sense_are_refused(conditions, said):
    with pytest.raises(ValidationError) as caught:
        Segment.model_validate({"where": {"conditions": conditions}})
    assert said in str(caught.value)
