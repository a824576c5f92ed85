"""Worth a look: each kind of finding on a small history made for it, silence where there is nothing, each thing once, dismissed ones away."""

from itertools import pairwise

import numpy as np
import pytest
from scipy import stats

from tests.core.asking import reading_of
from tests.core.building import DAY, HOME, MINUTE, hit, numbered
from upper_compass.core.definitions.goals import Goal
from upper_compass.core.engine.statistics import beyond_spread_p, binomial_p, poisson_p
from upper_compass.core.insights.looking import worth_a_look
from upper_compass.core.insights.models import InsightsRequest
from upper_compass.core.insights.moving import Windows

BOOKED = Goal.model_validate({"match": {"kind": "event", "names": ["book"]}})
WEEK = 7 * DAY
LETTER, CARD = "?utm_source=letter&utm_medium=email", "?utm_source=card&utm_medium=print"
pytestmark = pytest.mark.usefixtures("early_years")


class History:
    """Visits, each of a person of its own, some minutes apart within a day."""

    def __init__(self):
        self.hits = []

    def visits(self, day, count, *pages, booked=0, engaged=0, query="", **more):
        for one in range(count):
            who = {"visitor": f"v{len(self.hits)}", **more}
            at = day * DAY + 9 * 3_600_000 + one * MINUTE
            for step, page in enumerate(pages):
                self.hits.append(hit(at + step * 1000, url=f"{HOME}{page}{query if step == 0 else ''}", **who))
            if engaged:
                self.hits.append(hit(at + 20_000, "engage", engaged_ms=engaged, url=f"{HOME}{pages[0]}", **who))
            if one < booked:
                self.hits.append(hit(at + 30_000, "event", name="book", url=f"{HOME}{pages[-1]}", **who))
        return self

    def look(self, first=64, last=70, goal=True, count=1, **more):
        period = {"first": str(np.datetime64("1970-01-01") + first), "last": str(np.datetime64("1970-01-01") + last)}
        dismissed = more.pop("dismissed", ())
        asked = InsightsRequest.model_validate({"period": period, "goal": 1 if goal else None, **more})
        return worth_a_look(reading_of(numbered(self.hits), count=count), asked, {1: BOOKED}, dismissed)


def told(result):
    return [(one.kind, one.dimension, one.value) for one in result.insights]


def steady(days=range(1, 71), **values):
    history = History()
    for day in days:
        history.visits(day, 12, "a", **values).visits(day, 8, "b", query=LETTER, **values)
    return history


def test_silence_is_an_answer():
    found = steady().look()
    assert (found.insights, found.windows) == ([], 8)
    assert found.tried > 10


def test_what_grew_fell_stopped_and_is_new_is_told_with_its_course():
    history = steady(range(1, 64))
    for day in range(64, 71):
        history.visits(day, 12, "a").visits(day, 20, "b", query=LETTER).visits(day, 3, "a", query=CARD)
    found = history.look()
    assert {("grew", "source", "letter"), ("new", "source", "card")} <= {
        (one.kind, "source", "letter")
        if one.dimension in ("source", "medium", "channel", "entry_page") and one.kind == "grew"
        else (one.kind, one.dimension, one.value)
        for one in found.insights
    }
    new = next(one for one in found.insights if one.kind == "new")
    assert (new.a, new.a_of, new.b, new.course) == (21, 245, 0, [0, 0, 0, 0, 0, 0, 0, 0, 21])
    gone = steady(range(1, 64))
    for day in range(64, 71):
        gone.visits(day, 20, "a")
    kinds = {(one.kind, one.value) for one in gone.look().insights}
    assert kinds & {("stopped", value) for value in ("letter", "Email", "email", "/b")}


def test_a_young_site_has_nothing_to_expect_from():
    found = steady(range(40, 71)).look()
    assert (found.windows, found.insights) == (3, [])


def test_those_who_reached_the_goal_are_held_against_the_rest_and_each_thing_is_told_once():
    history = History()
    for day in range(1, 71):
        history.visits(day, 30, "a", booked=1, language="en").visits(day, 10, "a", booked=4, query=LETTER, language="en")
    found = history.look()
    assert [(one.kind, one.a, one.a_of, one.b, one.b_of) for one in found.insights] == [("converters", 28, 35, 42, 245)]
    only = found.insights[0]
    assert (only.dimension, only.ratio) in [(name, pytest.approx(28 / 35 / (42 / 245))) for name in ("channel", "source", "medium")]
    assert only.low < only.ratio < only.high
    assert history.look(goal=False).insights == []
    again = history.look(dismissed=[only.key])
    assert only.key not in [one.key for one in again.insights]
    assert told(history.look(count=11)) == told(found)


def test_what_is_less_often_is_told_where_it_is_not_the_other_side_of_what_is_more_often():
    history = History()
    for day in range(1, 71):
        history.visits(day, 60, "a", booked=9).visits(day, 20, "a", booked=16, query=LETTER).visits(day, 20, "a", booked=1, query=CARD)
    found = [one for one in history.look(limit=20).insights if one.kind == "converters"]
    assert [(one.a, one.a_of, one.b, one.b_of) for one in found] == [(16 * 7, 26 * 7, 4 * 7, 74 * 7), (7, 26 * 7, 19 * 7, 74 * 7)]


def test_a_landing_page_is_weak_against_visits_of_the_same_channels():
    history = History()
    for day in range(64, 71):
        history.visits(day, 40, "good", booked=8).visits(day, 40, "bad", booked=1)
        history.visits(day, 40, "letter", booked=1, query=LETTER)  # by a channel where few book anyway
    weak = [one for one in history.look(limit=20).insights if one.kind == "weak landing"]
    assert [(one.value, one.a, one.a_of) for one in weak] == [("/bad", 7, 280)]
    assert weak[0].b == pytest.approx(280 * 56 / 280)


def test_pages_seen_often_and_entered_seldom_are_told_unless_they_are_a_step_of_a_way():
    history = History()
    for day in range(64, 71):
        history.visits(day, 10, "a", "guide").visits(day, 10, "b", "guide").visits(day, 10, "c", "guide").visits(day, 30, "basket", "pay")
    pages = [one for one in history.look(goal=False).insights if one.kind == "seldom entered"]
    assert [(one.value, one.a, one.a_of) for one in pages] == [("/guide", 0, 210)]


def test_bounces_after_reading_are_told_apart_from_those_that_left_at_once():
    history = History()
    for day in range(64, 71):
        history.visits(day, 40, "a", "b").visits(day, 15, "recipe", engaged=120_000).visits(day, 15, "empty", engaged=1_000)
    found = {one.value: one for one in history.look(goal=False, limit=20).insights if "bounces" in one.kind}
    assert {value: one.kind for value, one in found.items()} == {"/recipe": "long bounces", "/empty": "short bounces"}
    assert (found["/recipe"].engaged, found["/recipe"].engaged_of_all) == (120, pytest.approx(60.5))
    assert (found["/recipe"].a, found["/recipe"].a_of, found["/recipe"].b, found["/recipe"].b_of) == (105, 105, 210, 490)


@pytest.mark.parametrize("days", [1, 3, 7, 28, 30, 364])
def test_windows_are_as_long_as_the_period_and_whole_weeks_apart(days):
    start = 400 * DAY
    windows = Windows.before(start, start + days * DAY)
    spans = [(windows.edges[place], windows.edges[place + 1]) for place in windows.places]
    assert spans[-1] == (start, start + days * DAY)
    assert {stop - begin for begin, stop in spans} == {days * DAY}
    apart = {later[0] - earlier[0] for earlier, later in pairwise(spans)}
    assert len(apart) == 1
    assert apart.pop() % WEEK == 0
    assert all(later[0] >= earlier[1] for earlier, later in pairwise(spans))


def test_the_tests_agree_with_a_library():
    counts, means = np.array([0.0, 3, 20, 7]), np.array([5.0, 3, 8, 7])
    library = [min(1, 2 * min(stats.poisson.cdf(c, m), stats.poisson.sf(c - 1, m))) for c, m in zip(counts, means, strict=True)]
    assert poisson_p(counts, means) == pytest.approx(library)
    tries = np.array([10.0, 3, 40, 7])
    library = [min(1, 2 * min(stats.binom.cdf(c, n, 0.3), stats.binom.sf(c - 1, n, 0.3))) for c, n in zip(np.minimum(counts, tries), tries, strict=True)]
    assert binomial_p(np.minimum(counts, tries), tries, 0.3) == pytest.approx(library)
    before = np.array([[90.0, 110, 130, 70], [4, 4, 4, 4], [0, 0, 0, 0]])
    p = beyond_spread_p(np.array([180.0, 12, 0]), before)
    spread = np.std(before[0], ddof=1) * np.sqrt(1.25)
    assert p[0] == pytest.approx(2 * stats.t.sf(80 / spread, 3))
    assert p[1] == pytest.approx(2 * stats.t.sf(8 / np.sqrt(4 * 1.25), 3))
    assert p[2] == 1
