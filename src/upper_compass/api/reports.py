"""Reports and the registry."""

from __future__ import annotations

from fastapi import APIRouter, Body, Response
from pydantic import BaseModel

from upper_compass.api.access import ServicesHere, Viewer, who
from upper_compass.api.deps import goals_for, stored_goals_for, today_at, with_saved
from upper_compass.api.problems import responses
from upper_compass.api.routing import Route
from upper_compass.core.definitions.comparisons import CompareRequest, CompareResult
from upper_compass.core.definitions.funnels import (
    FunnelRequest,
    FunnelResult,
    FunnelSeriesRequest,
    FunnelSeriesResult,
    FunnelSuggestion,
    FunnelSuggestionRequest,
)
from upper_compass.core.definitions.paths import PathsRequest, PathsResult
from upper_compass.core.definitions.requests import SeriesRequest, SeriesResult, TableRequest, TableResult
from upper_compass.core.engine.dimensions import DIMENSIONS, Family, of_field
from upper_compass.core.engine.measures import MEASURES, measured_parts
from upper_compass.core.reports import tables as reports
from upper_compass.core.reports.activity import ActivityRequest, ActivityResult, activity
from upper_compass.core.reports.compare import compare
from upper_compass.core.reports.credited import CreditedRequest, CreditedResult, credited
from upper_compass.core.reports.drivers import DriversRequest, DriversResult, drivers
from upper_compass.core.reports.expected import ExpectedRequest, ExpectedResult, expected
from upper_compass.core.reports.funnel import funnel, funnel_series
from upper_compass.core.reports.funnel_suggestion import funnel_suggestion
from upper_compass.core.reports.paths import paths
from upper_compass.core.reports.summary import Answer, AnswerRequest, answer
from upper_compass.core.reports.together import Named, TogetherRequest, TogetherResult
from upper_compass.core.reports.together import together as reports_together
from upper_compass.core.reports.touch_sequences import SequencesRequest, SequencesResult, touch_sequences

# Nobody waits longer for the first table of a view because of those behind it.
TOGETHER_SECONDS = 0.4

router = APIRouter(prefix="/api/v1/sites/{site}", tags=["Reports"], route_class=Route)

_PERIOD = {"first": "2026-10-26", "last": "2026-11-22"}
_ENGLISH = {"where": {"conditions": [{"kind": "dimension", "dimension": "language", "test": "is", "values": ["en"]}]}}
_BY_MAIL = {"where": {"conditions": [{"kind": "dimension", "dimension": "channel", "test": "is", "values": ["Email"]}]}}
_COLUMNS = [{"id": name, "measure": name} for name in ("visits", "conversions", "conversion_rate", "value")]
_TABLE = {
    "period": _PERIOD, "versus": "before", "goal": 1, "segment": _ENGLISH, "dimensions": ["channel"],
    "columns": [
        *_COLUMNS, {"id": "by_mail", "measure": "conversions", "goal": 1, "segment": _BY_MAIL, "name": "Conversions by mail"},
    ],
    "sort": "conversions", "limit": 10,
}  # fmt: skip
_COMPARED = {"period": _PERIOD, "goal": 1, "group": _BY_MAIL, "units": "people", "dimensions": ["entry_page", "device"]}
_FUNNEL = {
    "period": _PERIOD, "dimension": "device",
    "funnel": {"steps": [{"kind": "view", "page": {"test": "is", "value": "/basket"}}, {"kind": "order"}], "units": "visits", "window_minutes": 60},
}  # fmt: skip
_DRIVERS = {"period": _PERIOD, "goal": 1}
_PATHS = {"period": _PERIOD, "centre": {"dimension": "page", "value": "/courses"}}
_TOGETHER = {"asked": [{"report": "table", "request": _TABLE}, {"report": "series", "request": {"period": _PERIOD, "columns": _COLUMNS[:1]}}]}
_SERIES = {"period": _PERIOD, "bucket": "day", "columns": _COLUMNS[:2]}


class MeasureOut(BaseModel):
    """A measure: what it means and how it is computed, in words. `parts`: the measures that it is computed from; `hidden`: no screen offers it yet."""

    name: str
    title: str
    unit: str
    meaning: str
    formula: str
    better: str
    chance: str
    parts: list[str]
    hidden: bool


class DimensionOut(BaseModel):
    """A dimension of the visit or of the hit. `family`: what it tells of; two of one family often say the same in other words."""

    name: str
    title: str
    of: str
    family: Family
    meaning: str


class Registry(BaseModel):
    """All measures and dimensions."""

    measures: list[MeasureOut]
    dimensions: list[DimensionOut]


def _json(content: bytes) -> Response:
    return Response(content, media_type="application/json")


@router.post("/reports/table", response_model=TableResult, openapi_extra=who("viewer"), responses=responses(401, 403, 404, 422))
def table(access: Viewer, services: ServicesHere, request: TableRequest = Body(examples=[_TABLE])) -> Response:  # noqa: B008
    """A breakdown with its totals, held against the versus period. For the site's viewers."""
    return _json(services.reader.read_json(access.site, reports.table, with_saved(access, request), goals_for(access, request)))


@router.post("/reports/series", response_model=SeriesResult, openapi_extra=who("viewer"), responses=responses(401, 403, 404, 422))
def series(access: Viewer, services: ServicesHere, request: SeriesRequest = Body(examples=[_SERIES])) -> Response:  # noqa: B008
    """The course over time. For the site's viewers."""
    return _json(services.reader.read_json(access.site, reports.series, with_saved(access, request), goals_for(access, request)))


@router.post("/reports/together", response_model=TogetherResult, openapi_extra=who("viewer"), responses=responses(401, 403, 404, 422))
def together(access: Viewer, services: ServicesHere, request: TogetherRequest = Body(examples=[_TOGETHER])) -> Response:  # noqa: B008
    """Several tables, courses, answers and bands, as many as there is time for in four tenths of a second, at least one. For the site's viewers."""
    stored = stored_goals_for(access, request)
    goals, names = {number: one.goal for number, one in stored.items()}, {number: one.name for number, one in stored.items()}
    known = Named(goals, names, today_at(access, services))
    return _json(services.reader.read_json(access.site, reports_together, with_saved(access, request), known, TOGETHER_SECONDS))


@router.post("/reports/compare", response_model=CompareResult, openapi_extra=who("viewer"), responses=responses(401, 403, 404, 422))
def compare_(access: Viewer, services: ServicesHere, request: CompareRequest = Body(examples=[_COMPARED])) -> Response:  # noqa: B008
    """One group held against another, value by value, the strongest evidence first. For the site's viewers."""
    return _json(services.reader.read_json(access.site, compare, with_saved(access, request), goals_for(access, request)))


@router.post("/reports/funnel", response_model=FunnelResult, openapi_extra=who("viewer"), responses=responses(401, 403, 404, 422))
def funnel_(access: Viewer, services: ServicesHere, request: FunnelRequest = Body(examples=[_FUNNEL])) -> Response:  # noqa: B008
    """How far people, or visits, came along steps, and how long each took. For the site's viewers."""
    return _json(services.reader.read_json(access.site, funnel, with_saved(access, request)))


@router.post("/reports/funnel-series", openapi_extra=who("viewer"), responses=responses(401, 403, 404, 422))
def funnel_series_(access: Viewer, services: ServicesHere, request: FunnelSeriesRequest) -> FunnelSeriesResult:
    """The course of a funnel: how many reached each step, by the time of their first one. For the site's viewers."""
    return services.reader.read(access.site, funnel_series, with_saved(access, request))


@router.post("/reports/funnel-suggestion", openapi_extra=who("viewer"), responses=responses(401, 403, 404, 422))
def funnel_suggestion_(access: Viewer, services: ServicesHere, request: FunnelSuggestionRequest) -> FunnelSuggestion:
    """Steps that lead to a hit, found in the paths of the site's visits. For the site's viewers."""
    return services.reader.read(access.site, funnel_suggestion, with_saved(access, request))


@router.post("/reports/paths", response_model=PathsResult, openapi_extra=who("viewer"), responses=responses(401, 403, 404, 422))
def paths_(access: Viewer, services: ServicesHere, request: PathsRequest = Body(examples=[_PATHS])) -> Response:  # noqa: B008
    """The ways of visits from a page, an event or a channel, forwards and backwards. For the site's viewers."""
    return _json(services.reader.read_json(access.site, paths, with_saved(access, request), goals_for(access, request)))


@router.post("/reports/credited", openapi_extra=who("viewer"), responses=responses(401, 403, 404, 422))
def credited_(access: Viewer, services: ServicesHere, request: CreditedRequest) -> CreditedResult:
    """The conversions behind the credit of a row, each with its touches and their weights. For the site's viewers."""
    return services.reader.read(access.site, credited, with_saved(access, request), goals_for(access, request))


@router.post("/reports/drivers", response_model=DriversResult, openapi_extra=who("viewer"), responses=responses(401, 403, 404, 422))
def drivers_(access: Viewer, services: ServicesHere, request: DriversRequest = Body(examples=[_DRIVERS])) -> Response:  # noqa: B008
    """What drives a goal: channels, and pages against visits of the same channels that did not see them. For the site's viewers."""
    return _json(services.reader.read_json(access.site, drivers, with_saved(access, request), goals_for(access, request)))


@router.post("/reports/touch-sequences", openapi_extra=who("viewer"), responses=responses(401, 403, 404, 422))
def touch_sequences_(access: Viewer, services: ServicesHere, request: SequencesRequest) -> SequencesResult:
    """The commonest sequences of touches before a conversion. For the site's viewers."""
    return services.reader.read(access.site, touch_sequences, with_saved(access, request), goals_for(access, request))


@router.post("/reports/activity", openapi_extra=who("viewer"), responses=responses(401, 403, 404, 422))
def activity_(access: Viewer, services: ServicesHere, request: ActivityRequest) -> ActivityResult:
    """What was done with forms, media and promotions. For the site's viewers."""
    return services.reader.read(access.site, activity, with_saved(access, request), goals_for(access, request))


@router.post("/reports/expected", openapi_extra=who("viewer"), responses=responses(401, 403, 404, 422))
def expected_(access: Viewer, services: ServicesHere, request: ExpectedRequest) -> ExpectedResult:
    """Between what a measure is expected on each day, by a band that knows weekdays. For the site's viewers."""
    return services.reader.read(access.site, expected, with_saved(access, request), goals_for(access, request), today_at(access, services))


@router.post("/reports/answer", openapi_extra=who("viewer"), responses=responses(401, 403, 404, 422))
def answer_(access: Viewer, services: ServicesHere, request: AnswerRequest = Body(examples=[{"period": _PERIOD, "goal": 1}])) -> Answer:  # noqa: B008
    """Which channels and landing pages drive the goal, in a sentence or two. For the site's viewers."""
    stored = stored_goals_for(access, request)[request.goal]
    return services.reader.read(access.site, answer, with_saved(access, request), stored.goal, stored.name)


@router.get("/registry", openapi_extra=who("viewer"), responses=responses(401, 404))
def registry(access: Viewer) -> Registry:
    """All measures and dimensions with their meanings, the site's own fields as `field.` and their key. For the site's viewers."""
    measures = [
        MeasureOut(
            name=m.name, title=m.title, unit=m.unit, meaning=m.meaning, formula=m.formula, better=m.better, chance=m.chance, hidden=m.hidden,
            parts=measured_parts(m),
        )
        for m in MEASURES.values()
    ]  # fmt: skip
    dimensions = [*DIMENSIONS.values(), *(of_field(field) for field in access.site.rules.fields)]
    return Registry(measures=measures, dimensions=[DimensionOut.model_validate(one, from_attributes=True) for one in dimensions])
