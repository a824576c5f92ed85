"""Each measure once, by hand; intervals, chance, and two dimensions together."""

import numpy as np
import pytest

from tests.core.asking import ask_table, reading_of
from tests.core.building import HOME, MINUTE, hit, numbered
from upper_compass.core.definitions.goals import Goal
from upper_compass.core.engine.dimensions import DIMENSIONS
from upper_compass.core.engine.measures import MEASURES, measured_parts
from upper_compass.core.engine.statistics import is_significant, too_few, wilson

START = 1_772_323_200_000  # 1 March 2026, UTC
BOOKED = Goal.model_validate({"match": {"kind": "event", "names": ["book"]}, "counts": "every time", "value": {"kind": "hit"}})
SECOND = 1000

# Anna sees two pages and books twice; then comes back by a card and leaves at once. Ben sees one page. Cora buys without a view.
HITS = numbered(
    [
        hit(START, url=HOME, visitor="anna"),
        hit(START + 10 * SECOND, "engage", url=HOME, visitor="anna", engaged_ms=8000),
        hit(START + 20 * SECOND, url=HOME + "courses", visitor="anna"),
        hit(START + 40 * SECOND, "event", url=HOME + "courses", visitor="anna", name="book", value=30),
        hit(START + 60 * SECOND, "event", url=HOME + "courses", visitor="anna", name="book", value=20),
        hit(START + 60 * MINUTE, url=HOME + "courses?via=card", visitor="anna"),
        hit(START, url=HOME + "courses", visitor="ben"),
        hit(START + 4 * SECOND, "engage", url=HOME + "courses", visitor="ben", engaged_ms=4000),
        hit(START, "order", url=HOME + "shop", visitor="cora", value=12.5),
    ]
)


def ask(dimensions=(), measures=MEASURES, count=1, **more):
    return ask_table(reading_of(HITS, count=count), BOOKED, first="2026-03-01", last="2026-03-01", dimensions=list(dimensions), measures=measures, **more)


EXPECTED = {
    "visitors": 3,
    "visits": 4,
    "views": 4,
    "new_visitors": 3,
    "bounces": 2,
    "bounce_rate": 0.5,
    "views_per_visit": 1.0,
    "time_per_visit": (60 + 0 + 4 + 0) / 4,
    "engaged_per_visit": (8 + 0 + 4 + 0) / 4,
    "entries": 3,
    "exits": 3,
    "exit_rate": 1.0,
    "reached_later": 0,
    "entry_rate": 1.0,
    "time_on_page": 12 / 4,
    "people": 1,
    "times": 2,
    "event_value": 50,
    "conversions": 2,
    "converting_visits": 1,
    "converters": 1,
    "conversion_rate": 0.25,
    "people_conversion_rate": 1 / 3,
    "value": 50,
    "value_per_visit": 12.5,
    "orders": 1,
    "revenue": 12.5,
    "average_order": 12.5,
    "spend": 0,
}


@pytest.mark.parametrize("measure", list(MEASURES))
def test_a_measure_in_all(measure):
    assert ask(measures=[measure]).total.values[measure] == pytest.approx(EXPECTED[measure])


def test_every_measure_is_explained_and_its_parts_are_measures():
    assert set(EXPECTED) == set(MEASURES)
    for measure in MEASURES.values():
        assert measure.meaning.endswith(".")
        assert measure.formula
        assert set(measured_parts(measure)) <= set(MEASURES) - {measure.name}


@pytest.mark.parametrize("count", [1, 3])
def test_a_page_counts_what_happened_on_it_and_the_visits_that_saw_it(count):
    measures = ["views", "visits", "visitors", "entries", "exits", "exit_rate", "time_on_page", "times", "conversions", "orders", "bounce_rate"]
    rows = {row.keys[0]: row.values for row in ask(["page"], measures, count).rows}
    assert rows["/"] == {
        "views": 1,
        "visits": 1,
        "visitors": 1,
        "entries": 1,
        "exits": 0,
        "exit_rate": 0,
        "time_on_page": 8,
        "times": 0,
        "conversions": 2,
        "orders": 0,
        "bounce_rate": 0,
    }
    assert rows["/courses"] == {
        "views": 3,
        "visits": 3,
        "visitors": 2,
        "entries": 2,
        "exits": 3,
        "exit_rate": 1,
        "time_on_page": pytest.approx(4 / 3),
        "times": 2,
        "conversions": 2,
        "orders": 0,
        "bounce_rate": pytest.approx(2 / 3),
    }
    assert rows["/shop"]["orders"] == 1
    assert rows["/shop"]["exit_rate"] is None


def test_a_dimension_of_the_visit_and_one_of_the_hit_together():
    rows = {tuple(row.keys): row.values["visits"] for row in ask(["source", "page"], ["visits"]).rows}
    assert rows == {("direct", "/"): 1, ("direct", "/courses"): 2, ("card", "/courses"): 1, ("direct", "/shop"): 1}


def test_events_count_people_and_times():
    [row] = ask(["event"], ["people", "times", "visits"]).rows
    assert (row.keys, row.values) == (["book"], {"people": 1, "times": 2, "visits": 1})


def test_new_and_returning():
    rows = {row.keys[0]: row.values for row in ask(["visitor_kind"], ["visits", "new_visitors"]).rows}
    assert rows == {"new": {"visits": 3, "new_visitors": 3}, "returning": {"visits": 1, "new_visitors": 0}}


def test_sorting_by_a_measure_by_a_dimension_and_upwards():
    assert [row.keys[0] for row in ask(["page"], ["views"], sort="views").rows] == ["/courses", "/", "/shop"]
    assert [row.keys[0] for row in ask(["page"], ["views"], sort="page", descending=False).rows] == ["/", "/courses", "/shop"]
    assert [row.values["exit_rate"] for row in ask(["page"], ["exit_rate"], sort="exit_rate").rows][-1] is None


@pytest.mark.parametrize("dimension", list(DIMENSIONS))
def test_every_dimension_can_be_broken_down_by_and_narrowed_to(dimension):
    found = ask([dimension], ["visits"])
    for row in found.rows:
        narrowed = ask((), ["visits"], filters=[{"dimension": dimension, "values": row.keys}])
        assert narrowed.total.values["visits"] == row.values["visits"]


def test_wilson_by_the_book():
    low, high = wilson(np.array([10.0, 0.0, 3.0]), np.array([100.0, 10.0, 0.0]))
    assert [round(x, 4) for x in (low[0], high[0], low[1], high[1])] == [0.0552, 0.1744, 0.0, 0.2775]
    assert np.isnan(low[2])


def test_few_is_said_of_under_five_expected_either_way():
    assert too_few(np.array([49.0, 50.0]), 0.1).tolist() == [True, False]
    assert too_few(np.array([49.0, 51.0]), 0.9).tolist() == [True, False]
    # Every visit ends somewhere, so the exit rate of all pages together says nothing of that of one.
    assert too_few(np.array([9.0, 10.0]), 1.0).tolist() == too_few(np.array([9.0, 10.0]), 0.0).tolist() == [True, False]


@pytest.mark.parametrize(
    ("kind", "now", "before", "sure"),
    [
        ("count", (120.0,), (100.0,), False),
        ("count", (130.0,), (100.0,), True),
        ("count", (0.0,), (0.0,), False),
        ("share", (60.0, 1000.0), (40.0, 1000.0), True),
        ("share", (50.0, 1000.0), (40.0, 1000.0), False),
        ("share", (0.0, 0.0), (40.0, 1000.0), False),
        ("mean", (300.0, 1000.0, 100.0), (200.0, 500.0, 100.0), True),
        ("mean", (210.0, 900.0, 100.0), (200.0, 900.0, 100.0), False),
        ("sum", (1000.0, 50_000.0), (400.0, 20_000.0), True),
        ("sum", (1000.0, 500_000.0), (400.0, 200_000.0), False),
        ("none", (9.0,), (1.0,), False),
    ],
)
def test_what_is_beyond_chance(kind, now, before, sure):
    columns = [tuple(np.array([part]) for part in side) for side in (now, before)]
    assert bool(is_significant(kind, *columns)[0]) is sure
