"""Sites and their goals."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import date, timedelta
from typing import Annotated
from zoneinfo import ZoneInfo

import sqlalchemy as sa
from fastapi import APIRouter, Path
from pydantic import BaseModel, ConfigDict, StringConstraints

from upper_compass.api.access import Analyst, Owner, ServicesHere, SignedIn, Viewer, who
from upper_compass.api.problems import Problem, responses
from upper_compass.api.routing import Route
from upper_compass.core.definitions.goals import Goal
from upper_compass.core.definitions.script_settings import Tagging
from upper_compass.core.definitions.site_rules import SiteRules
from upper_compass.store import sites as store
from upper_compass.store.database import reading
from upper_compass.store.record import first_moments
from upper_compass.store.sites import Site, StoredGoal

router = APIRouter(prefix="/api/v1/sites", tags=["Sites"], route_class=Route)

Name = Annotated[str, StringConstraints(min_length=1, max_length=100, strip_whitespace=True, pattern=r"^[^\x00]*$")]
GoalId = Annotated[int, Path(ge=1, le=2**31 - 1)]


class SiteIn(BaseModel):
    """A site's name and the rules by which its hits are read."""

    model_config = ConfigDict(
        extra="forbid",
        json_schema_extra={
            "examples": [{"name": "Fennmoor Mill", "rules": {"hosts": ["fennmoor-mill.example"], "timezone": "Europe/Dublin", "currency": "EUR"}}]
        },
    )
    name: Name
    rules: SiteRules
    tagging: Tagging = Tagging()


class SiteOut(BaseModel):
    """A site as its people see it. `today` is the day at the site, `first_day` the day of its first hit."""

    key: str
    name: str
    role: str
    timezone: str
    currency: str
    today: date
    first_day: date
    rules: SiteRules
    tagging: Tagging


class GoalIn(BaseModel):
    """A goal under a name."""

    model_config = ConfigDict(
        extra="forbid", json_schema_extra={"examples": [{"name": "Course bookings", "goal": {"match": {"kind": "event", "names": ["course booked"]}}}]}
    )
    name: Name
    goal: Goal


class GoalOut(GoalIn):
    """A goal of the site."""

    id: int


def _out(services: ServicesHere, connection: sa.Connection, found: Sequence[tuple[Site, str]]) -> list[SiteOut]:
    """Sites with the caller's role on each."""
    moments = first_moments(connection, [site.id for site, _ in found])
    history = []
    for site, role in found:
        zone = ZoneInfo(site.rules.timezone)
        today = services.now().astimezone(zone).date()
        first = moments[site.id].astimezone(zone).date() if site.id in moments else today - timedelta(days=1)
        history.append(
            SiteOut(
                key=site.key, name=site.name, role=role, timezone=site.rules.timezone, currency=site.rules.currency, today=today, first_day=first,
                rules=site.rules, tagging=site.tagging,
            )
        )  # fmt: skip
    return history


def _goal_out(stored: StoredGoal) -> GoalOut:
    return GoalOut(id=stored.id, name=stored.name, goal=stored.goal)


@router.get("", openapi_extra=who("signed in"), responses=responses(401))
def list_sites(caller: SignedIn, services: ServicesHere) -> list[SiteOut]:
    """The sites of whoever is signed in, by name."""
    with reading(services.engine) as connection:
        mine = store.sites_of(connection, caller.user.id)
        return _out(services, connection, [one for one in mine if caller.site_id in (None, one[0].id)])


@router.post("", status_code=201, openapi_extra=who("signed in", "write"), responses=responses(401, 403, 422))
def add_site(given: SiteIn, caller: SignedIn, services: ServicesHere) -> SiteOut:
    """Add a site. Whoever is signed in may; they own it then."""
    if caller.site_id is not None:
        raise Problem(403, "This token is for one site.")
    with services.engine.begin() as connection:
        return _out(services, connection, [(store.add_site(connection, given.name, given.rules, caller.user.id, tagging=given.tagging), "owner")])[0]


@router.get("/{site}", openapi_extra=who("viewer"), responses=responses(401, 404))
def read_site(access: Viewer, services: ServicesHere) -> SiteOut:
    """One site. For its viewers."""
    with reading(services.engine) as connection:
        return _out(services, connection, [(access.site, access.role)])[0]


@router.put("/{site}", openapi_extra=who("owner"), responses=responses(401, 403, 404, 422))
def change_site(given: SiteIn, access: Owner, services: ServicesHere) -> SiteOut:
    """Give the site another name and other settings; history is read anew. For its owners.

    Aliases, channels, notes on events and site fields are changed through doors of their own and stay as they are here.
    """
    with services.engine.begin() as connection:
        changed = store.change_site(connection, access.site, given.name, given.rules, given.tagging, access.user.id)
        return _out(services, connection, [(changed, access.role)])[0]


@router.get("/{site}/goals", openapi_extra=who("viewer"), responses=responses(401, 404))
def list_goals(access: Viewer) -> list[GoalOut]:
    """The site's goals, the one to steer by first. For its viewers."""
    with reading(access.engine) as connection:
        return [_goal_out(goal) for goal in store.goals_of(connection, access.site.id)]


@router.post("/{site}/goals", status_code=201, openapi_extra=who("analyst"), responses=responses(401, 403, 404, 422))
def add_goal(given: GoalIn, access: Analyst) -> GoalOut:
    """Add a goal. For the site's analysts."""
    with access.engine.begin() as connection:
        return _goal_out(store.add_goal(connection, access.site.id, given.name, given.goal, access.user.id))


@router.get("/{site}/goals/archived", openapi_extra=who("viewer"), responses=responses(401, 404))
def list_archived_goals(access: Viewer) -> list[GoalOut]:
    """Goals that were put away, the last one first; each can be restored. For the site's viewers."""
    with reading(access.engine) as connection:
        return [_goal_out(goal) for goal in store.goals_of(connection, access.site.id, archived=True)]


@router.put("/{site}/goals/{goal}", openapi_extra=who("analyst"), responses=responses(401, 403, 404, 422))
def change_goal(goal: GoalId, given: GoalIn, access: Analyst) -> GoalOut:
    """Change a goal; history is read anew by it. For the site's analysts."""
    with access.engine.begin() as connection:
        stored = store.goal_of(connection, access.site.id, goal)
        if stored is None:
            raise Problem(404, "The site has no such goal.")
        return _goal_out(store.change_goal(connection, access.site.id, stored, given.name, given.goal, access.user.id))


@router.delete("/{site}/goals/{goal}", status_code=204, openapi_extra=who("analyst"), responses=responses(401, 403, 404))
def delete_goal(goal: GoalId, access: Analyst) -> None:
    """Put a goal away; it can be restored. For the site's analysts."""
    with access.engine.begin() as connection:
        if store.goal_of(connection, access.site.id, goal) is None:
            raise Problem(404, "The site has no such goal.")
        store.delete_goal(connection, access.site.id, goal, access.user.id)


@router.post("/{site}/goals/{goal}/restore", openapi_extra=who("analyst"), responses=responses(401, 403, 404))
def restore_goal(goal: GoalId, access: Analyst) -> GoalOut:
    """Bring back a goal that was put away. For the site's analysts."""
    with access.engine.begin() as connection:
        restored = store.restore_goal(connection, access.site.id, goal, access.user.id)
    if restored is None:
        raise Problem(404, "The site has put no such goal away.")
    return _goal_out(restored)
