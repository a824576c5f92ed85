"""*Watch*: hits as they arrive, single visits."""

from __future__ import annotations

import time
from collections.abc import AsyncIterator
from typing import Annotated, Any

from fastapi import APIRouter, Body, Header, Query
from starlette.responses import StreamingResponse

from upper_compass.api.access import ServicesHere, Viewer, who
from upper_compass.api.deps import goal_for, with_saved
from upper_compass.api.problems import Problem, responses
from upper_compass.api.routing import Route
from upper_compass.core.reports.real_time import LiveUpdate
from upper_compass.core.reports.visit_list import VisitDetail, VisitsRequest, VisitsResult
from upper_compass.frames import queries
from upper_compass.services.live_feed import AT_ONCE

router = APIRouter(prefix="/api/v1/sites/{site}", tags=["Watching"], route_class=Route)

_VISITS = {
    "period": {"first": "2026-10-26", "last": "2026-11-22"}, "goal": 1,
    "segment": {"where": {"conditions": [{"kind": "dimension", "dimension": "channel", "test": "is", "values": ["Email"]}]}},
}  # fmt: skip

# A stream ends after a while, so that a role that was taken away ends with it; the browser comes back by itself.
LONGEST = 300.0
_STREAM: dict[int | str, dict[str, Any]] = {
    200: {"content": {"text/event-stream": {"schema": {"type": "string"}}}, "description": "LiveUpdate, one JSON object an event"}
}


@router.post("/visits", openapi_extra=who("viewer"), responses=responses(401, 403, 404, 422))
def visits(access: Viewer, services: ServicesHere, request: VisitsRequest = Body(examples=[_VISITS])) -> VisitsResult:  # noqa: B008
    """Single visits, newest first. For the site's viewers."""
    return services.reader.read(access.site, queries.visits, with_saved(access, request), goal_for(access, request.goal))


@router.get("/visits/detail", openapi_extra=who("viewer"), responses=responses(401, 404, 422))
def visit_detail(
    access: Viewer,
    services: ServicesHere,
    visitor: Annotated[str, Query(min_length=1, max_length=64)],
    number: Annotated[int, Query(ge=1, le=2**31 - 1)],
    goal: Annotated[int | None, Query(ge=1, le=2**31 - 1)] = None,
) -> VisitDetail:
    """One visit with all its hits, and why it came from where it did. For the site's viewers."""
    found = services.reader.read(access.site, queries.visit_detail, visitor, number, goal_for(access, goal))
    if found is None:
        raise Problem(404, "The site has no such visit.")
    return found


@router.get("/now", openapi_extra=who("viewer"), responses=responses(401, 404))
def now(
    access: Viewer,
    services: ServicesHere,
    after: Annotated[int, Query(ge=0, le=2**62, description="Only hits that arrived after this number.")] = 0,
    visitor: Annotated[str | None, Query(max_length=64, description="Only hits of this visitor.")] = None,
    limit: Annotated[int, Query(ge=1, le=AT_ONCE)] = 50,
) -> LiveUpdate:
    """The newest hits, and who is on the site. For the site's viewers."""
    return services.live_feed.look(access.site, after, limit, visitor)


@router.get("/now/stream", openapi_extra=who("viewer"), response_class=StreamingResponse, responses=responses(401, 404) | _STREAM)
async def stream(access: Viewer, services: ServicesHere, last_event_id: Annotated[str | None, Header()] = None) -> StreamingResponse:
    """Hits as they arrive: server-sent events whose data are tidings. For the site's viewers."""
    number = last_event_id or ""
    after = int(number) if number.isascii() and number.isdigit() and len(number) < 19 else None

    async def events() -> AsyncIterator[str]:
        until = time.monotonic() + LONGEST
        async for news in services.live_feed.live_update(access.site, after):
            yield f"id: {news.seq}\ndata: {news.model_dump_json()}\n\n"
            if time.monotonic() > until:
                return

    return StreamingResponse(events(), media_type="text/event-stream", headers={"Cache-Control": "no-store", "X-Accel-Buffering": "no"})
