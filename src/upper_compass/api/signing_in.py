"""Signing in and out."""

from __future__ import annotations

import time
from collections import OrderedDict
from typing import Annotated

from fastapi import APIRouter, Request, Response
from pydantic import BaseModel, ConfigDict, Field, StringConstraints

from upper_compass.api.access import COOKIE, ServicesHere, SignedIn, who
from upper_compass.api.problems import Problem, responses
from upper_compass.store import people

router = APIRouter(prefix="/api/v1", tags=["Signing in"])

TRIES, WINDOW, REMEMBERED = 10, 300.0, 10_000


class Credentials(BaseModel):
    """An address and a password."""

    model_config = ConfigDict(extra="forbid", json_schema_extra={"examples": [{"email": "ida@fennmoor-mill.example", "password": "flour and water"}]})
    email: Annotated[str, StringConstraints(min_length=3, max_length=200, pattern=r"^[^\s\x00]+$")]
    password: Annotated[str, Field(min_length=1, max_length=200)]


class SessionOut(BaseModel):
    """Who is signed in. `csrf` goes into the header X-CSRF-Token of every request that changes something."""

    email: str
    name: str
    csrf: str | None


class _Throttle:
    """At most so many wrong tries for one address within five minutes."""

    def __init__(self) -> None:
        self._tries: OrderedDict[str, list[float]] = OrderedDict()

    def check(self, key: str) -> None:
        now = time.monotonic()
        recent = [at for at in self._tries.get(key, []) if now - at < WINDOW]
        if len(recent) >= TRIES:
            wait = int(WINDOW - (now - recent[0])) + 1
            raise Problem(429, f"Too many tries with this address. Please wait {wait} seconds.", headers={"Retry-After": str(wait)})

    def failed(self, key: str) -> None:
        self._tries.setdefault(key, []).append(time.monotonic())
        self._tries[key] = self._tries[key][-TRIES:]
        self._tries.move_to_end(key)
        while len(self._tries) > REMEMBERED:
            self._tries.popitem(last=False)


_throttle = _Throttle()


@router.post("/session", openapi_extra=who("anyone"), responses=responses(401, 429))
def sign_in(given: Credentials, request: Request, response: Response, services: ServicesHere) -> SessionOut:
    """Sign in. Anyone may call; the answer sets the session's cookie."""
    key = given.email.strip().lower()
    _throttle.check(key)
    with services.engine.begin() as connection:
        user = people.check_password(connection, given.email, given.password)
        if user is None:
            _throttle.failed(key)
            raise Problem(401, "This address and password do not go together.")
        secret, csrf = people.open_session(connection, user)
    secure = request.url.scheme == "https"
    response.set_cookie(COOKIE, secret, max_age=people.SESSION_DAYS * 86400, httponly=True, samesite="lax", secure=secure, path="/")
    return SessionOut(email=user.email, name=user.name, csrf=csrf)


@router.get("/session", openapi_extra=who("signed in"), responses=responses(401))
def session(caller: SignedIn) -> SessionOut:
    """Who is signed in."""
    return SessionOut(email=caller.user.email, name=caller.user.name, csrf=caller.csrf)


@router.delete("/session", status_code=204, openapi_extra=who("signed in"), responses=responses(401, 403))
def sign_out(caller: SignedIn, request: Request, response: Response, services: ServicesHere) -> None:
    """Sign out; the session ends here and now."""
    _ = caller
    with services.engine.begin() as connection:
        people.close_session(connection, request.cookies.get(COOKIE, ""))
    response.delete_cookie(COOKIE, path="/")
