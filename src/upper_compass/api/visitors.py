"""One visitor: following them while tags are checked, handing out what is stored of them, forgetting them."""

from __future__ import annotations

from typing import Annotated

from fastapi import APIRouter, Path, Query
from pydantic import BaseModel
from starlette.responses import StreamingResponse

from upper_compass.api.access import Owner, ServicesHere, Viewer, who
from upper_compass.api.problems import Problem, responses
from upper_compass.collect.refusals import Refusal
from upper_compass.core.site import bare_host
from upper_compass.store import visitors as store

router = APIRouter(prefix="/api/v1/sites/{site}", tags=["Visitors"])

Visitor = Annotated[str, Query(min_length=1, max_length=64, description="The visitor's pseudonym.", examples=["k3v9a0"])]
Token = Annotated[str, Path(pattern=r"^[A-Za-z0-9_-]{16,64}$")]


class FollowedOut(BaseModel):
    """The visitor who opened the link, None as long as nobody did."""

    visitor: str | None


class ForgottenOut(BaseModel):
    """How many hits were deleted."""

    hits: int


@router.get("/followed/{token}", openapi_extra=who("viewer"), responses=responses(401, 404, 422))
def followed(token: Token, access: Viewer) -> FollowedOut:
    """Who opened a page of the site with `#uc-follow=` and this token. For the site's viewers."""
    with access.engine.connect() as connection:
        return FollowedOut(visitor=store.follower_of(connection, access.site.id, token))


@router.get("/refused", openapi_extra=who("viewer"), responses=responses(401, 404))
def refused(access: Viewer, services: ServicesHere) -> list[Refusal]:
    """Pages that were lately turned away: of other hosts with the site's key, and of its hosts with another key. For the site's viewers."""
    return services.refusals.of(access.site.key, frozenset(bare_host(host) for host in access.site.rules.hosts))


@router.get(
    "/visitors/export", openapi_extra=who("owner"), response_class=StreamingResponse,
    responses=responses(401, 403, 404, 422) | {200: {"content": {"application/x-ndjson": {"schema": {"type": "string"}}}, "description": "A hit a line"}},
)  # fmt: skip
def export(visitor: Visitor, access: Owner) -> StreamingResponse:
    """All that is stored of one visitor, as JSON Lines in the form in which hits come in. For the site's owners."""
    with access.engine.connect() as connection:
        lines = list(store.hits_of(connection, access.site.id, visitor))
    if not lines:
        raise Problem(404, "Nothing is stored of this visitor.")
    headers = {"Content-Disposition": 'attachment; filename="visitor.jsonl"'}
    return StreamingResponse(iter(lines), media_type="application/x-ndjson", headers=headers)


@router.delete("/visitors", openapi_extra=who("owner"), responses=responses(401, 403, 404, 422))
def forget(visitor: Visitor, access: Owner) -> ForgottenOut:
    """Delete every hit of one visitor, for good. For the site's owners."""
    with access.engine.begin() as connection:
        count = store.forget(connection, access.site.id, visitor)
    if not count:
        raise Problem(404, "Nothing is stored of this visitor.")
    return ForgottenOut(hits=count)
