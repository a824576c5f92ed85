"""*Tag*: what is said of events, what goals would count, and the site's own fields."""

from __future__ import annotations

from typing import Annotated

from fastapi import APIRouter, Body, Path
from pydantic import BaseModel, ConfigDict

from upper_compass.api.access import Analyst, ServicesHere, Viewer, who
from upper_compass.api.deps import last_days, with_saved
from upper_compass.api.problems import Problem, responses
from upper_compass.api.routing import Route
from upper_compass.core.definitions.goals import Goal
from upper_compass.core.definitions.periods import Period
from upper_compass.core.definitions.segments import Segment
from upper_compass.core.definitions.site_rules import EventNote, SiteField, SiteRules
from upper_compass.core.reports.event_list import EventOut, PropOut
from upper_compass.core.reports.goal_preview import GoalPreview
from upper_compass.frames import queries
from upper_compass.store import sites as store
from upper_compass.store.database import reading

router = APIRouter(prefix="/api/v1/sites/{site}", tags=["Tagging"], route_class=Route)

PREVIEW_DAYS, SEEN_DAYS = 30, 90
FieldKey = Annotated[str, Path(pattern=r"^[a-z0-9][a-z0-9_-]{0,39}$", description="The field's key.", examples=["author"])]


class EventsRequest(BaseModel):
    """The days to read events of, and to which visits it is narrowed."""

    model_config = ConfigDict(extra="forbid", json_schema_extra={"examples": [{"period": {"first": "2026-10-26", "last": "2026-11-22"}}]})
    period: Period
    segment: Segment | None = None


class PreviewRequest(BaseModel):
    """A goal that is being written."""

    model_config = ConfigDict(
        extra="forbid", json_schema_extra={"examples": [{"goal": {"match": {"kind": "view", "page": {"test": "is", "value": "/thanks"}}}}]}
    )
    goal: Goal


class PreviewOut(GoalPreview):
    """What it would have counted, and in which days."""

    period: Period


class GoalCounted(BaseModel):
    """A goal's conversions and what they were worth."""

    id: int
    conversions: int
    value: float


@router.post("/events", openapi_extra=who("viewer"), responses=responses(401, 403, 404, 422))
def list_events(request: EventsRequest, access: Viewer, services: ServicesHere) -> list[EventOut]:
    """Every event that ever arrived, with its figures in the period. For the site's viewers."""
    request = with_saved(access, request)
    return services.reader.read(access.site, queries.event_list, request.period, request.segment, access.site.rules)


@router.put("/events", openapi_extra=who("analyst"), responses=responses(401, 403, 404, 422))
def describe_event(access: Analyst, note: EventNote = Body(examples=[{"name": "signup", "shown_as": "Signed up", "passive": False}])) -> EventNote:  # noqa: B008
    """Describe an event as it is sent, give it another name, mark it passive, hide it; history follows. For the site's analysts."""

    def edit(rules: SiteRules) -> SiteRules:
        others = [one for one in rules.events if one.name != note.name]
        plain = note == EventNote(name=note.name)
        return rules.model_copy(update={"events": others if plain else [*others, note]})

    with access.engine.begin() as connection:
        store.change_rules(connection, access.site.id, edit, access.user.id, "events")
    return note


@router.post("/goals/preview", openapi_extra=who("viewer"), responses=responses(401, 403, 404, 422))
def preview(request: PreviewRequest, access: Viewer, services: ServicesHere) -> PreviewOut:
    """What a goal would have counted in the last 30 days and today. For the site's viewers."""
    period = last_days(services, access, PREVIEW_DAYS)
    found = services.reader.read(access.site, queries.goal_preview, period, request.goal)
    return PreviewOut(period=period, **found.model_dump())


@router.get("/goals/counted", openapi_extra=who("viewer"), responses=responses(401, 404))
def counted(access: Viewer, services: ServicesHere) -> list[GoalCounted]:
    """What each goal of the site counted in the last 30 days and today. For the site's viewers."""
    with reading(access.engine) as connection:
        goals = store.goals_of(connection, access.site.id)
    found = services.reader.read(access.site, queries.goals_counted, last_days(services, access, PREVIEW_DAYS), [goal.goal for goal in goals])
    return [GoalCounted(id=goal.id, conversions=one.conversions, value=one.value) for goal, one in zip(goals, found, strict=True)]


@router.get("/fields/seen", openapi_extra=who("viewer"), responses=responses(401, 404))
def list_seen_fields(access: Viewer, services: ServicesHere) -> list[PropOut]:
    """Keys that hits of the last 90 days and today bore as fields of the site's own, defined or not, the commonest first. For the site's viewers."""
    return services.reader.read(access.site, queries.fields_seen, last_days(services, access, SEEN_DAYS))


@router.put("/fields/{key}", openapi_extra=who("analyst"), responses=responses(401, 403, 404, 422))
def keep_field(key: FieldKey, field: SiteField, access: Analyst) -> SiteField:
    """Add a site field, or change the one with this key; history is read by it. For the site's analysts."""
    if field.key != key:
        raise Problem(422, "The key in the address is not that of the field.")

    def edit(rules: SiteRules) -> SiteRules:
        keys = [one.key for one in rules.fields]
        fields = [field if one.key == key else one for one in rules.fields] if key in keys else [*rules.fields, field]
        return rules.model_copy(update={"fields": fields})

    with access.engine.begin() as connection:
        store.change_rules(connection, access.site.id, edit, access.user.id, "fields")
    return field


@router.delete("/fields/{key}", status_code=204, openapi_extra=who("analyst"), responses=responses(401, 403, 404))
def drop_field(key: FieldKey, access: Analyst) -> None:
    """Remove a site field. What was sent for it stays stored; the same field restored reads it again. For the site's analysts."""

    def edit(rules: SiteRules) -> SiteRules:
        if key not in [one.key for one in rules.fields]:
            raise Problem(404, "The site has no such field.")
        return rules.model_copy(update={"fields": [one for one in rules.fields if one.key != key]})

    with access.engine.begin() as connection:
        store.change_rules(connection, access.site.id, edit, access.user.id, "fields")
