"""The contract of tables: nested dimensions, conditions on rows, order both ways, pages, several goals, courses of single rows."""

from zoneinfo import ZoneInfo

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from pydantic import ValidationError

from tests.core.asking import UTC, asked, by_row, reading_of, shard_set
from tests.core.building import DAY, HOME, MINUTE, hit, numbered
from tests.core.strategies import hit_lists
from upper_compass.core.definitions.goals import Goal
from upper_compass.core.definitions.requests import SeriesRequest, TableRequest
from upper_compass.core.engine.context import ReportContext
from upper_compass.core.engine.kept import Kept
from upper_compass.core.reports.tables import series, table

pytestmark = pytest.mark.usefixtures("early_years")
BOOKED = Goal.model_validate({"match": {"kind": "event", "names": ["book"]}, "counts": "every time", "value": {"kind": "hit"}})
BOUGHT = Goal.model_validate({"match": {"kind": "order"}, "value": {"kind": "order"}})
GOALS = {1: BOOKED, 2: BOUGHT}
MAIL = "?utm_source=letter&utm_medium=email&utm_campaign="

# Four visits by two campaigns of one mail, one by card; each sees a page, one of them two.
HITS = numbered(
    [
        hit(0, url=f"{HOME}a{MAIL}spring", visitor="1"),
        hit(1, url=HOME + "b", visitor="1"),
        hit(2, "event", name="book", value=9, url=HOME + "b", visitor="1"),
        hit(0, url=f"{HOME}a{MAIL}spring", visitor="2"),
        hit(0, url=f"{HOME}b{MAIL}winter", visitor="3"),
        hit(5, "order", value=20, url=HOME + "b", visitor="3"),
        hit(0, url=f"{HOME}c?via=card", visitor="4"),
    ]
)


def ask(read=None, **more):
    request = TableRequest.model_validate({"period": {"first": "1970-01-01", "last": "1970-01-01"}, "goal": 1} | asked(**more))
    return by_row(table(read or reading_of(HITS), request, GOALS))


def keys(result):
    return [row.keys for row in result.rows]


def test_a_row_is_opened_into_three_dimensions_of_the_visit_and_of_the_hit():
    dimensions = ["source", "campaign", "page"]
    assert [(row.keys, row.values["visits"]) for row in ask(dimensions=dimensions[:1]).rows] == [(["letter"], 3), (["card"], 1)]
    inner = ask(dimensions=dimensions[:2], parents=["letter"])
    assert [(row.keys, row.values["visits"]) for row in inner.rows] == [(["letter", "spring"], 2), (["letter", "winter"], 1)]
    assert (inner.total.values["visits"], inner.count) == (4, 2)
    pages = ask(dimensions=dimensions, parents=["letter", "spring"])
    assert [(row.keys[2], row.values["visits"]) for row in pages.rows] == [("/a", 2), ("/b", 1)]
    assert ask(dimensions=dimensions[:2], parents=["never"]).rows == []


def test_what_a_row_of_three_dimensions_is_made_of_is_a_fourth_below_it():
    dimensions = ["source", "campaign", "page", "visit_number"]
    parts = ask(dimensions=dimensions, parents=["letter", "spring", "/a"])
    assert [(row.keys, row.values["visits"]) for row in parts.rows] == [(["letter", "spring", "/a", "1"], 2)]
    with pytest.raises(ValidationError, match="at most three dimensions are taken, and a fourth below parents"):
        ask(dimensions=dimensions)


def test_a_parent_of_the_hit_holds_for_the_same_hit():
    read = ask(dimensions=["page", "event"], parents=["/b"], measures=["times", "people"])
    assert [(row.keys, row.values["times"]) for row in read.rows] == [(["/b", "book"], 1)]
    assert ask(dimensions=["page", "event"], parents=["/a"], measures=["times"]).rows == []
    whole = ask(dimensions=["page", "event"], measures=["times", "people"])
    assert whole.rows
    for row in whole.rows:  # one row alone is what it is among all
        [alone] = ask(dimensions=["page", "event"], parents=row.keys, measures=["times", "people"]).rows
        assert (alone.keys, alone.values) == (row.keys, row.values)


def test_rows_are_searched_and_have_conditions():
    by_page = {"dimensions": ["page"], "measures": ["views", "visits"]}
    assert keys(ask(where=[{"of": "page", "test": "contains", "value": "b"}], **by_page)) == [["/b"]]
    assert keys(ask(where=[{"of": "page", "test": "regular expression", "value": "[bc]$"}], **by_page)) == [["/b"], ["/c"]]
    assert keys(ask(where=[{"of": "views", "test": "≥", "value": 2}, {"of": "page", "test": "contains", "value": "a"}], **by_page)) == [["/a"]]
    found = ask(where=[{"of": "views", "test": "<", "value": 2}], **by_page)
    assert (keys(found), found.count, found.total.values["views"]) == ([["/c"]], 1, 5)


def test_rows_are_sorted_by_any_column_both_ways_and_told_by_pages():
    def told_of(**more):
        return [row.keys[0] for row in ask(dimensions=["page"], measures=["views", "conversions"], **more).rows]

    assert told_of(sort="views") == ["/a", "/b", "/c"]
    assert told_of(sort="views", descending=False) == ["/c", "/a", "/b"]
    assert told_of(sort="page", descending=True) == ["/c", "/b", "/a"]
    assert told_of(sort="conversions") == ["/a", "/b", "/c"]
    assert [told_of(sort="views", limit=1, offset=place) for place in range(4)] == [["/a"], ["/b"], ["/c"], []]


@given(hit_lists(), st.integers(0, 6), st.integers(1, 4), st.booleans(), st.sampled_from(["views", "conversion_rate", "page"]))
@settings(max_examples=25)
def test_pages_are_parts_of_the_whole(hits, offset, limit, descending, sort):
    read = reading_of(hits)

    def rows(**more):
        found = {"dimensions": ["page"], "measures": ["views", "conversion_rate"], "sort": sort, "descending": descending} | more
        request = TableRequest.model_validate({"period": {"first": "1970-01-10", "last": "1970-01-15"}, "goal": 1} | asked(**found))
        return table(read, request, GOALS)

    whole, part = rows(), rows(offset=offset, limit=limit)
    assert part.rows == whole.rows[offset : offset + limit]
    assert [one.values for one in part.columns] == [one.values[offset : offset + limit] for one in whole.columns]
    by_hand = sorted(whole.rows) if sort == "page" else None
    assert by_hand is None or whole.rows == by_hand[:: -1 if descending else 1]


def test_several_goals_stand_in_one_table():
    columns = [{"id": "visits", "measure": "visits"}]
    columns += [{"id": f"{what} {goal}", "measure": what, "goal": goal} for what in ("conversions", "value", "conversion_rate") for goal in (1, 2)]
    by_campaign = {row.keys[0]: row.values for row in ask(dimensions=["campaign"], columns=columns).rows}
    assert by_campaign["spring"] == {
        "visits": 2, "conversions 1": 1, "conversions 2": 0, "value 1": 9, "value 2": 0, "conversion_rate 1": 0.5, "conversion_rate 2": 0
    }  # fmt: skip
    assert (by_campaign["winter"]["conversions 2"], by_campaign["winter"]["value 2"]) == (1, 20)
    alone = ask(dimensions=["campaign"], columns=[{"id": "x", "measure": "conversions", "goal": 2}])
    assert keys(alone) == [["winter"]]


def test_single_rows_have_a_course():
    hits = [*HITS, hit(DAY, url=f"{HOME}a{MAIL}winter", visitor="9", seq=8)]
    request = SeriesRequest.model_validate(
        {"period": {"first": "1970-01-01", "last": "1970-01-02"}, "dimensions": ["source", "campaign"]}
        | asked(rows=[["letter", "winter"], ["card", "spring"], ["letter", "spring"]], versus="before")
    )
    found = series(reading_of(hits), request, {})
    assert [(course.row[1], course.columns[0].values) for course in found.courses] == [("winter", [1, 1]), ("spring", [0, 0]), ("spring", [2, 0])]
    assert found.courses[0].columns[0].before == [0, 0]
    assert found.columns[0].values == [4, 1]


class Counting:
    """A runner that counts the shards it was given, and hands over tallies as another process would."""

    def __init__(self, runner):
        self.runner, self.shards = runner, 0

    def run(self, shards, questions):
        self.shards += len(shards)
        return self.runner.run(shards, questions)


def test_a_longer_list_another_order_and_another_page_cost_no_tally():
    read = ReportContext(reading_of(HITS, count=3).shards, UTC, Kept(10**6))
    counting = Counting(read.runner)
    read = ReportContext(read.shards, UTC, read.kept, counting)
    ask(read, dimensions=["page"], measures=["views"])
    assert counting.shards == 3
    for more in ({"limit": 1}, {"sort": "page"}, {"offset": 1}, {"where": [{"of": "views", "test": ">", "value": 1}]}):
        ask(read, dimensions=["page"], measures=["views"], **more)
    assert counting.shards == 3
    ask(ReportContext(shard_set(read.shards.main), UTC, read.kept, counting), dimensions=["page"], measures=["views"])
    assert counting.shards == 6


def test_the_same_question_about_the_same_data_has_the_answer_of_before_and_no_other_has():
    shards = reading_of(HITS, count=3).shards
    read = ReportContext(shards, UTC, Kept(10**6))
    request = TableRequest.model_validate({"period": {"first": "1970-01-01", "last": "1970-01-01"}, "goal": 1} | asked(["value"], dimensions=["source"]))
    first = table(read, request, GOALS)
    assert table(ReportContext(shards, UTC, read.kept), request.model_copy(deep=True), dict(GOALS)) is first
    fresh = {
        "another order": lambda: table(read, request.model_copy(update={"descending": False}), GOALS),
        "a goal that was changed": lambda: table(read, request, GOALS | {1: BOUGHT}),
        "another report": lambda: series(read, SeriesRequest.model_validate(request.model_dump(include={"period", "versus", "goal", "columns"}) | {"bucket": "day"}), GOALS),
        "another time zone": lambda: table(ReportContext(shards, ZoneInfo("Asia/Tokyo"), read.kept), request, GOALS),
        "other data": lambda: table(ReportContext(shard_set(shards.main), UTC, read.kept), request, GOALS),
        "room for none": lambda: table(ReportContext(shards, UTC, Kept(0)), request, GOALS),
    }  # fmt: skip
    told = {name: answer() for name, answer in fresh.items()}
    assert all(one is not first for one in told.values())
    assert told["a goal that was changed"].total != first.total and told["other data"] == first == told["room for none"]
    small = Kept(10)
    assert table(ReportContext(shards, UTC, small), request, GOALS) == first and small.size == 0


def test_a_report_of_very_many_rows_of_equal_rank_is_in_order():
    hits = [hit(i * MINUTE // 100, url=f"{HOME}{i:04}", visitor=str(i)) for i in range(3000)]
    found = ask(reading_of(numbered(hits), count=5), dimensions=["page"], measures=["views"], limit=3, offset=1000)
    assert (keys(found), found.count) == ([["/1000"], ["/1001"], ["/1002"]], 3000)
