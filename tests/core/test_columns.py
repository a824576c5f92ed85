"""Columns that count a product, and columns credited by a model, side by side with others."""

from collections import Counter

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from pydantic import ValidationError

from tests.core.asking import ask_table, reading_of
from tests.core.building import DAY, HOME, hit, numbered, rules
from tests.core.crediting import BOOKED, PERIOD, column, rows_of
from tests.core.strategies import hit_lists
from upper_compass.core.definitions.requests import Column, TableRequest
from upper_compass.core.engine.dimensions import UnknownNameError
from upper_compass.core.reports.tables import table

pytestmark = pytest.mark.usefixtures("early_years")


@given(hit_lists(), st.sampled_from(["channel", "entry_page", "device"]), st.sampled_from(["every touch", "on the spot"]))
@settings(max_examples=25)
def test_by_a_dimension_of_the_visit_its_own_visit_is_the_only_touch(hits, dimension, model):
    reading = reading_of(hits)
    plain, total = rows_of(reading, [dimension], [column()])
    by_model, total_by_model = rows_of(reading, [dimension], [column(model=model, reach="own visit")])
    assert (plain, total) == (by_model, total_by_model)


@given(hit_lists(), st.sampled_from(["every touch", "on the spot"]))
@settings(max_examples=25)
def test_rows_that_are_opened_are_those_of_all_dimensions_at_once(hits, model):
    reading, columns = reading_of(hits), [column(model=model), column("value", model=model)]
    both, _ = rows_of(reading, ["source", "page"], columns)
    for source in {key[0] for key in both}:
        below, _ = rows_of(reading, ["source", "page"], columns, parents=[source])
        assert below == {key: row for key, row in both.items() if key[0] == source}
    spot = Counter()
    for (source, _), (times, _) in both.items():
        spot[source] += times
    if model == "on the spot":
        whole, _ = rows_of(reading, ["source"], [column(model=model)])
        assert spot == {key[0]: row[0] for key, row in whole.items()}


HITS = numbered(
    [
        hit(10 * DAY, visitor="1", url=f"{HOME}a?via=card"),
        hit(10 * DAY + 1, "event", visitor="1", url=f"{HOME}b", name="book", value=5),
        hit(10 * DAY + 2, "order", visitor="1", url=f"{HOME}paid", value=13, currency="EUR", items='[{"sku":"rye","quantity":2,"price":4}]'),
        hit(10 * DAY + 3, "order", visitor="2", url=f"{HOME}paid", value=9, currency="USD", items='[{"sku":"rye","price":4}]'),
        hit(10 * DAY + 4, "order", visitor="3", url=f"{HOME}paid", value=9, currency="JPY", items='[{"sku":"rye","price":4}]'),
    ]
)


def test_a_goal_a_product_and_models_stand_side_by_side():
    reading = reading_of(HITS, rules(rates={"USD": 0.5}))
    columns = [
        column("visits"), column(id="goal"), column(id="spot", model="on the spot"), column(id="rye", product="rye"),
        column("value", product="rye"), column("conversion_rate", product="rye"), column(id="never", product="spelt"),
    ]  # fmt: skip
    rows, total = rows_of(reading, ["page"], columns)
    assert rows == {
        ("/a",): (1, 1, 0, 1, 8, 1, 0), ("/b",): (1, 1, 1, 1, 8, 1, 0), ("/paid",): (3, 0, 0, 3, 10, 1, 0),
    }  # fmt: skip
    assert total == [3, 1, 1, 3, 10, 1, 0]  # what has no rate is worth nothing, and is told of


def test_amounts_of_a_product_without_a_rate_are_told_of():
    request = {"period": PERIOD, "columns": [column("value", product="rye")], "dimensions": ["channel"]}
    result = table(reading_of(HITS, rules(rates={"USD": 0.5})), TableRequest.model_validate(request), {})
    assert [note.text for note in result.notes] == ["1 amount counts 0, because its currency has no rate in the site's settings."]


def test_rows_that_do_not_overlap_are_not_said_to():
    def notes(**more):
        return [one.kind for one in ask_table(HITS, BOOKED, first="1970-01-11", last="1970-01-12", dimensions=["page"], columns=[column(**more)]).notes]

    assert (notes(), notes(model="every touch"), notes(model="on the spot")) == (["overlap"], ["overlap"], [])


@pytest.mark.parametrize(
    ("more", "says"),
    [
        ({"product": "rye", "goal": 1}, "of a goal or of a product"),
        ({"product": ""}, "product"),
        ({"product": "x" * 201}, "200"),
    ],
)
def test_what_does_not_go_together_is_said(more, says):
    with pytest.raises(ValidationError, match=says):
        Column.model_validate(column(**more))


@pytest.mark.parametrize(
    "more", [{"measure": "visits", "product": "rye"}, {"measure": "visits", "model": "on the spot"}, {"measure": "revenue", "product": "rye"}]
)
def test_a_measure_that_no_model_or_product_has_a_say_in_is_refused(more):
    with pytest.raises(UnknownNameError, match="is not c"):
        rows_of(reading_of(HITS), ["page"], [column(**more)])
