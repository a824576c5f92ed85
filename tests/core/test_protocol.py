"""Tallies: each reducer, taking back, and what leaves the process."""

import pickle
from dataclasses import replace
from unittest.mock import patch

import polars as pl
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from tests.core.asking import UTC, ask_table, reading_of
from tests.core.building import DAY, HOME, MINUTE, hit, numbered
from tests.core.strategies import hit_lists
from upper_compass.core.dataset.coded_hits import Dictionary
from upper_compass.core.definitions.segments import Segment
from upper_compass.core.engine import values
from upper_compass.core.engine.context import ReportContext
from upper_compass.core.engine.dimensions import DIMENSIONS
from upper_compass.core.engine.merging import merge
from upper_compass.core.engine.protocol import PRESENCE, Tally, Threads, quantile, tallied
from upper_compass.core.engine.selection import ReportFilter
from upper_compass.core.engine.tally import GroupBy
from upper_compass.core.engine.visit_counts import VisitsByValue

pytestmark = pytest.mark.usefixtures("early_years")
REDUCERS = {"times": "sum", "first": "min", "last": "max", "spans": "counts", "name": "same", PRESENCE: "sum"}


def counted(labels, *rows, sign=1):
    codes = labels.encode(pl.Series([row[0] for row in rows]))
    spans = [[{"value": value, "times": times} for value, times in row[4].items()] for row in rows]
    frame = pl.DataFrame(
        {"key": codes, "times": [row[1] for row in rows], "first": [row[2] for row in rows], "last": [row[3] for row in rows], "spans": spans}
    ).with_columns(pl.lit("x").alias("name"), pl.col("times").alias(PRESENCE))
    return Tally(frame, {"key": labels}, REDUCERS, sign)


def rows_of(tally):
    found = tally.as_texts().frame.sort("key").to_dicts()
    return {row["key"]: (row["times"], row["first"], row["last"], {one["value"]: one["times"] for one in row["spans"]}, row["name"]) for row in found}


def test_every_reducer_brings_tallies_together():
    labels = Dictionary()
    one = counted(labels, ("a", 3, 10, 20, {1: 2, 5: 1}), ("b", 1, 7, 7, {2: 1}))
    other = counted(labels, ("a", 2, 5, 12, {5: 2}))
    assert rows_of(merge([one, other])) == {"a": (5, 5, 20, {1: 2, 5: 3}, "x"), "b": (1, 7, 7, {2: 1}, "x")}


def test_what_is_taken_back_is_gone_and_its_row_with_it():
    labels = Dictionary()
    whole = counted(labels, ("a", 3, 10, 20, {1: 2, 5: 1}), ("b", 1, 7, 7, {2: 1}))
    back = counted(labels, ("a", 2, 10, 15, {1: 2}), ("b", 1, 7, 7, {2: 1}), sign=-1)
    assert rows_of(merge([whole, back])) == {"a": (1, 10, 20, {5: 1}, "x")}


def test_fractions_that_cancel_each_other_leave_nothing():
    labels = Dictionary()

    def worth(amount, rows, sign=1):
        frame = pl.DataFrame({"key": labels.encode(pl.Series(["a"])), "value": [amount], PRESENCE: [rows]})
        return Tally(frame, {"key": labels}, {"value": "sum", PRESENCE: "sum"}, sign)

    parts = [worth(0.1, 1), worth(0.2, 1), worth(0.3, 1, -1), worth(5.0, 1), worth(5.0, 1, -1), worth(0.0, 1)]
    assert merge(parts).frame["value"].to_list() == [0.0]


@given(st.data(), st.integers(0, 3))
@settings(max_examples=60)
def test_sums_by_any_keys_are_those_of_a_plain_walk(data, count):
    """Also where a tally lacks a column, and where what some count is taken back; few rows and many are added up in different ways."""
    names = [f"key_{number}" for number in range(count)]
    one_key = st.tuples(*[st.integers(0, 5) | st.just(4_000_000_000)] * count)
    parts = data.draw(st.lists(st.tuples(st.dictionaries(one_key, st.integers(1, 9), min_size=0 if count else 1), st.booleans(), st.booleans()), min_size=2))
    tallies, expected, labels = [], {}, Dictionary()
    for number, (rows, is_back, has_half) in enumerate(parts):
        sign = -1 if is_back and number else 1
        columns = {name: pl.Series([key[place] for key in rows], dtype=pl.UInt32) for place, name in enumerate(names)}
        times = pl.Series(rows.values(), dtype=pl.Int64)
        half = {"half": times / 2} if has_half or not number else {}
        reducers = dict.fromkeys([*half, PRESENCE], "sum")
        tallies.append(Tally(pl.DataFrame(columns | half | {PRESENCE: times}), dict.fromkeys(names, labels), reducers, sign))
        for key, times in rows.items():
            was = expected.get(key, (0.0, 0))
            expected[key] = (was[0] + (sign * times / 2 if half else 0), was[1] + sign * times)
    if count and any(tally.sign < 0 for tally in tallies):
        expected = {key: told for key, told in expected.items() if told[1] > 0}
    for tallies_of in (
        tallies,
        [replace(tally, frame=tally.frame.with_columns(pl.lit(1).alias("most")), reducers=tally.reducers | {"most": "max"}) for tally in tallies],
    ):
        found = merge(tallies_of).frame
        assert {tuple(row[:-2]): tuple(row[-2:]) for row in found.select(*names, "half", PRESENCE).rows()} == expected


def test_counts_without_a_sign_are_taken_back():
    labels = Dictionary()

    def counting(times, sign):
        frame = pl.DataFrame({"key": labels.encode(pl.Series(["a"])), "times": pl.Series([times], dtype=pl.UInt32), PRESENCE: [times]})
        return Tally(frame, {"key": labels}, {"times": "sum", PRESENCE: "sum"}, sign)

    assert merge([counting(5, 1), counting(3, -1)]).frame["times"].to_list() == [2]


def test_a_tally_that_leaves_the_process_carries_texts_and_merges_with_codes():
    one = reading_of(numbered([hit(0, url=HOME + "a"), hit(1, url=HOME + "b")]))
    other = reading_of(numbered([hit(0, url=HOME + "b", visitor="b")]))
    by = GroupBy((DIMENSIONS["page"],), columns=frozenset({"views"}))
    here, there = (read.tally(ReportFilter(0, 10), by)[0] for read in (one, other))
    sent = pickle.loads(pickle.dumps(there))
    assert sent.frame["key_0"].to_list() == ["/b"]
    assert here.keys["key_0"] is not None
    both = merge([here, sent]).frame.sort("key_0")
    assert both.select("key_0", "views").rows() == [("/a", 1), ("/b", 2)]


class Elsewhere:
    """A runner whose tallies all come from another process."""

    def __init__(self, runner):
        self.runner = runner

    def run(self, shards, questions):
        return pickle.loads(pickle.dumps(self.runner.run(shards, questions)))


@pytest.mark.parametrize("dimensions", [["page"], ["source", "page"], []])
def test_another_runner_gives_the_same_report(dimensions):
    hits = numbered([hit(i, url=f"{HOME}{i % 3}?via={'ab'[i % 2]}", visitor=str(i)) for i in range(9)])
    here = reading_of(hits, count=3)
    there = ReportContext(here.shards, UTC, runner=Elsewhere(here.runner))
    more = {"dimensions": dimensions, "measures": ["visits", "views", "visitors"], "limit": 2}
    more |= {"where": [{"of": "page", "test": "contains", "value": "/"}]} if "page" in dimensions else {}
    assert ask_table(here, **more) == ask_table(there, **more)


def test_a_quantile_of_counted_values():
    counts = pl.Series(
        [[{"value": 1, "times": 3}, {"value": 4, "times": 1}], [], [{"value": 9, "times": 2}]], dtype=pl.List(pl.Struct({"value": pl.Int64, "times": pl.Int64}))
    )
    assert [quantile(counts, at).to_list() for at in (0.5, 0.75, 1.0)] == [[1, None, 9], [1, None, 9], [4, None, 9]]


def test_rows_are_tallied_by_their_keys():
    found = tallied(
        pl.DataFrame({"k": ["a", "b", "a"], "worth": [1.0, 2.0, 4.0], "at": [5, 6, 7]}), {"k": None}, sums=("worth",), maxima=("at",), count="times"
    )
    assert found.frame.sort("k").select("k", "worth", "at", "times", PRESENCE).rows() == [("a", 5.0, 7, 2, 2), ("b", 2.0, 6, 1, 1)]


@given(
    hit_lists(), st.lists(st.sampled_from(["source", "entry_page", "visitor_kind", "page", "event", "previous_page"]), min_size=1, unique=True),
    st.sampled_from([1, 3]), st.lists(st.integers(-3, 3 * DAY // MINUTE), min_size=2, max_size=5, unique=True).map(sorted), st.booleans(),
    st.sampled_from([1, values.AT_ONCE]),
)  # fmt: skip
@settings(max_examples=40)
def test_visits_by_value_over_time_are_those_of_a_breakdown(hits, named, count, minutes, is_narrowed, at_once):
    edges = tuple(10 * DAY + minute * MINUTE for minute in minutes)
    segments = (Segment.model_validate({"where": {"conditions": [{"kind": "number", "of": "views", "test": "≥", "than": 2}]}}),) if is_narrowed else ()
    ask = ReportFilter(edges[0], edges[-1], segments=segments)
    dimensions = tuple(DIMENSIONS[name] for name in named)
    with patch.object(values, "AT_ONCE", at_once):
        *slow, quick = reading_of(hits, count=count).tally(
            ask, *(GroupBy((one,), edges, columns=frozenset({"visits"})) for one in dimensions), VisitsByValue(dimensions, edges)
        )

    def rows(tally):
        return tally.as_texts().frame.filter(pl.col("visits") > 0)

    one_by_one = [(place, *row) for place, tally in enumerate(slow) for row in rows(tally).select("key_0", "bucket", "visits").rows()]
    assert sorted(rows(quick).select("dimension", "key_0", "bucket", "visits").rows()) == sorted(one_by_one)


def test_the_same_question_is_counted_once_however_often_it_is_asked():
    runs = []

    class Watched(Threads):
        def run(self, shards, questions):
            runs.append(len(questions))
            return super().run(shards, questions)

    read = replace(reading_of(numbered([hit(DAY), hit(DAY, visitor="b")])), runner=Watched(1))
    ask, visits = ReportFilter(0, 2 * DAY), GroupBy(columns=frozenset({"visits"}))
    found = read.tallies([(ask, visits), (ReportFilter(0, 2 * DAY), GroupBy(columns=frozenset({"visits"}))), (ask, GroupBy(columns=frozenset({"views"})))])
    assert (runs, [tally.frame.row(0, named=True).get("visits") for tally in found]) == ([2], [2, 2, None])
