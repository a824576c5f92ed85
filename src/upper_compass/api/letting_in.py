"""What signing in, joining and one's own account share: tries are counted, passwords judged, sessions opened."""

from __future__ import annotations

from typing import Annotated

import sqlalchemy as sa
from anyio import CapacityLimiter, to_thread
from fastapi import Request, Response
from limits import RateLimitItemPerMinute
from pydantic import BaseModel, Field, StringConstraints

from upper_compass.api.access import COOKIE, cookie_of
from upper_compass.api.problems import Problem
from upper_compass.core.dataset.user_agents import read_agent
from upper_compass.services import codes, passwords
from upper_compass.services.application import Services
from upper_compass.store import accounts, second_factor
from upper_compass.store.accounts import User
from upper_compass.store.database import reading
from upper_compass.store.sites import UnfitError

KNOWN = "uc_known"
# Minutes in which tries are counted.
WINDOW = 5
LONGEST_AGENT = 500
# Codes of a second factor have six digits: whoever knows a password may not try many.
CODES_PER_HOUR, HOUR = 10, 60
# No more passwords are compared or hashed at once, for each takes 64 MB and a moment of a core.
hashing = CapacityLimiter(2)

Email = Annotated[str, StringConstraints(min_length=3, max_length=200, pattern=r"^[^\s\x00]+$")]
PersonName = Annotated[str, StringConstraints(min_length=1, max_length=100, strip_whitespace=True, pattern=r"^[^\x00-\x1f]*$")]
Password = Annotated[str, Field(min_length=1, max_length=passwords.MOST)]
Code = Annotated[str, StringConstraints(min_length=1, max_length=40)]


class SessionOut(BaseModel):
    """Who is signed in. `csrf` goes into the header X-CSRF-Token of every request that changes something.

    `address`: under which the installation is reached, where that was set; else it is the one that this was asked under.
    """

    email: str
    name: str
    csrf: str | None
    address: str | None


def count_try(services: Services, most: int, *who: str, minutes: int = WINDOW) -> None:
    """Count a try before anything is compared. Raises Problem."""
    wait = services.throttle.wait(RateLimitItemPerMinute(most, minutes), "sign-in", *who)
    if wait:
        raise Problem(429, f"Too many tries. Please wait {wait} seconds.", headers={"Retry-After": str(wait)})


def forget_tries(services: Services, most: int, *who: str, minutes: int = WINDOW) -> None:
    """Let the tries of whoever succeeded count no more."""
    services.throttle.forget(RateLimitItemPerMinute(most, minutes), "sign-in", *who)


def judge_password(password: str, field: str, *known: str) -> None:
    """Raises UnfitError for a new password that is none; `known`: what everybody knows of whoever has it."""
    wrong = passwords.fault(password, *known)
    if wrong:
        raise UnfitError(field, wrong)


async def prove_password(services: Services, user: User, password: str, field: str) -> None:
    """Whoever changes how they sign in gives their password once more. Raises UnfitError beside the field, Problem after too many tries."""
    account = ("password", str(user.id))
    count_try(services, services.settings.sign_ins_per_account, *account)
    hashed = await to_thread.run_sync(_password_of, services, user)
    if not await to_thread.run_sync(accounts.fits, hashed, password, limiter=hashing):
        raise UnfitError(field, "This is not your password.")
    forget_tries(services, services.settings.sign_ins_per_account, *account)


def _password_of(services: Services, user: User) -> str | None:
    with reading(services.engine) as connection:
        return accounts.password_of(connection, user.email)[1]


def take_code(services: Services, user: User, code: str) -> bool:
    """Whether this is a code of the user's device that holds now, or a recovery code that is left; it is used up. Raises Problem after too many tries."""
    tries = ("code", str(user.id))
    count_try(services, CODES_PER_HOUR, *tries, minutes=HOUR)
    bare = codes.bare(code)
    with services.engine.begin() as connection:
        found = second_factor.of_user(connection, user.id)
        step = codes.step_of(found.secret, bare, services.now()) if found else None
        taken = second_factor.use_step(connection, user, step) if step is not None else second_factor.use_code(connection, user, bare)
    if taken:
        forget_tries(services, CODES_PER_HOUR, *tries, minutes=HOUR)
    return taken


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
