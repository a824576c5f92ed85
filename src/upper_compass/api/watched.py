"""Every request has an id, which its log lines, its problem document and its answer bear; and is counted."""

from __future__ import annotations

import secrets
import time

import structlog
from starlette.datastructures import MutableHeaders
from starlette.types import ASGIApp, Message, Receive, Scope, Send

from upper_compass.services.metrics import Metrics

HEADER = "X-Request-Id"
# What comes all the time is not worth a line of the log each.
QUIET = ("/collect", "/health", "/metrics", "/assets", "/uc.js")
METHODS = frozenset({"GET", "HEAD", "POST", "PUT", "DELETE", "OPTIONS", "PATCH"})
log = structlog.get_logger()


class Watched:
    """Gives each request its id, and tells of it when it is over. The query and the client's address are not written down."""

    def __init__(self, app: ASGIApp, metrics: Metrics) -> None:
        self._app, self._metrics = app, metrics

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        """Let a request through."""
        if scope["type"] != "http":
            await self._app(scope, receive, send)
            return
        number, began, status = secrets.token_hex(8), time.perf_counter(), 500

        async def sent(message: Message) -> None:
            nonlocal status
            if message["type"] == "http.response.start":
                status = message["status"]
                MutableHeaders(scope=message)[HEADER] = number
            await send(message)

        # Not taken back: each request has a context of its own, and whoever answers for a fault of ours stands outside of this.
        structlog.contextvars.bind_contextvars(request=number)
        try:
            await self._app(scope, receive, sent)
        finally:
            seconds = time.perf_counter() - began
            route = getattr(scope.get("route"), "path", "") or "none"
            method = scope["method"] if scope["method"] in METHODS else "other"
            self._metrics.answered(method, route, status, seconds)
            tell = log.debug if scope["path"].startswith(QUIET) else log.info
            tell("request", method=method, path=scope["path"][:300], status=status, ms=round(seconds * 1000))


def request_id() -> str | None:
    """The id of the request that is being answered."""
    found: str | None = structlog.contextvars.get_contextvars().get("request")
    return found
