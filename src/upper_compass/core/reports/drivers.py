"""What drives a goal: channels and pages on one sheet (rules, chapter 11, *Drivers*)."""

from __future__ import annotations

from typing import Annotated

import numpy as np
import polars as pl
from pydantic import BaseModel, ConfigDict, Field

from upper_compass.core.definitions.goals import Goal
from upper_compass.core.definitions.periods import Period
from upper_compass.core.definitions.requests import Column, GoalId, ReportRequest, TableRequest, TableResult
from upper_compass.core.definitions.segments import Segment
from upper_compass.core.engine.context import ReportContext, question
from upper_compass.core.engine.keys import KeyedBy
from upper_compass.core.engine.protocol import Counting
from upper_compass.core.engine.seen_before import EVERY_PAGE, seen_before
from upper_compass.core.engine.statistics import FEW, wilson
from upper_compass.core.reports.columns import column_values, joined, plan
from upper_compass.core.reports.tables import table

MAX_PAGES = 200
# With fewer visits on one of the sides nothing is said.
MIN_VISITS = 10
_CHANNELS = (
    Column(id="visitors", measure="visitors"), Column(id="visits", measure="visits"), Column(id="conversions", measure="conversions"),
    Column(id="conversion_rate", measure="conversion_rate"), Column(id="first", measure="conversions", model="first touch"),
    Column(id="linear", measure="conversions", model="linear"), Column(id="last", measure="conversions", model="last touch"),
    Column(id="value", measure="value"),
)  # fmt: skip
_PAGES = (Column(id="entries", measure="entries"), Column(id="credit", measure="conversions", model="linear"))


class DriversRequest(BaseModel):
    """A goal over a period; without one nothing is driven. `channels`, `pages`: how many of each at most, those with the most conversions."""

    model_config = ConfigDict(extra="forbid")
    period: Period
    goal: GoalId | None = None
    segment: Segment | None = None
    channels: Annotated[int, Field(ge=1, le=MAX_PAGES)] = 20
    pages: Annotated[int, Field(ge=1, le=MAX_PAGES)] = 30

    @property
    def goals(self) -> set[int]:
        """The ids of all goals that are asked for."""
        return set() if self.goal is None else {self.goal}


class OfChannel(BaseModel):
    """Visits of one channel: those that saw the page and those of them that convert, and the same of those that did not see it."""

    channel: str
    seen: int
    converting: int
    others: int
    others_converting: int


class PageDriver(BaseModel):
    """A page before conversions.

    `entries`: visits that began there. `seen`: visits that saw it before their first conversion, if any; `converting`: those of them that convert, `rate`
    their share (0 to 1). `without`: the rate of visits that did not see it, of the same channels in the same proportions, null where no channel has both.
    `difference`: how much higher it is among those who saw it, of these channels, `low` and `high` its 95 % interval; `few`: under ten visits
    on a side, or five that convert on both.
    `channels`: what that is made of, the most who saw it first. `credit`: conversions by the linear model, over thirty days.
    """

    page: str
    entries: float
    seen: int
    converting: int
    rate: float
    without: float | None
    difference: float | None
    low: float | None
    high: float | None
    few: bool
    channels: list[OfChannel]
    credit: float


class DriversResult(BaseModel):
    """Channels as a table (columns: visitors, visits, conversions, conversion_rate, first, linear, last, value), pages by how many conversions saw them.

    `visits`, `converting`: all of the period; `page_count`: how many pages were seen before a conversion.
    """

    period: Period
    visits: int
    converting: int
    channels: TableResult
    pages: list[PageDriver]
    page_count: int


def drivers(context: ReportContext, request: DriversRequest, goals: dict[int, Goal]) -> DriversResult:
    """Channels and pages that a goal is owed to. Raises UnknownNameError for a dimension of a segment that there is not."""
    about = {"period": request.period, "versus": "none", "goal": request.goal, "segment": request.segment}
    channels = table(
        context, TableRequest(**about, columns=list(_CHANNELS), dimensions=["channel"], sort="conversions", limit=request.channels), goals
    )  # fmt: skip
    ask = question(context, request.period, (request.segment,), goal=goals[request.goal] if request.goal is not None else None)
    [counted] = context.tally(ask, Counting(seen_before))
    found = counted.as_texts().frame
    every = found.filter(pl.col("page") == EVERY_PAGE).drop("page")
    seen = found.filter(pl.col("page") != EVERY_PAGE)
    by_page = seen.group_by("page").agg(pl.col("visits").sum(), pl.col("converting").sum()).filter(pl.col("converting") > 0)
    told = by_page.sort("converting", "page", descending=[True, False]).head(request.pages)
    pages = told.join(_against_the_others(seen.join(told.select("page"), on="page"), every), on="page", how="left", maintain_order="left")
    pages = pages.join(
        _credit(context, ReportRequest(**about, columns=list(_PAGES)), goals, told["page"].to_list()), on="page", how="left", maintain_order="left"
    )
    rows = pages.rename({"visits": "seen"}).with_columns(
        (pl.col("converting") / pl.col("seen")).alias("rate"),
        pl.col("entries", "credit").fill_null(0),
        pl.col("few").fill_null(value=True),
        pl.col("channels").fill_null([]),
    )
    return DriversResult(
        period=request.period, visits=int(every["visits"].sum()), converting=int(every["converting"].sum()), channels=channels, page_count=len(by_page),
        pages=[PageDriver.model_validate(row) for row in rows.iter_rows(named=True)],
    )  # fmt: skip


def _against_the_others(seen: pl.DataFrame, every: pl.DataFrame) -> pl.DataFrame:
    """By `page`: the rate of those who did not see it, standardised by channel, and the difference with its interval.

    Of each channel in which some saw the page and some did not; those who did not weigh as much as those who did. The interval puts the Wilson intervals of
    both sides together, as squares of their distances (MOVER).
    """
    both = seen.join(every.rename({"visits": "all", "converting": "all_converting"}), on="channel").with_columns(
        (pl.col("all") - pl.col("visits")).alias("others"), (pl.col("all_converting") - pl.col("converting")).alias("others_converting")
    ).filter(pl.col("others") > 0)  # fmt: skip
    low, high = wilson(both["others_converting"].to_numpy(), both["others"].to_numpy())
    share = pl.col("others_converting") / pl.col("others")
    weight = pl.col("visits") / pl.col("visits").sum().over("page")
    both = both.with_columns(
        (weight * share).alias("without"), (weight * (share - pl.Series(low))).alias("down"), (weight * (pl.Series(high) - share)).alias("up")
    )
    sums = [pl.col(name).sum() for name in ("visits", "converting", "others", "others_converting", "without")]
    parts = pl.struct("channel", pl.col("visits").alias("seen"), "converting", "others", "others_converting")
    told = parts.sort_by("visits", "channel", descending=[True, False]).alias("channels")
    one = both.group_by("page").agg(told, *sums, *((pl.col(name) ** 2).sum() for name in ("down", "up")))
    own_low, own_high = wilson(one["converting"].to_numpy(), one["visits"].to_numpy())
    rate = pl.col("converting") / pl.col("visits")
    difference = rate - pl.col("without")
    return one.select(
        "page", "channels", "without", difference.alias("difference"),
        (difference - ((rate - pl.Series(own_low)) ** 2 + pl.col("up")).sqrt()).alias("low"),
        (difference + ((pl.Series(own_high) - rate) ** 2 + pl.col("down")).sqrt()).alias("high"),
        ((pl.min_horizontal("visits", "others") < MIN_VISITS) | (pl.col("converting") + pl.col("others_converting") < FEW)).alias("few"),
    )  # fmt: skip


def _credit(context: ReportContext, request: ReportRequest, goals: dict[int, Goal], pages: list[str]) -> pl.DataFrame:
    """By `page`: `entries`, and `credit`."""
    asked = plan(context, request, goals)
    [rows] = joined(context, (asked, KeyedBy((context.dimension("page", "pages"),), within=tuple((page,) for page in pages))))
    frame = rows.as_texts().frame
    columns = {one.id: np.array(one.values, np.float64) for one in column_values(asked, frame, frame)} if len(frame) else {}
    return pl.DataFrame({"page": frame["key_0"], **columns}, schema_overrides={"page": pl.String}) if columns else pl.DataFrame(
        schema={"page": pl.String, "entries": pl.Float64, "credit": pl.Float64}
    )  # fmt: skip
