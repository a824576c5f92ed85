"""Two groups held against each other: worked examples, the figures against a slow oracle, the statistics against a library and by hand."""

import math
from dataclasses import replace
from itertools import pairwise

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from pydantic import ValidationError
from scipy.optimize import minimize_scalar
from scipy.stats import chi2, chi2_contingency, false_discovery_control
from statsmodels.stats.proportion import confint_proportions_2indep

from tests.core.asking import reading_of
from tests.core.building import DAY, HOME, MINUTE, REFERENCE, hit, numbered, rules
from tests.core.oracle import figures, page_of, visits_of
from tests.core.segment_oracle import fitting
from tests.core.strategies import hit_lists
from tests.core.test_segments import BOOK, BOOKED, SEGMENTS, booked, view, with_props
from upper_compass.core.definitions.comparisons import CompareRequest
from upper_compass.core.engine.comparison import compared, own_dimensions
from upper_compass.core.engine.statistics import chi_square_p, corrected, koopman
from upper_compass.core.reports.compare import compare, groups_of

pytestmark = pytest.mark.usefixtures("early_years")
KEYS = {
    "source": {"key_of_visit": lambda visit: visit.source[0]},
    "visitor_kind": {"key_of_visit": lambda visit: "new" if visit.number == 1 else "returning"},
    "page": {"keys_of_hit": lambda one: page_of(one["url"])},
    "event": {"keys_of_hit": lambda one: one["name"] if one["kind"] == "event" else None},
}
EVERYBODY = {"where": {"conditions": []}}


def ask(read, **more):
    request = {"period": {"first": "1970-01-01", "last": "1970-01-01"}, "group": None, "limit": 1000} | more
    return compare(read, CompareRequest.model_validate(request), {1: BOOKED})


def rows_of(result):
    return {(d, v): (a, b) for d, v, a, b in zip(result.dimensions, result.values, result.a, result.b, strict=True)}


def both_kinds(read, **more):
    """All rows, those too few to say among them."""
    sure, few = ask(read, **more), ask(read, too_few=True, **more)
    assert (sure.count, sure.count_too_few, sure.tested) == (len(sure.values), len(few.values), len(sure.values) + len(few.values))
    return rows_of(sure) | rows_of(few) | {(one.dimension, one.value): (sure.sizes.a, 0) for one in sure.made_of}, sure.sizes


@given(
    hit_lists(), SEGMENTS, st.none() | SEGMENTS, st.none() | SEGMENTS, st.sampled_from(["people", "visits"]),
    st.sampled_from((1, 11)), st.integers(9, 12), st.integers(0, 4),
)  # fmt: skip
@settings(max_examples=20)
def test_any_comparison_agrees_with_the_oracle(hits, group, other, base, units, count, first, length):
    hits = with_props(hits)
    start, stop = first * DAY, (first + 1 + length) * DAY
    all_visits = visits_of(hits, rules(), REFERENCE)

    def having(*segments):
        found = fitting(EVERYBODY, all_visits, start, stop, booked)
        for segment in segments:
            if segment is not None:
                within = fitting(segment, all_visits, start, stop, booked)
                found = [visit for visit in found if visit in within]
        return found

    def sizes(visits):
        total = figures(visits, start, stop).get("", {"visits": 0, "visitors": 0})
        return total["visits" if units == "visits" else "visitors"]

    a, whole = having(base, group), having(base, other)
    inside = {visit.visitor for visit in a}
    rest = [visit for visit in whole if (visit not in a if units == "visits" else visit.visitor not in inside)]
    both = sizes(whole) - sizes(rest)
    b = rest if both == sizes(a) else whole
    column = "visits" if units == "visits" else "visitors"
    expected = {}
    for dimension, keys in KEYS.items():
        for place, visits in enumerate((a, b)):
            for value, found in figures(visits, start, stop, **keys).items():
                if found[column]:
                    expected.setdefault((dimension, value), [0, 0])[place] = found[column]
    period = {"first": f"1970-01-{first + 1:02}", "last": f"1970-01-{first + 1 + length:02}"}
    against = {"kind": "segment", "segment": other} if other else {"kind": "rest"}
    read = reading_of(hits, count=count)
    found, told = both_kinds(read, period=period, group=group, against=against, segment=base, units=units, dimensions=list(KEYS), goal=1)
    assert found == {key: tuple(pair) for key, pair in expected.items()}
    assert (told.a, told.b, told.both, told.is_rest) == (sizes(a), sizes(b), both, both == sizes(a))


@given(hit_lists(), SEGMENTS, st.sampled_from(["people", "visits"]), st.sampled_from((1, 11)), st.integers(9, 12), st.integers(0, 4))
@settings(max_examples=15)
def test_both_groups_at_once_are_what_tables_of_each_say_by_every_dimension(hits, group, units, count, first, length):
    read = reading_of(with_props(hits), count=count)
    period = {"first": f"1970-01-{first + 1:02}", "last": f"1970-01-{first + 1 + length:02}"}
    request = CompareRequest.model_validate({"period": period, "group": group, "units": units, "goal": 1})
    groups, dimensions = groups_of(read, request, {1: BOOKED}), own_dimensions(read)
    together = compared(read, groups, dimensions, units)
    apart = compared(read, replace(groups, whole=None), dimensions, units)
    assert together.sort("dimension", "value").equals(apart.sort("dimension", "value"))


def test_what_only_a_later_hit_of_a_visit_tells_is_counted_under_it():
    told = [("v1", 0, None), ("v1", MINUTE, "1 x 1"), ("v1", 100 * MINUTE, "2 x 2"), ("v2", 0, None), ("v2", MINUTE, "3 x 3"), ("v3", 0, "1 x 1")]
    hits = [hit(at, visitor=visitor, screen=screen) for visitor, at, screen in told] + [hit(2 * MINUTE, "event", name="book", visitor="v1")]
    found, _ = both_kinds(reading_of(numbered(hits)), group={"of": "people"} | BOOKERS, dimensions=["screen"])
    assert found == {("screen", "1 x 1"): (1, 1), ("screen", "2 x 2"): (1, 0), ("screen", "3 x 3"): (0, 1)}


def crowd(seen, booked_of, page="flour"):
    """People who all see the front page; so many of them a page; and of these, and of the others, so many book."""
    hits = []
    for number in range(100):
        who = f"p{number:03}"
        hits.append(hit(0, visitor=who))
        if number < seen:
            hits.append(hit(MINUTE, url=HOME + page, visitor=who))
        if number < booked_of[0] or seen <= number < seen + booked_of[1]:
            hits.append(hit(2 * MINUTE, "event", name="book", visitor=who))
    return reading_of(numbered(hits))


BOOKERS = {"where": {"conditions": [{"kind": "did", "match": BOOK}]}}


def test_bookers_are_held_against_the_rest_and_what_they_are_made_of_is_no_finding():
    read = crowd(40, (20, 6))
    found = ask(read, group=BOOKERS, dimensions=["page", "event"])
    assert (found.sizes.a, found.sizes.b, found.sizes.is_rest) == (26, 74, True)
    assert rows_of(found) == {("page", "/flour"): (20, 20), ("page", "/"): (26, 74)}
    assert [(one.dimension, one.value) for one in found.made_of] == [("event", "book")]
    at = found.values.index("/flour")
    assert at == 0  # the strongest evidence first
    assert found.ratio[at] == pytest.approx((20 / 26) / (20 / 74))
    assert (found.low[at], found.high[at]) == pytest.approx(confint_proportions_2indep(20, 26, 20, 74, compare="ratio", method="score", correction=False))
    assert found.p[at] == pytest.approx(chi2_contingency([[20, 6], [20, 54]], correction=False).pvalue)
    assert (found.p[1], found.ratio[1]) == (1, 1)
    assert found.corrected == pytest.approx(false_discovery_control(found.p))


def test_too_few_stand_apart_and_pages_of_rows_follow_each_other():
    read = crowd(8, (4, 10))
    sure, few = ask(read, group=BOOKERS, dimensions=["page"]), ask(read, group=BOOKERS, dimensions=["page"], too_few=True)
    assert (sure.values, sure.count, sure.count_too_few) == (["/"], 1, 1)
    assert (few.values, few.count) == (["/flour"], 1)  # 8 of 100 saw it: of 14 bookers 1.1 are expected to
    whole = ask(crowd(40, (20, 6)), group=BOOKERS, dimensions=["page"])
    parts = [ask(crowd(40, (20, 6)), group=BOOKERS, dimensions=["page"], limit=1, offset=i).values for i in range(3)]
    assert parts == [whole.values[:1], whole.values[1:], []]


def test_another_period_and_everybody():
    hits = [hit(day * DAY, visitor=f"v{day}{i}", url=HOME + ("flour" if i < wanted else "bread")) for day, wanted in ((0, 30), (1, 10)) for i in range(40)]
    read = reading_of(numbered(hits))
    before = {"first": "1970-01-02", "last": "1970-01-02"}
    found = ask(read, against={"kind": "period", "period": before}, dimensions=["page"])
    assert (found.sizes.a, found.sizes.b, found.sizes.both, found.against.first.isoformat()) == (40, 40, 0, "1970-01-02")
    assert rows_of(found) == {("page", "/flour"): (30, 10), ("page", "/bread"): (10, 30)}
    assert ask(read, dimensions=["page"]).sizes.b == 0  # everybody has no rest
    assert ask(read, dimensions=["page"]).ratio == [None] * ask(read, dimensions=["page"]).count


def test_groups_that_overlap_in_part_are_told():
    read = crowd(40, (20, 6))
    flour = {"where": {"conditions": [{"kind": "did", "match": view("/flour")}]}}
    found = ask(read, group=BOOKERS, against={"kind": "segment", "segment": flour}, dimensions=["page"])
    assert (found.sizes.a, found.sizes.b, found.sizes.both, found.sizes.is_rest) == (26, 40, 20, False)


def test_without_dimensions_all_that_tell_something_of_their_own():
    names = [dimension.name for dimension in own_dimensions(reading_of([], rules(fields=[{"key": "author", "title": "Author", "of": "hit"}])))]
    assert {"channel", "page", "device", "field.author"} <= set(names)
    assert not any(name.startswith("raw_") for name in names)
    found = ask(crowd(40, (20, 6)), group=BOOKERS)
    assert {"page", "entry_page", "channel"} <= set(found.dimensions)


def score(a, size_a, b, size_b, ratio):
    """Chi-square of the counts against the likeliest shares with this ratio, which are looked for one by one."""

    def unlikely(share):
        shares = ((a, size_a, ratio * share), (b, size_b, share))
        return -sum(hits * math.log(p) + (size - hits) * math.log1p(-p) for hits, size, p in shares)

    most = min(1, 1 / ratio) * (1 - 1e-9)
    share = minimize_scalar(unlikely, bounds=(1e-9, most), method="bounded", options={"xatol": 1e-12}).x
    return sum((hits - size * p) ** 2 / (size * p * (1 - p)) for hits, size, p in ((a, size_a, ratio * share), (b, size_b, share)))


@given(st.integers(1, 4000), st.integers(1, 4000), st.integers(0, 80), st.integers(0, 80))
@settings(max_examples=30)
def test_intervals_and_evidence_are_those_of_the_text_books(size_a, size_b, a, b):
    a, b = min(a, size_a), min(b, size_b)
    low, high = (float(edge[0]) for edge in koopman(np.array([float(a)]), size_a, np.array([float(b)]), size_b))
    p = chi_square_p(np.array([float(a)]), size_a, np.array([float(b)]), size_b)[0]
    if 0 < a < size_a and 0 < b < size_b:
        assert (low, high) == pytest.approx(confint_proportions_2indep(a, size_a, b, size_b, compare="ratio", method="score", correction=False), rel=1e-6)
        assert p == pytest.approx(chi2_contingency([[a, size_a - a], [b, size_b - b]], correction=False).pvalue, abs=1e-12)
    elif a or b:
        assert (low == 0, math.isinf(high)) == (a == 0, b == 0)
        for edge in (low, high):  # where the library is wrong, for all of a group have it
            assert edge == 0 or math.isinf(edge) or score(a, size_a, b, size_b, edge) == pytest.approx(chi2.ppf(0.95, 1), rel=1e-3)
    else:
        assert math.isnan(low) and math.isnan(high) and p == 1


def test_an_empty_group_has_no_interval_and_corrections_never_fall():
    none = np.zeros(1)
    assert np.isnan(koopman(np.ones(1), 5, none, 0)).all()
    assert chi_square_p(none, 0, np.ones(1), 5).tolist() == [1]
    p = np.array([0.01, 0.02, 0.03, 0.5])
    assert all(one <= other for one, other in pairwise(corrected(p)))
    assert corrected(np.empty(0)).tolist() == []


@pytest.mark.parametrize(
    ("more", "said"),
    [
        ({"dimensions": ["page", "page"]}, "asked for twice"),
        ({"dimensions": ["x"] * 81}, "at most 80"),
        ({"group": {"where": {"conditions": [{"kind": "did", "match": BOOK}] * 60}}, "segment": {"where": {"conditions": [{"kind": "did", "match": BOOK}] * 60}},
          "against": {"kind": "segment", "segment": BOOKERS}}, "at most 120 conditions together"),
        ({"against": {"kind": "tide"}}, "expected tags"),
    ],
)  # fmt: skip
def test_comparisons_that_make_no_sense_are_refused(more, said):
    with pytest.raises(ValidationError) as caught:
        ask(reading_of([]), **more)
    assert said in str(caught.value)
