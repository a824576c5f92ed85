"""Periods: whole days in the site's time zone, daylight saving included (rules, chapter 4)."""

from __future__ import annotations

from datetime import UTC, date, datetime, timedelta
from typing import Literal, Self
from zoneinfo import ZoneInfo

from pydantic import BaseModel, ConfigDict, model_validator

Versus = Literal["none", "before", "year"]
Bucket = Literal["hour", "day", "week", "month"]

EARLIEST, LATEST = date(1990, 1, 1), date(2200, 1, 1)
MAX_DAYS = 3700
MAX_BUCKETS = 2500


class Period(BaseModel):
    """From the first day to the last, both within."""

    model_config = ConfigDict(extra="forbid", frozen=True)
    first: date
    last: date

    @model_validator(mode="after")
    def _in_order(self) -> Self:
        if self.last < self.first:
            raise ValueError("the last day lies before the first")
        if self.first < EARLIEST or self.last > LATEST:
            raise ValueError(f"a period lies between {EARLIEST} and {LATEST}")
        if self.days > MAX_DAYS:
            raise ValueError(f"a period has at most {MAX_DAYS} days")
        return self

    @property
    def days(self) -> int:
        """How many days it has."""
        return (self.last - self.first).days + 1

    def versus(self, versus: Versus) -> Period | None:
        """What it is held against: the same length just before, or 364 days earlier."""
        if versus == "none":
            return None
        back = timedelta(days=self.days if versus == "before" else 364)
        return Period.model_construct(first=self.first - back, last=self.last - back)

    def bounds(self, zone: ZoneInfo) -> tuple[int, int]:
        """From, inclusive, and to, exclusive, in ms since 1970, UTC."""
        return midnight(self.first, zone), midnight(self.last + timedelta(days=1), zone)


def _ms(moment: datetime) -> int:
    return round(moment.timestamp() * 1000)


def midnight(day: date, zone: ZoneInfo) -> int:
    """The first instant that bears the date, in ms since 1970, UTC.

    That is 0:00, the earlier one where a clock is set back over it; where a clock is set forward over midnight, the instant after the jump.
    """
    wall = datetime(day.year, day.month, day.day, tzinfo=zone, fold=0)
    instant = wall.astimezone(UTC)
    if instant.astimezone(zone).replace(tzinfo=None) == wall.replace(tzinfo=None):
        return _ms(instant)
    # The wall time was skipped: the first instant of the day is the jump itself, found by halving.
    low, high = _ms(instant) - 86_400_000, _ms(instant) + 86_400_000
    while high - low > 1:
        middle = (low + high) // 2
        if datetime.fromtimestamp(middle / 1000, UTC).astimezone(zone).date() < day:
            low = middle
        else:
            high = middle
    return high


def complete_days(count: int, today: date) -> Period:
    """The last `count` complete days before today."""
    return Period(first=today - timedelta(days=count), last=today - timedelta(days=1))


def check_buckets(period: Period, bucket: Bucket) -> None:
    """Raises ValueError where there would be too many buckets."""
    if period.days * (24 if bucket == "hour" else 1) > MAX_BUCKETS * (1 if bucket == "hour" else 7):
        raise ValueError("that is too long a period for such short steps")


def edges(period: Period, bucket: Bucket, zone: ZoneInfo) -> tuple[list[int], list[str]]:
    """Edges of the buckets in ms (one more than there are buckets), and each bucket's name: its local start, ISO 8601.

    Weeks begin on Monday and months on the first; the first and the last bucket are cut off where the period begins and ends. An hour
    that occurs twice when a clock is set back is two buckets, told apart by their offset; an hour that is skipped is none.
    """
    start, stop = period.bounds(zone)
    if bucket == "hour":
        return _hours(start, stop, zone)
    days: list[date] = [period.first]
    while days[-1] <= period.last:
        days.append(_next(days[-1], bucket))
    cuts = [midnight(day, zone) for day in days[:-1]] + [stop]
    return cuts, [day.isoformat() for day in days[:-1]]


def _next(day: date, bucket: Bucket) -> date:
    if bucket == "week":
        return day + timedelta(days=7 - day.weekday())
    if bucket == "month":
        return date(day.year + day.month // 12, day.month % 12 + 1, 1)
    return day + timedelta(days=1)


def _hours(start: int, stop: int, zone: ZoneInfo) -> tuple[list[int], list[str]]:
    """An hour ends where the local clock shows a new full hour, or where its offset changes."""
    quarter = 15 * 60_000
    cuts: list[int] = []
    names: list[str] = []
    previous: tuple[int, timedelta | None] | None = None
    for at in range(start, stop, quarter):
        local = datetime.fromtimestamp(at / 1000, UTC).astimezone(zone)
        now = (local.hour, local.utcoffset())
        if now != previous:
            cuts.append(at)
            names.append(local.isoformat(timespec="minutes"))
            previous = now
    return [*cuts, stop], names
