"""Intervals of credited shares: visitors drawn anew, the same wherever they are drawn, whose shares lie about those that are told."""

import numpy as np
import polars as pl
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from pydantic import ValidationError

from tests.core.asking import reading_of
from tests.core.building import DAY, HOME, MINUTE, hit, numbered
from tests.core.crediting import BOOKED, column, rows_of, table_of
from tests.core.strategies import hit_lists
from upper_compass.core.definitions.periods import Period
from upper_compass.core.definitions.requests import Column
from upper_compass.core.engine.context import question
from upper_compass.core.engine.credits import Crediting, Credits
from upper_compass.core.engine.dimensions import DIMENSIONS
from upper_compass.core.engine.replicates import REPLICATES, replicates, seeded, times_drawn

pytestmark = pytest.mark.usefixtures("early_years")
DAYS = Period.model_construct(first=np.datetime64("1970-01-11").item(), last=np.datetime64("1970-01-12").item())
MODELS = st.sampled_from(["first touch", "last touch", "linear", "every touch", "on the spot"])


def drawn(visitor):
    return np.array([times_drawn(seeded(pl.Series([visitor])), i)[0] for i in range(len(REPLICATES))])


def replicated(reading, dimension, model):
    """{value: the credit of each replicate}, and the whole of each."""
    by = Credits((DIMENSIONS[dimension],), crediting=Crediting(model))
    [tally] = reading.tally(question(reading, DAYS, (), goal=BOOKED), replicates(by))
    rows = {(row["key_0"], row["is_whole"]): np.array([row[name] for name in REPLICATES]) for row in tally.as_texts().frame.iter_rows(named=True)}
    return {value: row for (value, is_whole), row in rows.items() if not is_whole and row.max() > 1e-9}, rows[("", 1)]


@settings(max_examples=12)
@given(hit_lists(), st.sampled_from(["source", "page"]), MODELS)
def test_a_replicate_is_the_credit_of_each_visitor_as_often_as_they_are_drawn(hits, dimension, model):
    hits = [one | {"name": "book"} if one["kind"] == "event" else one for one in hits]
    theirs, whole = {}, np.zeros(len(REPLICATES))
    for visitor in {one["visitor"] for one in hits}:
        own, total = rows_of(reading_of([one for one in hits if one["visitor"] == visitor]), [dimension], [column(model=model)])
        whole += drawn(visitor) * (total[0] or 0)
        for (value,), (credit,) in own.items():
            theirs[value] = theirs.get(value, 0) + credit * drawn(visitor)
    for shards in (1, 3):
        ours, of_all = replicated(reading_of(hits, count=shards), dimension, model)
        # What rows tell has nine decimals, and is drawn several times of several visitors.
        assert ours == {value: pytest.approx(row, abs=1e-7) for value, row in theirs.items() if row.max() > 1e-9}
        assert of_all == pytest.approx(whole)


def test_what_is_credited_to_no_touch_is_drawn_too():
    hits = numbered([hit(10 * DAY, "event", visitor=visitor, name="book") for visitor in ("one", "other")])
    ours, of_all = replicated(reading_of(hits), "file", "linear")  # of hits that are about no file
    assert list(ours) == [""]
    for found in (ours[""], of_all):
        assert found == pytest.approx(drawn("one") + drawn("other"))


def test_who_is_drawn_is_like_poisson_and_the_same_for_the_same_visitor():
    seeds = seeded(pl.Series([f"v{i}" for i in range(2_000)]))
    times = np.array([times_drawn(seeds, i) for i in range(len(REPLICATES))]).T
    assert times.mean() == pytest.approx(1, abs=0.01) and times.var() == pytest.approx(1, abs=0.02)
    assert (times == 0).mean() == pytest.approx(np.exp(-1), abs=0.005)
    assert np.corrcoef(times[:, 0], times[:, 1])[0, 1] == pytest.approx(0, abs=0.08)
    assert np.array_equal(times[5], drawn("v5"))


def bookings(count, share):
    """So many people who book once, a share of them by mail."""
    hits = []
    for i in range(count):
        url = f"{HOME}?utm_source={'letter' if i < count * share else 'post'}&utm_medium=x"
        hits += [hit(10 * DAY + i * MINUTE, visitor=str(i), url=url), hit(10 * DAY + i * MINUTE + 1, "event", visitor=str(i), name="book", url=url)]
    return numbered(hits)


def test_a_share_lies_within_an_interval_as_wide_as_chance_and_only_where_it_is_asked_for():
    asked = [column(model="linear", with_interval=True), column("value", model="linear")]
    found = table_of(reading_of(bookings(400, 0.25)), ["source"], asked)
    credit, value = found.columns
    place = found.rows.index(["letter"])
    spread = 1.96 * np.sqrt(0.25 * 0.75 / 400)
    assert credit.share_low[place] == pytest.approx(0.25 - spread, abs=0.015)
    assert credit.share_high[place] == pytest.approx(0.25 + spread, abs=0.015)
    assert value.share_low is None
    below = table_of(reading_of(bookings(40, 0.25)), ["medium", "source"], asked[:1], parents=["x"])
    assert len(below.columns[0].share_low) == len(below.rows) == 2
    empty = table_of(reading_of([]), ["source"], asked[:1])
    assert empty.rows == [] and not empty.columns[0].share_low


def test_of_very_many_rows_the_first_have_an_interval():
    hits = []
    for i in range(600):
        url = f"{HOME}p{i}"
        hits += [hit(10 * DAY + i * MINUTE, visitor=str(i), url=url), hit(10 * DAY + i * MINUTE + 1, "event", visitor=str(i), name="book", url=url)]
    [found] = table_of(reading_of(numbered(hits)), ["page"], [column(model="linear", with_interval=True)]).columns
    assert (len(found.values), sum(one is not None for one in found.share_low)) == (600, 500)


@pytest.mark.parametrize("more", [{"measure": "value", "model": "linear"}, {"measure": "conversions", "model": "removal effect"}, {"measure": "conversions"}])
def test_what_has_no_interval_is_refused(more):
    with pytest.raises(ValidationError, match="interval"):
        Column.model_validate({"id": "c", "with_interval": True} | more)
