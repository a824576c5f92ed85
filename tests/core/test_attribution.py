"""Conversions credited to values by every model, held against one conversion after the other; credits add up, also those of a robot."""

import itertools
import json

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from pydantic import ValidationError

from tests.core.asking import reading_of
from tests.core.building import DAY, HOME, MINUTE, REFERENCE, hit, numbered, rules
from tests.core.crediting import BOOKED, PERIOD, column, rows_of
from tests.core.oracle import conversions_of, page_of, visits_of
from tests.core.strategies import hit_lists
from upper_compass.core.definitions.attribution import PositionBased, TimeDecay
from upper_compass.core.definitions.requests import Column, SeriesRequest
from upper_compass.core.engine.credit_kernels import Stretches, time_decay
from upper_compass.core.reports.credited import CreditedRequest
from upper_compass.core.reports.credited import credited as behind
from upper_compass.core.reports.tables import series
from upper_compass.core.reports.touch_sequences import SequencesRequest, touch_sequences

pytestmark = pytest.mark.usefixtures("early_years")
START, STOP = 10 * DAY, 12 * DAY
OF_VISIT = {
    "source": lambda visit: visit.source[0],
    "medium": lambda visit: visit.source[1],
    "entry_page": lambda visit: page_of(visit.views[0]["url"]) if visit.views else "",
}
OF_HIT = {"page": lambda one: page_of(one["url"]), "event": lambda one: one.get("name") or "", "file": lambda one: ""}
MODELS = st.one_of(
    st.sampled_from(["first touch", "last touch", "linear", "every touch", "on the spot"]),
    st.tuples(*[st.sampled_from([0, 20, 40, 1.5])] * 3).filter(any).map(lambda w: {"kind": "position based", "first": w[0], "between": w[1], "last": w[2]}),
    st.sampled_from([0.01, 0.5, 7]).map(lambda days: {"kind": "time decay", "half_life_days": days}),
)
REACHES = st.sampled_from(["own visit", 1, 2, 30])


def order(one):
    """Hits of one moment go in the order in which they arrived."""
    return one["at"], one["seq"]


def touches_before(visits, dimension, converted, within, reach, *, counts_direct):
    """(moment, value) of each touch of a conversion in a visit, by the text of the rules. `within`: the visit of the conversion."""
    reached = [
        visit
        for visit in visits
        if visit.visitor == within.visitor and not visit.excluded and order(visit.hits[0]) <= order(converted)
        and (visit is within if reach == "own visit" else visit.start >= converted["at"] - reach * DAY)
    ]  # fmt: skip
    if dimension in OF_VISIT:
        others = [visit for visit in reached if counts_direct or visit.source[:2] != ("direct", "none")] or reached
        return [(visit.start, OF_VISIT[dimension](visit)) for visit in others]
    found = []
    for visit in reached:
        before = itertools.takewhile(lambda one: order(one) <= order(converted), visit.hits)
        valued = [(one["at"], OF_HIT[dimension](one)) for one in before if OF_HIT[dimension](one)]
        found += [first for i, first in enumerate(valued) if i == 0 or valued[i - 1][1] != first[1]]
    return found


def weights_of(model, moments):
    """What each touch is worth of one conversion."""
    n = len(moments)
    match model:
        case "first touch":
            return [1.0] + [0.0] * (n - 1)
        case "last touch":
            return [0.0] * (n - 1) + [1.0]
        case "linear":
            return [1 / n] * n
        case {"kind": "position based", "first": a, "between": b, "last": c}:
            raw = [1.0] if n == 1 else ([a, c] if a + c else [1, 1]) if n == 2 else [a, *[b / (n - 2)] * (n - 2), c]
            return [one / sum(raw) for one in raw] if sum(raw) else [0.5, *[0.0] * (n - 2), 0.5]
        case {"half_life_days": days}:
            raw = [2.0 ** ((moment - moments[-1]) / (days * DAY)) for moment in moments]
            return [one / sum(raw) for one in raw]


def credited(visits, dimension, model, reach, goal, *, counts_direct):
    """{value: [conversions, value]}; an empty value is also what no touch is credited with."""
    found = {}
    for visit in visits:
        for converted, worth in goal(visit) if not visit.excluded else []:
            if not START <= converted["at"] < STOP:
                continue
            if model == "on the spot":
                shares = {(OF_VISIT[dimension](visit) if dimension in OF_VISIT else OF_HIT[dimension](converted)): 1.0}
            else:
                touches = touches_before(visits, dimension, converted, visit, reach, counts_direct=counts_direct)
                shares = {} if touches else {"": 1.0}
                weights = [1.0] * len(touches) if model == "every touch" else weights_of(model, [moment for moment, _ in touches]) if touches else []
                for (_, value), weight in zip(touches, weights, strict=True):
                    shares[value] = 1.0 if model == "every touch" else shares.get(value, 0.0) + weight
            for value, share in shares.items():
                got = found.setdefault((value,), [0.0, 0.0])
                got[0] += share
                got[1] += share * worth
    return {key: tuple(figures) for key, figures in found.items()}


def booked(visit):
    return conversions_of(visit, lambda one: one["kind"] == "event" and one["name"] == "book", False, lambda one: one.get("value") or 0)


def rye(visit):
    def worth(one):
        lines = json.loads(one.get("items") or "[]")
        return sum(line.get("quantity", 1) * line["price"] for line in lines if (line.get("sku") or line.get("name")) == "rye")

    return conversions_of(visit, lambda one: one["kind"] == "order" and not one.get("repeated") and "rye" in (one.get("items") or ""), False, worth)


def telling(rows):
    return {key: row for key, row in rows.items() if any(abs(one) > 1e-9 for one in row)}


@given(hit_lists(), st.booleans(), st.sampled_from([*OF_VISIT, *OF_HIT]), MODELS, REACHES, st.booleans(), st.booleans(), st.sampled_from([1, 3]))
@settings(max_examples=80)
def test_any_credit_is_that_of_one_conversion_after_the_other(hits, all_book, dimension, model, reach, counts_direct, of_product, shards):
    hits = [one | {"name": "book"} if all_book and one["kind"] == "event" else one for one in hits]
    more = {"model": model, "reach": reach, "counts_direct": counts_direct} | ({"product": "rye"} if of_product else {})
    goal = rye if of_product else booked
    ours, total = rows_of(reading_of(hits, count=shards), [dimension], [column(**more), column("value", **more)])
    visits = visits_of(hits, rules(), REFERENCE)
    theirs = credited(visits, dimension, model, reach, goal, counts_direct=counts_direct)
    assert {key: pytest.approx(row, rel=1e-9, abs=1e-9) for key, row in telling(ours).items()} == telling(theirs)
    counted = [worth for visit in visits if not visit.excluded for one, worth in goal(visit) if START <= one["at"] < STOP]
    assert total == [len(counted), pytest.approx(sum(counted))]
    if model != "every touch":  # credits add up to the conversions, and so does their worth
        assert [sum(row[i] for row in ours.values()) for i in (0, 1)] == pytest.approx(total, rel=1e-9)


@given(hit_lists(), st.sampled_from([["source", "medium"], ["source", "page"], ["page", "event"], ["page", "source"]]), MODELS, REACHES)
@settings(max_examples=30)
def test_a_breakdown_groups_the_same_touches_more_finely(hits, dimensions, model, reach):
    reading, columns = reading_of(hits), [column(model=model, reach=reach), column("value", model=model, reach=reach)]
    both, _ = rows_of(reading, dimensions, columns)
    whole, _ = rows_of(reading, dimensions[:1], columns)
    for parent, figures in whole.items():
        below, _ = rows_of(reading, dimensions, columns, parents=list(parent))
        assert {key: pytest.approx(row) for key, row in telling(below).items()} == telling({key: row for key, row in both.items() if key[:1] == parent})
        if model not in ("every touch", "on the spot"):
            # Each of them, and their sum, is told to a thousand-millionth.
            assert [sum(row[i] for row in below.values()) for i in (0, 1)] == pytest.approx(figures, abs=1e-9 * (len(below) + 1))


@given(hit_lists(), st.sampled_from([["source", "medium"], ["page", "event"], ["source", "page"], ["page", "source"]]), MODELS, MODELS, REACHES, st.booleans())
@settings(max_examples=50)
def test_children_share_out_by_another_model_what_their_parent_is_credited(hits, dimensions, model, model_below, reach, both):
    reading, plain = reading_of(hits), {"reach": reach, "model": model}
    columns = [column(**plain, model_below=model_below), column("value", **plain, model_below=model_below), *([column(id="plain", **plain)] if both else [])]
    parents, _ = rows_of(reading, dimensions[:1], [column(**plain), column("value", **plain)])
    for parent, whole in parents.items():
        above, _ = rows_of(reading, dimensions, [column(**plain), column("value", **plain)], parents=list(parent))
        below, _ = rows_of(
            reading, dimensions, [column(**plain | {"model": model_below}), column("value", **plain | {"model": model_below})], parents=list(parent)
        )
        found, _ = rows_of(reading, dimensions, columns, parents=list(parent))
        for place in (0, 1):
            of = sum(row[place] for row in below.values())
            theirs = {key: row[place] * whole[place] / of for key, row in below.items()} if abs(of) > 1e-9 else {key: row[place] for key, row in above.items()}
            ours = {key: row[place] for key, row in found.items()}
            assert {key: ours.get(key, 0) for key in ours | theirs} == pytest.approx({key: theirs.get(key, 0) for key in ours | theirs}, abs=1e-9)
        if both:  # a column beside them without another model below stays as it is
            assert {key: row[2] for key, row in found.items() if row[2]} == pytest.approx({key: row[0] for key, row in above.items() if row[0]})


@given(hit_lists(), st.sampled_from([["source"], ["page"], ["source", "medium"], ["page", "source"]]), MODELS, REACHES, st.booleans(), st.sampled_from([1, 3]))
@settings(max_examples=60)
def test_each_credit_is_made_of_the_conversions_behind_it(hits, dimensions, model, reach, counts_direct, shards):
    reading, more = reading_of(hits, count=shards), {"model": model, "reach": reach, "counts_direct": counts_direct}
    rows, total = rows_of(reading, dimensions, [column(**more), column("value", **more)])
    for key, (credit, value) in rows.items():
        asked = {"period": PERIOD, "goal": 1, "column": column(**more), "dimensions": dimensions, "values": list(key), "limit": 100}
        found = behind(reading, CreditedRequest.model_validate(asked), {1: BOOKED})
        assert len(found.conversions) == found.count <= total[0]
        assert sum(one.credit for one in found.conversions) == pytest.approx(credit, abs=1e-9)
        assert sum(one.credit * one.worth for one in found.conversions) == pytest.approx(value, abs=1e-9)
        for one in found.conversions:
            assert len(one.told) == one.touches and one.credit == pytest.approx(sum(touch.weight for touch in one.told if touch.own) if one.told else 1)
            if one.told and model != "every touch":
                assert sum(touch.weight for touch in one.told) == pytest.approx(1)
            assert [touch.at for touch in one.told] == sorted(touch.at for touch in one.told)


@given(hit_lists(), st.sampled_from([*OF_VISIT, "page", "event"]), REACHES, st.booleans(), st.sampled_from([1, 3]))
@settings(max_examples=50)
def test_sequences_of_touches_are_those_of_one_conversion_after_the_other(hits, dimension, reach, counts_direct, shards):
    asked = {"period": PERIOD, "goal": 1, "column": column(model="linear", reach=reach, counts_direct=counts_direct), "dimension": dimension, "limit": 100}
    found = touch_sequences(reading_of(hits, count=shards), SequencesRequest.model_validate(asked), {1: BOOKED})
    visits = visits_of(hits, rules(), REFERENCE)
    theirs = {}
    for visit in visits:
        for converted, worth in booked(visit) if not visit.excluded else []:
            if START <= converted["at"] < STOP:
                touches = touches_before(visits, dimension, converted, visit, reach, counts_direct=counts_direct)
                seconds = (converted["at"] - touches[0][0]) / 1000 if touches else None
                theirs.setdefault((tuple(value for _, value in touches[-12:]), len(touches) > 12), []).append((worth, seconds))
    ours = {(tuple(one.values), one.has_more): (one.conversions, one.value, one.median) for one in found.sequences}
    told = {key: (len(of), pytest.approx(sum(worth for worth, _ in of)), sorted(s for _, s in of)[(len(of) - 1) // 2]) for key, of in theirs.items() if key[0]}
    assert ours == told
    assert found.conversions == sum(map(len, theirs.values())) == sum(one.conversions for one in found.lengths)
    by_length = {}
    for (values, _), of in theirs.items():
        by_length[len(values)] = by_length.get(len(values), 0) + len(of)
    assert {one.touches: one.conversions for one in found.lengths if one.touches < 12} == {length: count for length, count in by_length.items() if length < 12}


def test_the_touches_of_a_robot_are_told_from_both_ends():
    hits = [hit(11 * DAY - (500 - i) * MINUTE, visitor="robot", url=f"{HOME}p{i}") for i in range(500)]
    hits += [hit(11 * DAY, "event", visitor="robot", name="book", url=HOME)]
    asked = {"period": PERIOD, "goal": 1, "column": column(model="linear"), "dimensions": ["page"], "values": ["/p0"]}
    [one] = behind(reading_of(numbered(hits)), CreditedRequest.model_validate(asked), {1: BOOKED}).conversions
    assert (one.touches, len(one.told), one.credit) == (501, 40, pytest.approx(1 / 501))
    assert ([one.told[0].value, one.told[-1].value], one.told[0].own) == (["/p0", "/"], True)
    [whole] = behind(reading_of(numbered(hits)), CreditedRequest.model_validate(asked | {"values": []}), {1: BOOKED}).conversions
    assert (whole.credit, all(touch.own for touch in whole.told)) == (pytest.approx(1), True)


@pytest.mark.parametrize(
    ("more", "says"), [({"column": {"id": "c", "measure": "conversions"}}, "without a model"), ({"values": ["a", "b"]}, "a value of each")]
)
def test_what_has_no_credit_is_refused(more, says):
    asked = {"period": PERIOD, "goal": 1, "column": column(model="linear"), "dimensions": ["page"], "values": ["/p0"]}
    with pytest.raises(ValidationError, match=says):
        CreditedRequest.model_validate(asked | more)


def test_credits_over_time_are_those_of_each_day():
    hits = [hit((10 + day) * DAY + at, visitor="1", url=f"{HOME}{'ab'[at > 0]}?via=card") for day in (0, 1) for at in (0, MINUTE)]
    hits += [hit((10 + day) * DAY + 2 * MINUTE, "event", visitor="1", name="book", value=5) for day in (0, 1)]
    request = {
        "period": PERIOD, "versus": "none", "goal": 1, "columns": [column(model="linear", reach=1)], "bucket": "day", "dimensions": ["page"], "rows": [["/a"], ["/b"]],
    }  # fmt: skip
    found = series(reading_of(numbered(hits)), SeriesRequest.model_validate(request), {1: BOOKED})
    # The booking's own page is a touch as well: of three touches a third each, then of those of both days.
    assert [course.columns[0].values for course in found.courses] == [pytest.approx([1 / 3, 1 / 3]), pytest.approx([1 / 3, 1 / 3])]
    assert found.columns[0].values == [1, 1]


@pytest.mark.parametrize("model", ["linear", "every touch", PositionBased().model_dump(), TimeDecay(half_life_days=0.5).model_dump()])
@pytest.mark.parametrize("dimension", ["source", "page"])
def test_a_robot_of_very_many_visits_and_conversions_does_not_stop_it(model, dimension):
    count, bookings = 100_000, 2_000
    hits = [hit(i * 40 * MINUTE // 40, visitor="robot", url=f"{HOME}p{i % 7}?utm_source=s{i % 5}&utm_medium=email") for i in range(count)]
    hits += [hit(11 * DAY + i * 1000, "event", visitor="robot", name="book", value=3, url=HOME) for i in range(bookings)]
    ours, total = rows_of(reading_of(numbered(hits)), [dimension], [column(model=model, reach=30), column("value", model=model, reach=30)])
    assert total[0] == bookings
    if model != "every touch":
        assert [sum(row[i] for row in ours.values()) for i in (0, 1)] == pytest.approx(total, rel=1e-9)
    else:
        assert {row[0] for row in ours.values()} == {bookings}


@given(st.integers(0, 2**32 - 1))
@settings(max_examples=30)
def test_what_fades_is_shared_out_whatever_the_half_life_and_however_long_ago(seed):
    """Touches over a year with half-lives from minutes to years, against the plain sum for each conversion."""
    dice = np.random.default_rng(seed)
    days = float(10 ** dice.uniform(-3, 3))
    sizes = dice.integers(1, 60, dice.integers(1, 5))
    visitors = np.repeat(np.arange(len(sizes)), sizes)
    times = np.concatenate([np.sort(dice.integers(0, 365 * DAY, size)) for size in sizes])
    ends = np.cumsum(sizes)
    stretches = []
    for begin, end in zip(ends - sizes, ends, strict=True):
        stops = np.sort(dice.integers(begin + 1, end + 1, dice.integers(0, 8)))
        firsts = np.maximum.accumulate(np.array([dice.integers(begin, stop) for stop in stops], int)) if len(stops) else stops
        stretches += list(zip(np.minimum(firsts, stops - 1), stops, strict=True))
    if not stretches:
        return
    first, stop = (np.array(one) for one in zip(*stretches, strict=True))
    amounts = dice.uniform(0.1, 1000, len(first))
    ours = time_decay(TimeDecay(half_life_days=days), Stretches(first, stop), amounts, len(times), visitors, times)
    theirs = np.zeros(len(times))
    for begin, end, amount in zip(first, stop, amounts, strict=True):
        with np.errstate(under="ignore"):
            raw = np.exp2((times[begin:end] - times[end - 1]) / (days * DAY))
        theirs[begin:end] += amount * raw / raw.sum()
    assert ours == pytest.approx(theirs, rel=1e-9, abs=1e-9 * amounts.sum())


@pytest.mark.parametrize(
    ("more", "says"),
    [
        ({"counts_direct": True}, "goes with a model"),
        ({"reach": 30}, "goes with a model"),
        ({"model": "linear", "reach": 0}, "greater than or equal to 1"),
        ({"model": "linear", "reach": 366}, "less than or equal to 365"),
        ({"model": {"kind": "position based", "first": 0, "between": 0, "last": 0}}, "more than nothing"),
        ({"model": {"kind": "position based", "first": -1}}, "greater than or equal to 0"),
        ({"model": {"kind": "time decay", "half_life_days": 0}}, "greater than or equal to 0.001"),
        ({"model": "last click"}, "every touch"),
    ],
)
def test_a_model_or_reach_that_makes_no_sense_is_refused(more, says):
    with pytest.raises(ValidationError, match=says):
        Column.model_validate(column(**more))
