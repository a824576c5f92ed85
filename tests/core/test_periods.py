"""Days in a time zone: midnights, clock changes, versus, buckets."""

from datetime import UTC, date, datetime, timedelta
from itertools import pairwise
from zoneinfo import ZoneInfo

import pytest
from hypothesis import given
from hypothesis import strategies as st

from upper_compass.core.definitions.periods import Period, complete_days, edges, midnight

BERLIN = ZoneInfo("Europe/Berlin")
HOUR = 3_600_000


def ms(text):
    return round(datetime.fromisoformat(text).timestamp() * 1000)


def test_a_day_is_23_or_25_hours_when_the_clock_changes():
    def length(day):
        start, stop = Period(first=day, last=day).bounds(BERLIN)
        return (stop - start) / HOUR

    assert [length(date(2026, 3, 29)), length(date(2026, 10, 25)), length(date(2026, 6, 1))] == [23, 25, 24]


def test_midnight_is_the_first_instant_that_bears_the_date():
    assert midnight(date(2018, 11, 4), ZoneInfo("America/Sao_Paulo")) == ms("2018-11-04T03:00:00+00:00")  # 0:00 was skipped
    assert midnight(date(2026, 11, 1), ZoneInfo("America/Havana")) == ms("2026-11-01T04:00:00+00:00")  # 0:00 comes twice
    assert midnight(date(2011, 12, 31), ZoneInfo("Pacific/Apia")) == ms("2011-12-30T10:00:00+00:00")  # the day before was skipped


@given(
    st.dates(date(1995, 1, 1), date(2035, 1, 1)),
    st.sampled_from(["Europe/Berlin", "America/Sao_Paulo", "Asia/Beirut", "Africa/Cairo", "America/Havana", "UTC"]),
)
def test_the_instant_before_midnight_bears_another_date(day, zone):
    at = midnight(day, ZoneInfo(zone))

    def on(moment):
        return datetime.fromtimestamp(moment / 1000, UTC).astimezone(ZoneInfo(zone)).date()

    assert on(at) == day
    assert on(at - 1) < day


def test_versus_is_the_same_length_before_or_the_same_weekdays_a_year_earlier():
    period = Period(first=date(2026, 10, 26), last=date(2026, 11, 22))
    assert period.versus("before") == Period(first=date(2026, 9, 28), last=date(2026, 10, 25))
    year = period.versus("year")
    assert (year.first.weekday(), period.first - year.first) == (period.first.weekday(), timedelta(days=364))
    assert period.versus("none") is None
    assert complete_days(7, date(2026, 11, 23)) == Period(first=date(2026, 11, 16), last=date(2026, 11, 22))


def test_an_hour_that_comes_twice_is_two_buckets_told_apart():
    cuts, names = edges(Period(first=date(2026, 10, 25), last=date(2026, 10, 25)), "hour", BERLIN)
    assert len(names) == 25
    assert names[2:4] == ["2026-10-25T02:00+02:00", "2026-10-25T02:00+01:00"]
    assert all(b - a == HOUR for a, b in pairwise(cuts))


def test_months_and_weeks_are_cut_off_where_the_period_ends():
    period = Period(first=date(2025, 12, 15), last=date(2026, 2, 3))
    assert edges(period, "month", BERLIN)[1] == ["2025-12-15", "2026-01-01", "2026-02-01"]
    assert edges(period, "week", BERLIN)[1][:2] == ["2025-12-15", "2025-12-22"]
    assert edges(period, "month", BERLIN)[0][-1] == period.bounds(BERLIN)[1]


@pytest.mark.parametrize("days", [("2026-03-02", "2026-03-01"), ("1989-01-01", "1990-01-02"), ("2000-01-01", "2020-01-01")])
def test_periods_that_make_no_sense_are_refused(days):
    with pytest.raises(ValueError, match=r"day|between"):
        Period(first=days[0], last=days[1])
