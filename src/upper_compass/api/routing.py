"""Who may not call is told so before anything of the request's body is read, and bodies are judged in a thread."""

from __future__ import annotations

import json
from collections.abc import Callable, Coroutine
from typing import Any

from anyio import to_thread
from fastapi import Request, Response
from fastapi.routing import APIRoute

from upper_compass.api.access import ROLES_ASKED, SAFE, admit


class Route(APIRoute):
    """An endpoint whose role and scope (`x-role` and `x-scope`, see `access.who`) are looked at first."""

    def get_route_handler(self) -> Callable[[Request], Coroutine[Any, Any, Response]]:
        """What answers a request."""
        answer = super().get_route_handler()
        role, scope = ((self.openapi_extra or {}).get(name) for name in ("x-role", "x-scope"))
        body = self.body_field

        async def handle(request: Request) -> Response:
            if role in ROLES_ASKED and scope:
                await to_thread.run_sync(admit, request, role, scope)
            if body is not None:
                # Judged here once where it holds nobody up. What is costly (patterns) is remembered, so that the framework's own look is cheap.
                await to_thread.run_sync(_judge, body, await request.body())
            response = await answer(request)
            if request.method not in SAFE and "site" in request.path_params:
                request.app.state.services.directory.forget(request.path_params["site"])
            return response

        return handle


def _judge(body: Any, content: bytes) -> None:  # noqa: ANN401
    try:
        parsed = json.loads(content)
    except (ValueError, RecursionError):
        return  # the framework says what is wrong
    body.validate(parsed, {}, loc=("body",))
