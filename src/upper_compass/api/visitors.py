"""One visitor: following them while tags are checked, handing out what is stored of them, forgetting them."""

from __future__ import annotations

from datetime import datetime
from typing import Annotated, Any

from fastapi import APIRouter, Path, Query
from pydantic import BaseModel
from starlette.responses import StreamingResponse

from upper_compass.api.access import Access, Owner, ServicesHere, Viewer, who
from upper_compass.api.deps import refused_of
from upper_compass.api.problems import Problem, responses
from upper_compass.api.routing import Route
from upper_compass.collect.tokens import LASTS, PATTERN, Kind
from upper_compass.services.application import Services
from upper_compass.store import visitors as store
from upper_compass.store.database import reading
from upper_compass.store.record import newest_page
from upper_compass.store.refusals import Refused, Why

router = APIRouter(prefix="/api/v1/sites/{site}", tags=["Visitors"], route_class=Route)

SAMPLE = "mill"
Visitor = Annotated[str, Query(min_length=1, max_length=64, description="The visitor's pseudonym.", examples=["k3v9a0"])]
Token = Annotated[str, Path(pattern=PATTERN)]
Since = Annotated[datetime | None, Query(description="Only what came last at this time or later.")]


Check = Annotated[bool, Query(description="A link is checked: what comes by it is own traffic.")]


class FollowedOut(BaseModel):
    """The visitor who opened the link, None as long as nobody did."""

    visitor: str | None


class TokenOut(BaseModel):
    """A token that goes behind `#uc-follow=` or `#uc-own=` in an address of the site, when it was made, and when it ends."""

    token: str
    at: datetime
    until: datetime


class LastPageOut(BaseModel):
    """The address of a page of the site: the one that was seen last, else its first host."""

    address: str


class RefusedOut(BaseModel):
    """What was turned away (or stored without a part of it, `shortened`; or only asked for the script, `fetched`): where, how often, since when, when last.

    `key`: the site's key as it was given; `field`: of the hit; `page`: its path.
    """

    why: Why
    host: str
    key: str
    field: str
    page: str
    times: int
    first: datetime
    last: datetime


class ForgottenOut(BaseModel):
    """How many hits were deleted."""

    hits: int


@router.post("/followed", status_code=201, openapi_extra=who("viewer"), responses=responses(401, 403, 404))
def follow(access: Viewer, services: ServicesHere, check: Check = False) -> TokenOut:
    """A token with which one browser is followed on the site, for a day. For the site's viewers."""
    return _token(access, services, "check" if check else "follow")


@router.post("/own-browsers", status_code=201, openapi_extra=who("viewer"), responses=responses(401, 403, 404))
def own_browser(access: Viewer, services: ServicesHere) -> TokenOut:
    """A token that makes a browser one of the site's own people's, for a year. For the site's viewers."""
    return _token(access, services, "own")


def _token(access: Access, services: Services, kind: Kind) -> TokenOut:
    now = services.now()
    return TokenOut(token=services.tokens.issue(access.site, kind), at=now, until=now + LASTS[kind])


@router.get("/followed/{token}", openapi_extra=who("viewer"), responses=responses(401, 404, 422))
def followed(token: Token, access: Viewer) -> FollowedOut:
    """Who opened a page of the site with `#uc-follow=` and this token. For the site's viewers."""
    with reading(access.engine) as connection:
        return FollowedOut(visitor=store.follower_of(connection, access.site.id, token))


@router.get("/last-page", openapi_extra=who("viewer"), responses=responses(401, 404))
def last_page(access: Viewer, services: ServicesHere) -> LastPageOut:
    """Where a page of the site is, to try its tags on. For the site's viewers."""
    if services.settings.demo and access.site.key == SAMPLE:
        return LastPageOut(address=f"/{SAMPLE}/")  # its pages are shown by this server, and count under their own host
    with reading(access.engine) as connection:
        seen = newest_page(connection, services.settings.storage_at, access.site.id)
    return LastPageOut(address=seen.partition("#")[0].partition("?")[0] if seen else f"https://{access.site.rules.hosts[0]}/")


@router.get("/refused", openapi_extra=who("viewer"), responses=responses(401, 404, 422))
def refused(access: Viewer, services: ServicesHere, since: Since = None) -> list[RefusedOut]:
    """What was turned away or shortened in the last 30 days, by page, the latest first. For the site's viewers."""
    return [RefusedOut(key=one.place.site_key, times=one.times, first=one.first, last=one.last, **_place(one)) for one in refused_of(access, services, since)]


def _place(one: Refused) -> dict[str, Any]:
    return {name: getattr(one.place, name) for name in ("why", "host", "field", "page")}


@router.get(
    "/visitors/export", openapi_extra=who("owner"), response_class=StreamingResponse,
    responses=responses(401, 403, 404, 422) | {200: {"content": {"application/x-ndjson": {"schema": {"type": "string"}}}, "description": "A hit a line"}},
)  # fmt: skip
def export(visitor: Visitor, access: Owner, services: ServicesHere) -> StreamingResponse:
    """All that is stored of one visitor, as JSON Lines in the form in which hits come in. For the site's owners."""
    with access.engine.connect() as connection:
        lines = list(store.hits_of(connection, services.settings.storage_at, access.site.id, visitor))
    if not lines:
        raise Problem(404, "Nothing is stored of this visitor.")
    headers = {"Content-Disposition": 'attachment; filename="visitor.jsonl"'}
    return StreamingResponse(iter(lines), media_type="application/x-ndjson", headers=headers)


@router.delete("/visitors", openapi_extra=who("owner"), responses=responses(401, 403, 404, 422))
def forget(visitor: Visitor, access: Owner, services: ServicesHere) -> ForgottenOut:
    """Delete every hit of one visitor, for good. For the site's owners."""
    with access.engine.begin() as connection:
        count = store.forget(connection, services.settings.storage_at, access.site.id, visitor)
    if not count:
        raise Problem(404, "Nothing is stored of this visitor.")
    return ForgottenOut(hits=count)
