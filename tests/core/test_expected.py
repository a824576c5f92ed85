"""The expected band: it knows weekdays, follows a trend, is not moved by one odd day, and is silent where there is too little to expect from."""

from datetime import date

import numpy as np
import pytest

from tests.core.asking import reading_of
from tests.core.building import DAY, HOME, MINUTE, hit, numbered
from upper_compass.core.engine.statistics import expected_band
from upper_compass.core.reports.expected import ExpectedRequest, expected

pytestmark = pytest.mark.usefixtures("early_years")
WEEK = np.array([40.0, 42, 41, 43, 45, 20, 18])


def test_the_band_knows_weekdays_and_a_trend_and_is_not_moved_by_one_odd_day():
    days = np.arange(140)
    values = WEEK[days % 7] + days * 0.2 + np.sin(days * 1.7)
    values[100] += 90
    low, high = expected_band(values, 147, is_count=False)
    assert (len(low), len(high)) == (147, 147)
    inside = (low <= values) & (values <= high) if len(values) == 147 else (low[:140] <= values) & (values <= high[:140])
    assert list(np.flatnonzero(~inside)) == [100]
    assert high[100] < values[100] - 60
    assert high[135] - low[135] < 12
    assert low[140:] == pytest.approx(low[133:140])
    assert high[5] < low[4]


def test_a_band_of_counts_is_never_narrower_than_independent_events_spread():
    low, high = expected_band(np.full(70, 100.0), 70, is_count=True)
    assert high - low == pytest.approx(np.full(70, 2 * 2.5758 * 10), rel=1e-3)
    low, high = expected_band(np.zeros(70), 70, is_count=True)
    assert (low.max(), high.min()) == (0, pytest.approx(2.5758, rel=1e-3))


def history(days):
    return numbered([hit(day * DAY + one * MINUTE, url=HOME + "a", visitor=f"v{day}.{one}") for day in days for one in range(5)])


def ask(days, first, last, today="1970-12-31", measure="visits"):
    asked = ExpectedRequest.model_validate({"period": {"first": first, "last": last}, "measure": measure})
    return expected(reading_of(history(days)), asked, {}, date.fromisoformat(today))


def test_five_weeks_of_days_are_needed_and_the_period_must_lie_within_them():
    found = ask(range(100), "1970-03-25", "1970-04-05")
    assert (found.days, found.at[0], len(found.at), len(found.low), len(found.high)) == (95, "1970-03-25", 12, 12, 12)
    assert found.low[0] < 5 < found.high[0]
    few = ask(range(34), "1970-01-20", "1970-02-03", today="1970-02-04")
    assert (few.days, few.at, few.low) == (34, [], [])
    assert ask(range(10, 100), "1970-01-05", "1970-04-05").at == []
    assert ask([], "1970-01-20", "1970-02-03").days == 0


def test_days_that_are_not_over_teach_nothing_and_a_ratio_over_nothing_is_passed_over():
    found = ask(range(100), "1970-04-01", "1970-04-20", today="1970-04-08")
    assert (found.days, len(found.at)) == (97, 20)
    assert found.low[-1] == pytest.approx(found.low[5])
    gap = ask([day for day in range(100) if day % 9], "1970-03-25", "1970-04-05", measure="views_per_visit")
    assert len(gap.at) == 12
    assert gap.low[0] <= 1 <= gap.high[0]
