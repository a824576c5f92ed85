"""What several routers share: the goal that is steered by, the days of a preview, what a change of sorting would move, what was turned away."""

from __future__ import annotations

from collections.abc import Iterator
from contextlib import contextmanager
from datetime import UTC, date, datetime, timedelta
from typing import Protocol, TypeVar
from zoneinfo import ZoneInfo

from pydantic import BaseModel

from upper_compass.api.access import Access
from upper_compass.api.problems import FieldError, Problem
from upper_compass.core.definitions.goals import Goal
from upper_compass.core.definitions.periods import Period
from upper_compass.core.definitions.segments import UnfitSegmentError, every_segment, resolved, saved_in, with_segments
from upper_compass.core.definitions.site_rules import SiteRules, bare_host
from upper_compass.core.tagging.reclassification import ReclassificationPreview
from upper_compass.frames import queries
from upper_compass.services.application import Services
from upper_compass.store import segments as stored_segments
from upper_compass.store import sites as store
from upper_compass.store.database import reading
from upper_compass.store.refusals import Refused, refusals_of
from upper_compass.store.saved import FullError, TakenError
from upper_compass.store.sites import StoredGoal

PREVIEW_DAYS = 90
Asked = TypeVar("Asked", bound=BaseModel)


class AsksForGoals(Protocol):
    """A request that counts goals."""

    @property
    def goals(self) -> set[int]:
        """The ids of all goals that are asked for."""
        ...


def with_saved(access: Access, request: Asked) -> Asked:
    """A request with the segments that are saved at the site in place of where it names them."""
    if not any(saved_in(segment.where) for segment in every_segment(request)):
        return request
    with reading(access.engine) as connection:
        saved = stored_segments.models_of(connection, access.site.id)
    try:
        return with_segments(request, lambda segment: resolved(segment, saved))
    except UnfitSegmentError as error:
        raise unfit_segment(error) from error


def unfit_segment(error: UnfitSegmentError) -> Problem:
    """What is wrong with a segment, in a problem document."""
    text = str(error)
    return Problem(422, f"{text[:1].upper()}{text[1:]}.", [FieldError(field="segment", text=text)])


def goal_for(access: Access, goal_id: int | None) -> Goal | None:
    """The goal to steer by."""
    if goal_id is None:
        return None
    with reading(access.engine) as connection:
        stored = store.goal_of(connection, access.site.id, goal_id)
    if stored is None:
        raise Problem(422, "The site has no such goal.", [FieldError(field="goal", text="the site has no such goal")])
    return stored.goal


def goals_for(access: Access, request: AsksForGoals) -> dict[int, Goal]:
    """All goals that a report asks for, by id."""
    return {goal: stored.goal for goal, stored in stored_goals_for(access, request).items()}


def stored_goals_for(access: Access, request: AsksForGoals) -> dict[int, StoredGoal]:
    """The same with their names."""
    if not request.goals:
        return {}
    with reading(access.engine) as connection:
        found = store.goals_among(connection, access.site.id, request.goals)
    if missing := request.goals - found.keys():
        field = "goal" if getattr(request, "goal", None) in missing else "columns"
        raise Problem(422, "The site has no such goal.", [FieldError(field=field, text="the site has no such goal")])
    return found


def today_at(access: Access, services: Services) -> date:
    """The day that is not over at the site."""
    return services.now().astimezone(ZoneInfo(access.site.rules.timezone)).date()


def last_days(services: Services, access: Access, days: int) -> Period:
    """The last complete days at the site, and today so far, that what was just tried is seen."""
    today = today_at(access, services)
    return Period(first=today - timedelta(days=days), last=today)


class ReclassificationOut(ReclassificationPreview):
    """What would change, and in which days."""

    period: Period


def moves_by(services: Services, access: Access, drafted: SiteRules) -> ReclassificationOut:
    """What of the last 90 days and today would change if the site were read by the drafted rules."""
    period = last_days(services, access, PREVIEW_DAYS)
    found = services.reader.read(access.site, queries.sorting_moves, period, drafted)
    return ReclassificationOut(period=period, **found.model_dump())


def refused_of(access: Access, services: Services, since: datetime | None = None) -> list[Refused]:
    """What was turned away of a site, also just now. Hosts that were added to the site since are no reason any more."""
    services.refusals.flush()
    hosts = frozenset(bare_host(host) for host in access.site.rules.hosts)
    if since is not None and since.tzinfo is None:
        since = since.replace(tzinfo=UTC)
    with reading(access.engine) as connection:
        found = refusals_of(connection, access.site.key, hosts, since)
    return [one for one in found if one.place.why != "unknown host" or one.place.host not in hosts]


@contextmanager
def saving(what: str, name: str, most: int) -> Iterator[None]:
    """Says what is in the way of saving something under a name. Raises Problem."""
    try:
        yield
    except FullError as error:
        raise Problem(409, f"The site has {most:,} {what}s, archived ones among them, as many as it may.") from error
    except TakenError as error:
        raise Problem(409, f"There is a {what} “{name}” already.", [FieldError(field="name", text=f"another {what} has this name")]) from error
