"""*Watch*: hits as they arrive."""

from __future__ import annotations

import time
from collections.abc import AsyncIterator
from typing import Annotated

from fastapi import APIRouter, Header, Query
from starlette.responses import StreamingResponse

from upper_compass.api.access import ServicesHere, Viewer, who
from upper_compass.api.lookout import AT_ONCE, Tidings
from upper_compass.api.problems import responses

router = APIRouter(prefix="/api/v1/sites/{site}", tags=["Watching"])

# A stream ends after a while, so that a role that was taken away ends with it; the browser comes back by itself.
LONGEST = 300.0
_STREAM = {200: {"content": {"text/event-stream": {"schema": {"type": "string"}}}, "description": "Tidings, one JSON object an event"}}


@router.get("/now", openapi_extra=who("viewer"), responses=responses(401, 404))
def now(
    access: Viewer,
    services: ServicesHere,
    after: Annotated[int, Query(ge=0, le=2**62, description="Only hits that arrived after this number.")] = 0,
    visitor: Annotated[str | None, Query(max_length=64, description="Only hits of this visitor.")] = None,
    limit: Annotated[int, Query(ge=1, le=AT_ONCE)] = 50,
) -> Tidings:
    """The newest hits, and who is on the site. For the site's viewers."""
    return services.lookout.look(access.site, after, limit, visitor)


@router.get("/now/stream", openapi_extra=who("viewer"), response_class=StreamingResponse, responses=responses(401, 404) | _STREAM)
async def stream(access: Viewer, services: ServicesHere, last_event_id: Annotated[str | None, Header()] = None) -> StreamingResponse:
    """Hits as they arrive: server-sent events whose data are tidings. For the site's viewers."""
    number = last_event_id or ""
    after = int(number) if number.isascii() and number.isdigit() and len(number) < 19 else None

    async def events() -> AsyncIterator[str]:
        until = time.monotonic() + LONGEST
        async for news in services.lookout.tidings(access.site, after):
            yield f"id: {news.seq}\ndata: {news.model_dump_json()}\n\n"
            if time.monotonic() > until:
                return

    return StreamingResponse(events(), media_type="text/event-stream", headers={"Cache-Control": "no-store", "X-Accel-Buffering": "no"})
