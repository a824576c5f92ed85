"""What can be asked: the requests and results of reports, used by the API and by the screens alike."""

from __future__ import annotations

from typing import Annotated, Literal, Self

from pydantic import BaseModel, ConfigDict, Field, ValidationInfo, field_validator, model_validator

from upper_compass.core.definitions.periods import MAX_BUCKETS, Bucket, Period, Versus
from upper_compass.core.definitions.text_tests import storable

Value = Annotated[str, storable(4000)]
# Of a measure or a dimension; whether there is one of that name is known where it is read.
Name = Annotated[str, storable(100, least=1)]


class DimensionFilter(BaseModel):
    """*Only these*, or with `without` *Without these*: visits that have one of the values."""

    model_config = ConfigDict(extra="forbid", json_schema_extra={"examples": [{"dimension": "channel", "values": ["Email"]}]})
    dimension: Name
    values: Annotated[list[Value], Field(min_length=1, max_length=50)]
    without: bool = False


class ReportRequest(BaseModel):
    """What every report is asked with. `goal` is the id of a goal of the site; without one, conversions are none."""

    model_config = ConfigDict(extra="forbid")
    period: Period
    versus: Versus = "before"
    goal: Annotated[int, Field(ge=1, le=2**31 - 1)] | None = None
    measures: Annotated[list[Name], Field(min_length=1, max_length=30)]
    filters: Annotated[list[DimensionFilter], Field(max_length=20)] = []
    with_excluded: bool = False

    @field_validator("measures")
    @classmethod
    def _measures_differ(cls, measures: list[str]) -> list[str]:
        if len(set(measures)) < len(measures):
            raise ValueError("a measure is asked for twice")
        return measures


class TableRequest(ReportRequest):
    """A breakdown by up to two dimensions; without one, the totals alone."""

    dimensions: Annotated[list[Name], Field(max_length=2)] = []
    sort: str | None = None
    descending: bool = True
    limit: Annotated[int, Field(ge=1, le=10_000)] = 100

    @field_validator("dimensions")
    @classmethod
    def _dimensions_differ(cls, dimensions: list[str]) -> list[str]:
        if len(set(dimensions)) < len(dimensions):
            raise ValueError("a dimension is asked for twice")
        return dimensions

    @field_validator("sort")
    @classmethod
    def _among_what_is_asked(cls, sort: str | None, info: ValidationInfo) -> str | None:
        asked = [*info.data.get("measures", []), *info.data.get("dimensions", [])]
        if sort is not None and asked and sort not in asked:
            raise ValueError("sort by one of the measures or dimensions that are asked for")
        return sort


class SeriesRequest(ReportRequest):
    """The course over time. Each bucket is judged as a period of its own."""

    bucket: Bucket = "day"

    @model_validator(mode="after")
    def _not_too_fine(self) -> Self:
        if self.period.days * (24 if self.bucket == "hour" else 1) > MAX_BUCKETS * (1 if self.bucket == "hour" else 7):
            raise ValueError("that is too long a period for such short steps")
        return self


class Interval(BaseModel):
    """A 95 % interval."""

    low: float
    high: float


class MeasureValues(BaseModel):
    """Measures of one row; a ratio over nothing is null.

    `interval`: the Wilson interval of a share over something. `few`: shares with fewer than five expected successes or failures.
    """

    values: dict[str, float | None]
    before: dict[str, float | None] | None = None
    interval: dict[str, Interval] = {}
    few: list[str] = []
    is_significant: dict[str, bool] = {}


class Row(MeasureValues):
    """A row: its value of each dimension, in their order; an empty text is *no value*."""

    keys: list[str]


class RemainderRow(BaseModel):
    """What the limit left out: how many rows, and the sum of what can be added up (null for counts of people)."""

    rows: int
    figures: MeasureValues


class Note(BaseModel):
    """Something the reader must know of the figures."""

    kind: Literal["overlap", "unrated"]
    text: str


class TableResult(BaseModel):
    """Rows in the order asked for, and the totals, which are computed from the hits and never by adding rows up."""

    period: Period
    versus: Period | None
    dimensions: list[str]
    measures: list[str]
    rows: list[Row]
    rest: RemainderRow | None
    total: MeasureValues
    notes: list[Note] = []


class SeriesPoint(BaseModel):
    """One bucket; `at` is its local start. `before` lies at the same place in the versus period."""

    at: str
    values: dict[str, float | None]
    before: dict[str, float | None] | None = None


class SeriesResult(BaseModel):
    """One point per bucket in order of time, and the totals of the whole period."""

    period: Period
    versus: Period | None
    bucket: Bucket
    measures: list[str]
    points: list[SeriesPoint]
    total: MeasureValues
    notes: list[Note] = []
