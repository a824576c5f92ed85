"""Goals: what they match, how often they count, what they are worth."""

import pytest
from pydantic import ValidationError

from tests.core.building import DAY, HOME, MINUTE, hit, numbered, rules, shards_of
from upper_compass.core.definitions.goals import Goal


def counted(goal, *hits, **changes):
    """(row, value) of each conversion."""
    shard = shards_of(numbered(hits), rules(**changes))[0]
    found = shard.conversions(Goal.model_validate(goal))
    return list(zip(found.row.tolist(), found.value.tolist(), strict=True))


def on_page(test, pattern, **more):
    return {"match": {"kind": "view", "page": {"test": test, "value": pattern}}} | more


PAGES = [hit(i * 40 * MINUTE, url=HOME + page) for i, page in enumerate(["courses", "courses/rye", "Courses", "shop?x=courses"])]


@pytest.mark.parametrize(
    ("test", "pattern", "rows"),
    [
        ("is", "/courses", [0]),
        ("starts with", "/courses", [0, 1]),
        ("contains", "ourses", [0, 1, 2]),
        ("contains", "x=courses", []),
        ("regular expression", "^/courses/.+", [1]),
        ("regular expression", "s$", [0, 2]),
        ("regular expression", "(?i)courses", [0, 1, 2]),
    ],
)
def test_pages_are_matched_by_their_path_and_letter_case_counts(test, pattern, rows):
    assert [row for row, _ in counted(on_page(test, pattern), *PAGES)] == rows


def test_only_views_are_pages():
    assert counted(on_page("is", "/"), hit(0, "event", name="x"), hit(1, "order", value=2)) == []


def test_once_a_visit_is_the_first_match_of_each_visit():
    hits = [hit(0, "event", name="book", value=1), hit(1, "event", name="book", value=2), hit(DAY, "event", name="book", value=3)]
    goal = {"match": {"kind": "event", "names": ["book"]}, "value": {"kind": "hit"}}
    assert counted(goal, *hits) == [(0, 1), (2, 3)]
    assert counted(goal | {"counts": "every time"}, *hits) == [(0, 1), (1, 2), (2, 3)]


@pytest.mark.parametrize(
    ("test", "than", "rows"), [("≥", 18, [0, 2]), (">", 18, [2]), ("<", 18, [1, 3]), ("=", 0, [3]), ("≠", 9, [0, 2, 3]), ("≤", 1e12, [0, 1, 2, 3])]
)
def test_a_total_can_be_asked_for_in_the_sites_currency(test, than, rows):
    hits = [hit(0, "order", value=9, currency="USD"), hit(1, "order", value=9), hit(2, "order", value=50), hit(3, "order"), hit(4, "event", name="x", value=50)]
    goal = {"match": {"kind": "order", "value": {"test": test, "than": than}}, "counts": "every time"}
    assert [row for row, _ in counted(goal, *hits, rates={"USD": 2})] == rows
    with pytest.raises(ValidationError, match="no value"):
        Goal.model_validate({"match": {"kind": "view", "value": {"test": test, "than": than}}})


def test_values_are_none_fixed_of_the_hit_or_of_the_order():
    hits = [hit(0, "event", name="book", value=-2.5), hit(DAY, "event", name="book")]
    book = {"match": {"kind": "event", "names": ["book"]}}
    assert [value for _, value in counted(book, *hits)] == [0, 0]
    assert [value for _, value in counted(book | {"value": {"kind": "fixed", "amount": 7}}, *hits)] == [7, 7]
    assert [value for _, value in counted(book | {"value": {"kind": "hit"}}, *hits)] == [-2.5, 0]
    assert [value for _, value in counted(book | {"value": {"kind": "order"}}, *hits)] == [0, 0]
    bought = {"match": {"kind": "order"}, "value": {"kind": "order"}}
    assert counted(bought, hit(0, "order", value=9, currency="USD"), rates={"USD": 2}) == [(0, 18)]


def test_a_repeated_order_is_no_conversion():
    hits = [hit(0, "order", order_id="o", value=1), hit(DAY, "order", order_id="o", value=1), hit(2 * DAY, "order", value=1)]
    assert [row for row, _ in counted({"match": {"kind": "order"}}, *hits)] == [0, 2]


def test_a_goal_called_by_name_is_an_event_of_that_name():
    assert len(counted({"match": {"kind": "event", "names": ["Tasted"]}}, hit(0, "event", name="Tasted"), hit(DAY, "event", name="tasted"))) == 1


def test_every_condition_on_properties_must_hold():
    hits = [hit(i * DAY, "event", name="book", props=props) for i, props in enumerate(['{"a": 1, "b": "x"}', '{"a": 1}', '{"a": 2, "b": "x"}', '{"b": true}'])]

    def rows(*props):
        return [row for row, _ in counted({"match": {"kind": "event", "names": ["book"], "props": list(props)}}, *hits)]

    assert rows({"key": "a", "test": "=", "value": 1}, {"key": "b", "test": "is", "value": "x"}) == [0]
    assert rows({"key": "a", "test": "≠", "value": 1}) == [2, 3]  # the contrary of =, so it holds where there is no value
    assert rows({"key": "a", "test": "<", "value": 2}) == [0, 1]
    assert rows({"key": "b", "test": "is not", "value": "y"}) == [0, 1, 2, 3]
    assert rows({"key": "b", "test": "is", "value": "true"}) == [3]


def test_an_event_that_never_came_counts_nothing():
    assert counted({"match": {"kind": "event", "names": ["never"]}}, hit(0)) == []


@pytest.mark.parametrize(
    "wrong",
    [
        {"match": {"kind": "view", "page": {"test": "regular expression", "value": "("}}},
        {"match": {"kind": "view", "page": {"test": "is", "value": ""}}},
        {"match": {"kind": "event", "names": ["x"], "props": [{"key": "a", "test": "is", "value": 5}]}},
        {"match": {"kind": "event", "names": ["x"], "props": [{"key": "a", "test": "<", "value": "5"}]}},
        {"match": {"kind": "event", "names": ["a\x00b"]}},
        {"match": {"kind": "order"}, "value": {"kind": "fixed", "amount": float("inf")}},
        {"match": {"kind": "order"}, "counts": "twice"},
    ],
)
def test_goals_that_make_no_sense_are_refused(wrong):
    with pytest.raises(ValidationError):
        Goal.model_validate(wrong)
