"""What a request may cost before anybody looks at it: the length of its body, and the time that it takes to arrive and to be answered."""

from __future__ import annotations

import asyncio
import re

from starlette.exceptions import HTTPException
from starlette.types import ASGIApp, Message, Receive, Scope, Send

from upper_compass.api.problems import Problem
from upper_compass.settings import Settings

_IMPORT = re.compile(r"^/api/v1/sites/[^/]+/import/hits$")
# To take an import back takes as long as it is large.
_UNDO = re.compile(r"^/api/v1/sites/[^/]+/import/done/\d+$")
_STREAM = re.compile(r"^/api/v1/sites/[^/]+/now/stream$")
RETRY_AFTER = "5"


def _megabytes(count: int) -> str:
    return f"{count / 1024**2:,.0f} MB"


class Limits:
    """413 above the length that a body may have, before it is read where it says its length; 408 when it takes too long to come.

    A request that is not answered in time gets a 503: whatever it waits for, its sender need not.
    """

    def __init__(self, app: ASGIApp, settings: Settings) -> None:
        self._app, self._settings = app, settings

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        """Let a request through, within its limits."""
        if scope["type"] != "http":
            await self._app(scope, receive, send)
            return
        if b"%00" in scope["query_string"] or "\0" in scope["path"]:  # the store cannot hold it, so nothing can have it
            await self._refuse(Problem(422, "An address may not hold NUL.", headers={"Connection": "close"}), scope, receive, send)
            return
        imports = bool(_IMPORT.match(scope["path"]))
        most = self._settings.max_import_bytes if imports else self._settings.max_body_bytes
        length = dict(scope["headers"]).get(b"content-length", b"")
        if length.isdigit() and (len(length) > 15 or int(length) > most):
            await self._refuse(Problem(413, f"The body is longer than {_megabytes(most)}."), scope, receive, send)
            return
        within = self._settings.import_seconds if imports else self._settings.body_seconds
        limited = _Limited(receive, most, within)
        if imports or _STREAM.match(scope["path"]) or _UNDO.match(scope["path"]):
            await self._app(scope, limited, send)
        else:
            await self._answer_in_time(scope, limited, send)

    async def _answer_in_time(self, scope: Scope, limited: _Limited, send: Send) -> None:
        begun = False

        async def sent(message: Message) -> None:
            nonlocal begun
            begun = True
            await send(message)

        try:
            async with asyncio.timeout(self._settings.answer_seconds):
                await self._app(scope, limited, sent)
        except TimeoutError:
            if begun:
                raise
            late = Problem(503, "This takes longer than it may; please try again in a moment.", headers={"Retry-After": RETRY_AFTER})
            await self._refuse(late, scope, limited, send)

    @staticmethod
    async def _refuse(problem: Problem, scope: Scope, receive: Receive, send: Send) -> None:
        await problem.answer()(scope, receive, send)


class _Limited:
    """Hands a body on, chunk by chunk, as long as it is neither too long nor too slow."""

    def __init__(self, receive: Receive, most: int, within: float) -> None:
        self._receive, self._most, self._within = receive, most, within
        self._length = 0
        self._until: float | None = None
        self._whole = False

    async def __call__(self) -> Message:
        if self._whole:
            return await self._receive()
        clock = asyncio.get_running_loop().time
        self._until = self._until or clock() + self._within
        try:
            async with asyncio.timeout_at(self._until):
                message = await self._receive()
        except TimeoutError:
            raise HTTPException(408, "The body takes too long to arrive.", {"Connection": "close"}) from None
        self._whole = message["type"] != "http.request" or not message.get("more_body")
        self._length += len(message.get("body", b""))
        if self._length > self._most:
            raise HTTPException(413, f"The body is longer than {_megabytes(self._most)}.")
        return message
