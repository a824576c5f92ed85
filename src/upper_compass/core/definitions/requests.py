"""What can be asked: the requests and results of reports, used by the API, the screens and the exports alike."""

from __future__ import annotations

from typing import Annotated, Literal, Self

from pydantic import BaseModel, ConfigDict, Field, ValidationInfo, field_validator, model_validator

from upper_compass.core.definitions.attribution import CreditModel, Reach
from upper_compass.core.definitions.goals import Product
from upper_compass.core.definitions.hit_match import NUMBER_TESTS, NumberTest
from upper_compass.core.definitions.periods import Bucket, Period, Versus, check_buckets
from upper_compass.core.definitions.segments import MAX_CONDITIONS, Name, Segment, Value
from upper_compass.core.definitions.text_tests import check_pattern, check_weights, storable

GoalId = Annotated[int, Field(ge=1, le=2**31 - 1)]
MAX_ROWS, MAX_COURSES = 10_000, 50
# Rows are opened so many dimensions deep; what one of them is made of is one deeper.
MAX_DEEP = 3


class Column(BaseModel):
    """A column of a report: a measure, of the report's goal and segment unless it has its own. Its own segment narrows that of the report.

    `product` instead of a goal: orders that hold it. `model`, `reach` (the conversion's own visit, or days; 30 unless given) and `counts_direct`: how
    conversions, or their value, are credited to the rows (rules, chapter 11); without a model they count as chapter 6 says. `model_below`: by which the
    rows below one parent share out what that is credited. `with_interval`: whether the share of each row is told with its interval.
    """

    model_config = ConfigDict(extra="forbid")
    id: Annotated[str, storable(100, least=1)]
    measure: Name
    goal: GoalId | None = None
    segment: Segment | None = None
    model: CreditModel | None = None
    reach: Reach | None = None
    counts_direct: bool | None = None
    model_below: CreditModel | None = None
    with_interval: bool | None = None
    product: Product | None = None
    name: Annotated[str, storable(100)] | None = None

    @model_validator(mode="after")
    def _fits(self) -> Self:
        if self.product is not None and self.goal is not None:
            raise ValueError("a column is of a goal or of a product, not of both")
        if (self.reach is not None or self.counts_direct or self.model_below or self.with_interval) and self.model is None:
            raise ValueError("a reach, an interval, and whether direct visits count, goes with a model, and another model below with one above")
        if self.with_interval and (self.model == "removal effect" or self.measure != "conversions"):
            raise ValueError("an interval is of the share of conversions, by any model but the removal effect")
        return self


class ReportRequest(BaseModel):
    """What every report is asked with. `goal` is the id of the goal steered by; without one, conversions are none."""

    model_config = ConfigDict(extra="forbid")
    period: Period
    versus: Versus = "before"
    goal: GoalId | None = None
    segment: Segment | None = None
    columns: Annotated[list[Column], Field(min_length=1, max_length=30)]
    with_excluded: bool = False

    @field_validator("columns")
    @classmethod
    def _columns_differ(cls, columns: list[Column]) -> list[Column]:
        if len({column.id for column in columns}) < len(columns):
            raise ValueError("two columns have the same id")
        return columns

    @model_validator(mode="before")
    @classmethod
    def _patterns_fit(cls, given: object) -> object:
        return check_weights(given)

    @model_validator(mode="after")
    def _segments_fit(self) -> Self:
        asked = [segment for segment in (self.segment, *(column.segment for column in self.columns)) if segment is not None]
        differing = {segment.model_dump_json(): segment for segment in asked}  # one that several columns have is judged once
        if sum(segment.where.size()[0] for segment in differing.values()) > 2 * MAX_CONDITIONS:
            raise ValueError(f"the segments of a report have at most {2 * MAX_CONDITIONS} conditions together")
        return self

    @property
    def goals(self) -> set[int]:
        """The ids of all goals that are asked for."""
        return {goal for goal in (self.goal, *(column.goal for column in self.columns)) if goal is not None}


class RowCondition(BaseModel):
    """Which rows are wanted: `of` is a dimension that is asked for, tested as a text, or the id of a column, tested as a number."""

    model_config = ConfigDict(extra="forbid")
    of: Name
    test: Literal["contains", "regular expression"] | NumberTest
    value: Annotated[str, storable(500, least=1)] | Annotated[float, Field(allow_inf_nan=False)]

    @model_validator(mode="after")
    def _fits(self, info: ValidationInfo) -> Self:
        if (self.test in NUMBER_TESTS) == isinstance(self.value, str):
            raise ValueError("this test and this value do not go together")
        if isinstance(self.value, str):
            check_pattern(self.test, self.value, info)
        return self


def _differ(dimensions: list[str]) -> list[str]:
    if len(set(dimensions)) < len(dimensions):
        raise ValueError("a dimension is asked for twice")
    return dimensions


class TableRequest(ReportRequest):
    """A breakdown by up to three dimensions, or by a fourth below parents; without one, the totals alone.

    `parents`: values of the first dimensions, or of all; only rows below them, or that one row, are wanted, and they hold for the same hit, or for the
    same visit. `where`: all must hold for a row. Then rows are sorted by a dimension or a column, and `limit` of them are told after `offset`.
    """

    dimensions: Annotated[list[Name], Field(max_length=MAX_DEEP + 1)] = []
    parents: Annotated[list[Value], Field(max_length=MAX_DEEP + 1)] = []
    where: Annotated[list[RowCondition], Field(max_length=10)] = []
    sort: str | None = None
    descending: bool = True
    offset: Annotated[int, Field(ge=0, le=10_000_000)] = 0
    limit: Annotated[int, Field(ge=1, le=MAX_ROWS)] = 100

    @field_validator("dimensions")
    @classmethod
    def _dimensions_differ(cls, dimensions: list[str]) -> list[str]:
        return _differ(dimensions)

    @field_validator("parents")
    @classmethod
    def _each_of_a_dimension(cls, parents: list[str], info: ValidationInfo) -> list[str]:
        if len(parents) > len(info.data.get("dimensions", [])):
            raise ValueError("there must be a dimension for each parent")
        return parents

    @model_validator(mode="after")
    def _among_what_is_asked(self) -> Self:
        if len(self.dimensions) > MAX_DEEP + bool(self.parents):
            raise ValueError("at most three dimensions are taken, and a fourth below parents")
        ids = {column.id for column in self.columns}
        if self.sort is not None and self.sort not in ids | set(self.dimensions):
            raise ValueError("sort by one of the columns or dimensions that are asked for")
        for one in self.where:
            if one.of not in (self.dimensions if isinstance(one.value, str) else ids):
                raise ValueError("a condition is on a column, or on a dimension, that is asked for")
        return self


class SeriesRequest(ReportRequest):
    """The course over time. Each bucket is judged as a period of its own. `rows`: values of the dimensions, for each of which a course is wanted."""

    bucket: Bucket = "day"
    dimensions: Annotated[list[Name], Field(max_length=MAX_DEEP)] = []
    rows: Annotated[list[list[Value]], Field(max_length=MAX_COURSES)] = []

    @field_validator("dimensions")
    @classmethod
    def _dimensions_differ(cls, dimensions: list[str]) -> list[str]:
        return _differ(dimensions)

    @model_validator(mode="after")
    def _not_too_fine(self) -> Self:
        check_buckets(self.period, self.bucket)
        if any(len(row) != len(self.dimensions) for row in self.rows) or bool(self.rows) != bool(self.dimensions):
            raise ValueError("a row has a value of each dimension")
        return self


class ColumnValues(BaseModel):
    """One column, a place for each row or bucket; a ratio over nothing is null.

    `before`: in the versus period, null without one. `low`, `high`: the 95 % interval of a share over something; null for columns that are none.
    `share_low`, `share_high`: where it is asked for, the 95 % interval of a row's share of all conversions (0 to 1). `touches`, `effect`: of what the
    removal effect credits, on how many touches it rests, and how much less would convert without it (0 to 1). `few`: whether fewer than five successes
    or failures are expected, or it rests on fewer than thirty touches. `is_significant`: whether it is beyond chance that it moved.
    """

    id: str
    values: list[float | None]
    before: list[float | None] | None = None
    low: list[float | None] | None = None
    high: list[float | None] | None = None
    share_low: list[float | None] | None = None
    share_high: list[float | None] | None = None
    touches: list[float | None] | None = None
    effect: list[float | None] | None = None
    few: list[bool] | None = None
    is_significant: list[bool] | None = None


class Remainder(BaseModel):
    """The rows that are not told: how many, and the sum of what can be added up (null for counts of people), one place a column."""

    rows: int
    columns: list[ColumnValues]


class Note(BaseModel):
    """Something the reader must know of the figures."""

    kind: Literal["overlap", "unrated"]
    text: str


class TableResult(BaseModel):
    """Rows (their value of each dimension; an empty text is *no value*) in the order asked for, of `count` that there are.

    Totals, one place a column, are computed from the hits and never by adding rows up.
    """

    period: Period
    versus: Period | None
    dimensions: list[str]
    rows: list[list[str]]
    count: int
    columns: list[ColumnValues]
    total: list[ColumnValues]
    rest: Remainder | None
    notes: list[Note] = []


class Course(BaseModel):
    """The course of one row."""

    row: list[str]
    columns: list[ColumnValues]


class SeriesResult(BaseModel):
    """Buckets in order of time (`at`: the local start of each; `before` lies at the same place in the versus period), and the totals of the whole period."""

    period: Period
    versus: Period | None
    bucket: Bucket
    at: list[str]
    columns: list[ColumnValues]
    total: list[ColumnValues]
    courses: list[Course] = []
    notes: list[Note] = []
