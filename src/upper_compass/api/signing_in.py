"""Signing in and out."""

from __future__ import annotations

from typing import Annotated

from anyio import to_thread
from fastapi import APIRouter, Request, Response
from pydantic import BaseModel, ConfigDict, Field

from upper_compass.api.access import COOKIE, ServicesHere, SignedIn, cookie_of, session_of, who
from upper_compass.api.letting_in import KNOWN, Code, Email, SessionOut, count_try, forget_tries, hashing, let_in, take_code
from upper_compass.api.problems import FieldError, Problem, responses
from upper_compass.api.routing import Route
from upper_compass.collect.throttle import network_of
from upper_compass.services.application import Services
from upper_compass.store import accounts, second_factor
from upper_compass.store.accounts import User
from upper_compass.store.database import reading

router = APIRouter(prefix="/api/v1", tags=["Signing in"], route_class=Route)


class Credentials(BaseModel):
    """An address and a password."""

    model_config = ConfigDict(extra="forbid", json_schema_extra={"examples": [{"email": "ida@fennmoor-mill.example", "password": "flour and water"}]})
    email: Email
    password: Annotated[str, Field(min_length=1, max_length=200)]
    code: Annotated[Code | None, Field(description="of the second factor, or a recovery code, where the account has one")] = None


def _look_up(services: Services, account: str, browser: str) -> tuple[bool, User | None, str | None]:
    """(whether the account signed in from this browser before, the account, its hash)."""
    with reading(services.engine) as connection:
        user, hashed = accounts.password_of(connection, account)
        return bool(user and browser and accounts.knows_browser(connection, user, browser)), user, hashed


def _code_fits(services: Services, user: User, code: str | None) -> None:
    """Whoever has a second factor gives a code of it. Raises Problem; the field tells a form that it needs one more."""
    with reading(services.engine) as connection:
        found = second_factor.of_user(connection, user.id)
    if found is None or found.since is None:
        return
    if code is None:
        text = "Give the code that your device shows now, or a recovery code."
    elif take_code(services, user, code):
        return
    else:
        text = "This is neither what your device shows now nor a recovery code that is left. Each code works once."
    raise Problem(401, text, [FieldError(field="code", text=text)])


def _open(services: Services, user: User, request: Request, response: Response) -> SessionOut:
    with services.engine.begin() as connection:
        return let_in(services, connection, user, request, response)


@router.post("/session", openapi_extra=who("anyone"), responses=responses(401, 408, 413, 422, 429, 503))
async def sign_in(given: Credentials, request: Request, response: Response, services: ServicesHere) -> SessionOut:
    """Sign in. Anyone may call; the answer sets the session's cookie, and one by which this browser is known."""
    account = given.email.strip().lower()
    browser = request.cookies.get(cookie_of(request, KNOWN), "")[:100]
    count_try(services, services.settings.sign_ins_per_network, "network", network_of(request.client.host if request.client else None))
    known, user, hashed = await to_thread.run_sync(_look_up, services, account, browser)
    # By account, so that many networks together guess no faster; but strangers' tries do not count against a browser that the account knows.
    counted = ("browser", browser) if known else ("account", account)
    count_try(services, services.settings.sign_ins_per_account, *counted)
    fits = await to_thread.run_sync(accounts.fits, hashed, given.password, limiter=hashing)
    if user is None or not fits:
        raise Problem(401, "This address and password do not go together.")
    forget_tries(services, services.settings.sign_ins_per_account, *counted)
    await to_thread.run_sync(_code_fits, services, user, given.code)
    return await to_thread.run_sync(_open, services, user, request, response)


@router.get("/session", openapi_extra=who("signed in"), responses=responses(401))
def session(caller: SignedIn, services: ServicesHere) -> SessionOut:
    """Who is signed in."""
    return SessionOut(email=caller.user.email, name=caller.user.name, csrf=caller.csrf, address=services.settings.public_url)


@router.delete("/session", status_code=204, openapi_extra=who("signed in", "person"), responses=responses(401, 403))
def sign_out(caller: SignedIn, request: Request, response: Response, services: ServicesHere) -> None:
    """Sign out; the session ends here and now."""
    _ = caller
    with services.engine.begin() as connection:
        accounts.close_session(connection, session_of(request))
    response.delete_cookie(cookie_of(request, COOKIE), path="/")
