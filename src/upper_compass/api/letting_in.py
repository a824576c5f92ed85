"""What signing in, joining and one's own account share: tries are counted, passwords judged, sessions opened."""

from __future__ import annotations

from typing import Annotated

import sqlalchemy as sa
from anyio import CapacityLimiter
from fastapi import Request, Response
from limits import RateLimitItemPerMinute
from pydantic import BaseModel, Field, StringConstraints

from upper_compass.api.access import COOKIE, cookie_of
from upper_compass.api.problems import Problem
from upper_compass.core.dataset.user_agents import read_agent
from upper_compass.services import passwords
from upper_compass.services.application import Services
from upper_compass.store import accounts
from upper_compass.store.accounts import User
from upper_compass.store.sites import UnfitError

KNOWN = "uc_known"
# Minutes in which tries are counted.
WINDOW = 5
LONGEST_AGENT = 500
# No more passwords are compared or hashed at once, for each takes 64 MB and a moment of a core.
hashing = CapacityLimiter(2)

Email = Annotated[str, StringConstraints(min_length=3, max_length=200, pattern=r"^[^\s\x00]+$")]
PersonName = Annotated[str, StringConstraints(min_length=1, max_length=100, strip_whitespace=True, pattern=r"^[^\x00-\x1f]*$")]
Password = Annotated[str, Field(min_length=1, max_length=passwords.MOST)]


class SessionOut(BaseModel):
    """Who is signed in. `csrf` goes into the header X-CSRF-Token of every request that changes something.

    `address`: under which the installation is reached, where that was set; else it is the one that this was asked under.
    """

    email: str
    name: str
    csrf: str | None
    address: str | None


def count_try(services: Services, most: int, *who: str) -> None:
    """Count a try before anything is compared. Raises Problem."""
    wait = services.throttle.wait(RateLimitItemPerMinute(most, WINDOW), "sign-in", *who)
    if wait:
        raise Problem(429, f"Too many tries. Please wait {wait} seconds.", headers={"Retry-After": str(wait)})


def forget_tries(services: Services, most: int, *who: str) -> None:
    """Let the tries of whoever succeeded count no more."""
    services.throttle.forget(RateLimitItemPerMinute(most, WINDOW), "sign-in", *who)


def judge_password(password: str, field: str, *known: str) -> None:
    """Raises UnfitError for a new password that is none; `known`: what everybody knows of whoever has it."""
    wrong = passwords.fault(password, *known)
    if wrong:
        raise UnfitError(field, wrong)


def _browser(request: Request) -> str:
    """From where somebody signs in, as they would say it: `Firefox on Linux`."""
    _, browser, system = read_agent(request.headers.get("user-agent", "")[:LONGEST_AGENT])
    return " on ".join(one for one in (browser, system) if one)[:100]


def let_in(services: Services, connection: sa.Connection, user: User, request: Request, response: Response) -> SessionOut:
    """Open a session for somebody who proved who they are: the answer sets its cookie, and one by which this browser is known."""
    secret, csrf = accounts.open_session(connection, user, _browser(request))
    remembered = accounts.remember_browser(connection, user)
    secure = request.url.scheme == "https"
    for name, value, days in ((COOKIE, secret, accounts.SESSION_DAYS), (KNOWN, remembered, accounts.KNOWN_DAYS)):
        response.set_cookie(cookie_of(request, name), value, max_age=days * 86400, httponly=True, samesite="lax", secure=secure, path="/")
    return SessionOut(email=user.email, name=user.name, csrf=csrf, address=services.settings.public_url)
