"""*Tag → Links*: the library, and what came by its links."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import datetime
from typing import Annotated
from zoneinfo import ZoneInfo

from fastapi import APIRouter, Path, Query
from pydantic import BaseModel, ConfigDict, Field

from upper_compass.api.access import Access, Analyst, ServicesHere, Viewer, who
from upper_compass.api.deps import goal_for, last_days
from upper_compass.api.problems import FieldError, Problem, responses
from upper_compass.api.routing import Route
from upper_compass.core.dataset.traffic_sources import FIELDS
from upper_compass.core.definitions.periods import midnight
from upper_compass.core.tagging.link_builder import MAX_AT_ONCE, Builder, BuiltLink, LinkDraft, pages_of
from upper_compass.core.tagging.link_performance import LinkPerformance, RegisteredLink, UnregisteredLink
from upper_compass.core.tagging.link_sheets import Note, NotedDraft
from upper_compass.frames import queries
from upper_compass.reference import shipped
from upper_compass.store import links as store
from upper_compass.store.database import reading
from upper_compass.store.links import NewLink, StoredLink

router = APIRouter(prefix="/api/v1/sites/{site}", tags=["Links"], route_class=Route)

UNMADE_DAYS = 90
LinkId = Annotated[int, Path(ge=1, le=2**31 - 1)]
GoalId = Annotated[int | None, Query(ge=1, le=2**31 - 1)]


class LinksIn(BaseModel):
    """Links to keep, with a note on what they are for; a draft may have a note of its own."""

    model_config = ConfigDict(
        extra="forbid",
        json_schema_extra={"examples": [{"drafts": [{"address": "https://fennmoor-mill.example/shop", "source": "card", "medium": "print"}], "note": "Cards"}]},
    )
    drafts: Annotated[list[NotedDraft], Field(min_length=1, max_length=MAX_AT_ONCE)]
    note: Note = ""


class LinkOut(BaseModel):
    """A link of the library: how its visits are read today, the page they land on, what came by it since the day on which it was made.

    `by` is null when they are gone.
    """

    id: int
    url: str
    address: str
    note: str
    by: str | None
    made: datetime
    archived: bool
    read: BuiltLink
    page: str
    came: LinkPerformance


class LinkChange(BaseModel):
    """Another note, or whether it is archived."""

    model_config = ConfigDict(extra="forbid")
    note: Note
    archived: bool


def _made(access: Access, links: Sequence[StoredLink]) -> list[tuple[RegisteredLink, BuiltLink]]:
    """How the visits of each link are read today."""
    builder, zone = Builder(access.site.rules, shipped()), ZoneInfo(access.site.rules.timezone)
    read = [builder.build(link.draft) for link in links]
    pages = pages_of(access.site.rules, shipped(), [link.url for link in links])
    return [
        (RegisteredLink(link.id, {name: getattr(one, name) for name in FIELDS}, page, midnight(link.made.astimezone(zone).date(), zone)), one)
        for link, one, page in zip(links, read, pages, strict=True)
    ]


@router.get("/links", openapi_extra=who("viewer"), responses=responses(401, 404, 422))
def list_links(access: Viewer, services: ServicesHere, goal: GoalId = None) -> list[LinkOut]:
    """The library, newest first: every link with its visits since the day on which it was made, and their conversions of a goal. For the site's viewers."""
    with reading(access.engine) as connection:
        stored = store.links_of(connection, access.site.id)
    if not stored:
        return []
    made = _made(access, stored)
    came = services.reader.read(access.site, queries.visits_by_link, goal_for(access, goal), [one for one, _ in made])
    return [
        LinkOut(
            id=link.id, url=link.url, address=link.draft.address, note=link.note, by=link.by, made=link.made, archived=link.archived, read=read, page=one.page,
            came=came.get(link.id, LinkPerformance()),
        )
        for link, (one, read) in zip(stored, made, strict=True)
    ]  # fmt: skip


@router.post("/links", status_code=201, openapi_extra=who("analyst"), responses=responses(401, 403, 404, 409, 422))
def keep_links(access: Analyst, services: ServicesHere, given: LinksIn) -> list[int]:
    """Keep links in the library, or none when one is wrong; those that are there already stay as they are. For the site's analysts."""
    built = Builder(access.site.rules, shipped()).build_all(given.drafts, MAX_AT_ONCE + 1)
    if len(built) > MAX_AT_ONCE:
        raise Problem(422, f"This makes more than {MAX_AT_ONCE} links; save them in parts.")
    wrong = [(link, one) for link in built for one in link.remarks if one.is_error]
    if wrong:
        errors = [FieldError(field=f"drafts.{link.place}.{one.field}", text=one.text, index=link.place) for link, one in wrong]
        raise Problem(422, "Nothing was saved, because a link is not complete.", errors)
    made = {link.url: NewLink(link.draft, link.url, given.drafts[link.place].note or given.note) for link in reversed(built) if link.url}
    with access.engine.begin() as connection:
        there = {one.url for one in store.registered_links(connection, access.site.id, list(made))}
        fresh = [link for url, link in reversed(made.items()) if url not in there]
        if not fresh:
            raise Problem(409, "The library has this link already." if len(made) == 1 else "The library has all of these links already.")
        return store.add_links(connection, access.site.id, fresh, access.user.id, services.now())


@router.put("/links/{link}/draft", status_code=204, openapi_extra=who("analyst"), responses=responses(401, 403, 404, 409, 422))
def rebuild_link(link: LinkId, given: LinkDraft, access: Analyst) -> None:
    """Build a link of the library anew; it keeps its note and the day it was made. For the site's analysts."""
    built, *others = Builder(access.site.rules, shipped()).build_all([given], 2)
    if others:
        raise Problem(422, "One link cannot become several; duplicate it instead.", [FieldError(field="source", text="give one value, without commas")])
    if built.url is None:
        errors = [FieldError(field=one.field, text=one.text) for one in built.remarks if one.is_error]
        raise Problem(422, "Nothing was changed, because the link is not complete.", errors)
    with access.engine.begin() as connection:
        if any(one.id != link for one in store.registered_links(connection, access.site.id, [built.url])):
            raise Problem(409, "The library has this link already.")
        if not store.rebuild_link(connection, access.site.id, link, built.draft, built.url, access.user.id):
            raise Problem(404, "The site has no such link.")


@router.put("/links/{link}", status_code=204, openapi_extra=who("analyst"), responses=responses(401, 403, 404, 422))
def change_link(link: LinkId, given: LinkChange, access: Analyst) -> None:
    """Give a link another note, put it into the archive or take it out. For the site's analysts."""
    with access.engine.begin() as connection:
        if not store.change_link(connection, access.site.id, link, given.note, archived=given.archived, user_id=access.user.id):
            raise Problem(404, "The site has no such link.")


@router.get("/links/unregistered", openapi_extra=who("viewer"), responses=responses(401, 404))
def list_unmade(access: Viewer, services: ServicesHere) -> list[UnregisteredLink]:
    """Links seen in the traffic of the last 90 days that nobody made here. For the site's viewers."""
    with reading(access.engine) as connection:
        stored = store.links_of(connection, access.site.id)
    made = [one for one, _ in _made(access, stored)] if stored else []
    return services.reader.read(access.site, queries.links_unmade, last_days(services, access, UNMADE_DAYS), made)
