"""Funnels equal an exhaustive search over all choices of hits: depth, lost, and the times of the one choice that is told."""

import itertools
import statistics
from collections import Counter

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from pydantic import ValidationError

from tests.core.asking import reading_of
from tests.core.building import DAY, HOME, MINUTE, REFERENCE, hit, numbered, rules
from tests.core.oracle import page_of, visits_of
from tests.core.segment_oracle import matches
from tests.core.strategies import crowds, hit_lists
from upper_compass.core.definitions.funnels import Funnel, FunnelRequest, FunnelSeriesRequest, FunnelSuggestionRequest
from upper_compass.core.reports.funnel import funnel, funnel_series
from upper_compass.core.reports.funnel_suggestion import funnel_suggestion

pytestmark = pytest.mark.usefixtures("early_years")
PERIOD = {"first": "1970-01-11", "last": "1970-01-12"}
START, STOP = 10 * DAY, 12 * DAY


def view(value=None, test="is"):
    return {"kind": "view", "page": {"test": test, "value": value} if value else None}


STEPS = st.sampled_from(
    [view(), view("/courses"), view("/", "contains"), view("c", "contains"), {"kind": "event", "names": ["book"]}, {"kind": "event", "names": ["book", "file download"]}, {"kind": "order"}]
)  # fmt: skip
FUNNELS = st.builds(
    lambda steps, units, window, directly: {"steps": steps, "units": units, "window_minutes": window, "directly_next": directly},
    st.lists(STEPS, min_size=2, max_size=4), st.sampled_from(["people", "visits"]), st.sampled_from([None, None, 1, 30, 31, 200]), st.booleans(),
)  # fmt: skip


def units_of(visits, by):
    """The hits in the period of each unit, in their order."""
    counted = [visit for visit in visits if not visit.excluded]
    if by == "visits":
        return [[one for one in visit.hits if START <= one["at"] < STOP] for visit in counted if START <= visit.start < STOP]
    found = []
    for person in sorted({visit.visitor for visit in counted}):
        hits = [one for visit in counted if visit.visitor == person for one in visit.hits if START <= one["at"] < STOP]
        found.append(sorted(hits, key=lambda one: (one["at"], one["seq"])))
    return found


def chosen(hits, asked):
    """The hits of the one choice that is told: of the greatest depth, with the earliest last hit, then the latest first, then the earliest others."""

    def fits(places):
        if asked["window_minutes"] and hits[places[-1]]["at"] - hits[places[0]]["at"] > asked["window_minutes"] * MINUTE:
            return False
        between = (hits[place]["kind"] == "view" for a, b in itertools.pairwise(places) for place in range(a + 1, b))
        return not (asked["directly_next"] and any(between))

    for depth in range(len(asked["steps"]), 0, -1):
        fitting = [[i for i, one in enumerate(hits) if matches(step, one)] for step in asked["steps"][:depth]]
        ways = [places for places in itertools.product(*fitting) if all(a < b for a, b in itertools.pairwise(places)) and fits(places)]
        if ways:
            return [hits[place] for place in min(ways, key=lambda places: (places[-1], -places[0], places[1:]))]
    return []


def figures_of(ways, count):
    reached = [sum(len(way) > step for way in ways) for step in range(count)]
    seconds = [sorted((way[step]["at"] - way[step - 1]["at"]) / 1000 for way in ways if len(way) > step) for step in range(1, count)]
    return reached, [None, *[statistics.median_low(found) if found else None for found in seconds]]


def next_of(way, hits, of_visits):
    """The page of the first view behind the last hit of a way, in its visit, of another page than that hit's; none where there is none."""
    last = way[-1]
    theirs = next(visit for visit in of_visits if any(one is last for one in visit.hits))
    behind = hits[next(i for i, one in enumerate(hits) if one is last) + 1 :]
    views = [one for one in behind if one["kind"] == "view" and any(one is other for other in theirs.hits)]
    return next((page_of(one["url"]) for one in views if page_of(one["url"]) != page_of(last["url"])), "")


def lost_of(ways, units, of_visits, count):
    """For each step but the last: how many left, and the pages that those who came no further saw next."""
    found = [Counter(next_of(way, hits, of_visits) for way, hits in zip(ways, units, strict=True) if len(way) == step) for step in range(1, count)]
    return [(pages.pop("", 0), dict(pages)) for pages in found]


@given(st.one_of(hit_lists(18), crowds), FUNNELS, st.booleans(), st.sampled_from([1, 3]))
@settings(max_examples=40)
def test_any_funnel_is_that_of_all_choices(hits, asked, at_once, shards):
    if at_once:  # many hits of one moment
        hits = [one | {"at": one["at"] - one["at"] % (4 * MINUTE)} for one in hits]
    of_visits = visits_of(hits, rules(), REFERENCE)
    units = units_of(of_visits, asked["units"])
    ways = [chosen(unit, asked) for unit in units]
    request = FunnelRequest.model_validate({"period": PERIOD, "versus": "none", "funnel": asked, "dimension": "page"})
    context = reading_of(hits, count=shards)
    found = funnel(context, request)
    assert [(one.left, {next_.page: next_.units for next_ in one.pages}) for one in found.lost_to] == lost_of(ways, units, of_visits, len(asked["steps"]))
    assert [sum(next_.units for next_ in one.pages) + one.left + one.elsewhere for one in found.lost_to] == found.whole.lost[1:]
    assert found.matched == [sum(any(matches(step, one) for one in unit) for unit in units) for step in asked["steps"]]
    course = funnel_series(context, FunnelSeriesRequest.model_validate({"period": PERIOD, "versus": "none", "funnel": asked}))
    by_day = [[way for way in ways if way and way[0]["at"] // DAY - 10 == day] for day in range(2)]
    assert course.reached == [[sum(len(way) > step for way in day) for day in by_day] for step in range(len(asked["steps"]))]
    assert [list(day) for day in zip(*course.median, strict=True)] == [figures_of(day, len(asked["steps"]))[1] for day in by_day]
    assert (found.whole.reached, found.whole.median) == figures_of(ways, len(asked["steps"]))
    by_page = {}
    for way in ways:
        if way:
            by_page.setdefault(page_of(way[0]["url"]), []).append(way)
    theirs = {page: figures_of(of, len(asked["steps"])) for page, of in by_page.items()}
    assert {value: (row.reached, row.median) for value, row in zip(found.values, found.rows, strict=True)} == theirs
    assert found.count == len(theirs)


BASKET, PAID = view("/basket"), {"kind": "order"}


def shopper(who, *pauses):
    """Somebody who sees the basket, the shop, the checkout and then pays, as far as there are pauses before each."""
    steps = [("view", "basket"), ("view", "shop"), ("view", "checkout"), ("order", "checkout")]
    at, hits = START, []
    for (kind, page), pause in zip(steps, pauses, strict=False):
        at += pause * MINUTE
        hits.append(hit(at, kind, visitor=who, url=HOME + page, user_agent=None))
    return hits


STORY = numbered([*shopper("anna", 0, 1, 2, 3), *shopper("ben", 0, 1, 4), *shopper("cleo", 0), *shopper("dora", 0, 1, 2, 20)])


def asked(*steps, last="1970-01-11", **more):
    given_ = {"period": {"first": "1970-01-11", "last": last}, "funnel": {"steps": list(steps)} | more}
    return funnel(reading_of(STORY), FunnelRequest.model_validate(given_)).whole


def test_each_step_says_who_reached_it_who_was_lost_and_how_long_it_took():
    told = asked(BASKET, view("/checkout"), PAID)
    assert (told.reached, told.lost, told.before) == ([4, 3, 2], [None, 1, 1], [0, 0, 0])
    assert (told.of_first, told.of_previous) == ([None, 0.75, 0.5], [None, 0.75, pytest.approx(2 / 3)])
    assert told.low[0] is None and told.low[1] < 0.75 < told.high[1]
    # From the basket to the checkout it took 3, 3 and 5 minutes, from there to paying 3 and 20.
    assert (told.quartile, told.median, told.upper_quartile) == ([None, 180, 180], [None, 180, 180], [None, 300, 1200])


def test_a_window_and_nothing_between_are_minded():
    assert asked(BASKET, view("/checkout"), PAID, window_minutes=6).reached == [4, 3, 1]
    assert asked(BASKET, view("/checkout"), directly_next=True).reached == [4, 0]
    assert asked(BASKET, view("/shop"), view("/checkout"), PAID, directly_next=True).reached == [4, 3, 3, 2]


def test_segments_side_by_side_are_each_a_funnel_of_their_own():
    shop = {"kind": "did", "match": view("/shop")}
    given_ = {"period": PERIOD, "funnel": {"steps": [BASKET, PAID]}, "beside": [{"where": {"of": of, "conditions": [shop]}} for of in ("all", "none")]}
    told = funnel(reading_of(STORY), FunnelRequest.model_validate(given_))
    assert [one.reached for one in told.beside] == [[3, 2], [1, 0]]
    assert told.matched == [4, 2] and [(one.left, one.pages[0].page, one.pages[0].units) for one in told.lost_to] == [(1, "/shop", 1)]


def test_the_way_to_a_hit_is_found_in_the_order_in_which_it_is_walked():
    paying = [one for n in range(12) for one in shopper(f"payer{n}", 0, 1, 2, 3)]
    thanked = [hit(one["at"], visitor=one["visitor"], url=f"{HOME}thanks", user_agent=None) for one in paying if one["kind"] == "order"]
    paying = [*(one | {"url": f"{HOME}thanks"} if one["kind"] == "order" else one for one in paying), *thanked]
    gazing = [one for n in range(30) for one in shopper(f"gazer{n}", 0, 1)[1:]]
    both = [hit(START, visitor=f"{who}{n}", url=HOME, user_agent=None) for who, count in (("payer", 12), ("gazer", 30)) for n in range(count)]
    asked_ = FunnelSuggestionRequest.model_validate({"period": PERIOD, "last": PAID})
    found = funnel_suggestion(reading_of(numbered([*both, *paying, *gazing])), asked_)
    # The home page and the shop are seen as much by those who only look, and the page on which they pay is no step to it.
    assert [step.page and step.page.value for step in found.steps] == ["/basket", "/checkout", None]
    assert found.visits == 12
    few = funnel_suggestion(reading_of(numbered([*both, *paying[:36], *gazing])), asked_)
    assert (few.steps, few.visits) == ([], 9)


def test_where_there_is_nobody_there_are_no_shares():
    told = asked(view("/nowhere"), PAID)
    assert (told.reached, told.of_first, told.of_previous, told.median, told.lost) == ([0, 0], [None, None], [None, None], [None, None], [None, 0])


def test_one_visitor_with_very_many_hits_does_not_stop_it():
    hits = numbered([hit(START + i * 1000, visitor="robot", url=f"{HOME}{'ab'[i % 2]}") for i in range(20_000)])
    for directly in (False, True):
        request = {"period": PERIOD, "funnel": {"steps": [view("/a"), view("/b")] * 5, "directly_next": directly}}
        assert funnel(reading_of(hits), FunnelRequest.model_validate(request)).whole.reached == [1] * 10


@pytest.mark.parametrize(
    "more", [{"steps": [PAID]}, {"steps": [PAID] * 11}, {"steps": [PAID, PAID], "window_minutes": 0}, {"steps": [PAID, PAID], "units": "hits"}]
)
def test_what_is_no_funnel_is_refused(more):
    with pytest.raises(ValidationError):
        Funnel.model_validate(more)
