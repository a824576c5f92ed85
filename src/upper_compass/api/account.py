"""One's own account: name, password, the sessions that one signed in with, the tokens that programs call with."""

from __future__ import annotations

from datetime import datetime
from typing import Annotated

import sqlalchemy as sa
from anyio import to_thread
from fastapi import APIRouter, Path, Request
from pydantic import BaseModel, ConfigDict, Field, StringConstraints

from upper_compass.api.access import Caller, ServicesHere, SignedIn, session_of, who
from upper_compass.api.change_log import ChangeOut, told_change
from upper_compass.api.letting_in import Password, PersonName, hashing, judge_password, prove_password
from upper_compass.api.problems import Problem, responses
from upper_compass.api.routing import Route
from upper_compass.services.application import Services
from upper_compass.store import accounts, change_log, sites, tokens
from upper_compass.store.accounts import User
from upper_compass.store.database import reading
from upper_compass.store.sites import UnfitError
from upper_compass.store.tokens import Scope, TooManyTokensError

router = APIRouter(prefix="/api/v1/account", tags=["Account"], route_class=Route)

Number = Annotated[int, Path(ge=1, le=2**31 - 1)]
LONGEST_DAYS = 3650
MAX_CHANGES = 50


class AccountOut(BaseModel):
    """Who one is. `has_password`: else one signs in by the provider alone."""

    email: str
    name: str
    has_password: bool


class AccountIn(BaseModel):
    """Another name."""

    model_config = ConfigDict(extra="forbid", json_schema_extra={"examples": [{"name": "Ida Brandvold"}]})
    name: PersonName


class PasswordIn(BaseModel):
    """The password as it is, and what it shall be."""

    model_config = ConfigDict(extra="forbid", json_schema_extra={"examples": [{"now": "flour and water", "then": "seven loaves on a sill"}]})
    now: Password
    then: Password


class SessionsOut(BaseModel):
    """A sign-in that holds. `seen`: when it was last used, to a quarter of an hour; `own`: the one that this is asked with."""

    id: int
    browser: str
    since: datetime
    seen: datetime
    own: bool


class ApiTokenIn(BaseModel):
    """A token. `site`: the key of the one that it is for, all without; `days`: after which it ends, never without."""

    model_config = ConfigDict(extra="forbid", json_schema_extra={"examples": [{"name": "Monday's sheet", "scope": "read", "site": "mill", "days": 365}]})
    name: PersonName
    scope: Scope
    site: Annotated[str, StringConstraints(max_length=40, pattern=r"^[A-Za-z0-9_-]+$")] | None = None
    days: Annotated[int, Field(ge=1, le=LONGEST_DAYS)] | None = None


class ApiTokenOut(BaseModel):
    """A token. `used`: when a program last called with it; `until`: when it ends."""

    id: int
    name: str
    scope: Scope
    site: str | None
    made: datetime
    used: datetime | None
    until: datetime | None


class MadeApiTokenOut(BaseModel):
    """A new token; `secret` is shown this once."""

    secret: str


@router.get("", openapi_extra=who("signed in"), responses=responses(401, 403))
def read_account(caller: SignedIn, services: ServicesHere) -> AccountOut:
    """Who one is."""
    with reading(services.engine) as connection:
        return _told(connection, caller.user)


def _told(connection: sa.Connection, user: User) -> AccountOut:
    return AccountOut(email=user.email, name=user.name, has_password=accounts.password_of(connection, user.email)[1] is not None)


@router.put("", openapi_extra=who("signed in", "person"), responses=responses(401, 403, 422))
def change_account(given: AccountIn, caller: SignedIn, services: ServicesHere) -> AccountOut:
    """Give oneself another name."""
    with services.engine.begin() as connection:
        return _told(connection, accounts.rename(connection, caller.user, given.name))


@router.put("/password", status_code=204, openapi_extra=who("signed in", "person"), responses=responses(401, 403, 422, 429))
async def change_password(given: PasswordIn, caller: SignedIn, request: Request, services: ServicesHere) -> None:
    """Give oneself another password. Every other session ends, and no other browser is known."""
    await prove_password(services, caller.user, given.now, "now")
    await to_thread.run_sync(judge_password, given.then, "then", caller.user.email, caller.user.name)
    fresh = await to_thread.run_sync(accounts.hash_of, given.then, limiter=hashing)
    await to_thread.run_sync(_set_password, services, caller.user, fresh, session_of(request))


def _set_password(services: Services, user: User, hashed: str, secret: str) -> None:
    with services.engine.begin() as connection:
        accounts.set_password(connection, user, hashed, by=user.id, but=secret)


@router.get("/changes", openapi_extra=who("signed in", "person"), responses=responses(401, 403))
def list_account_changes(caller: SignedIn, services: ServicesHere) -> list[ChangeOut]:
    """The newest changes of one's own account, the newest first."""
    with reading(services.engine) as connection:
        return [told_change(one) for one in change_log.account_changes(connection, caller.user.id, MAX_CHANGES)]


@router.get("/sessions", openapi_extra=who("signed in", "person"), responses=responses(401, 403))
def list_sessions(caller: SignedIn, request: Request, services: ServicesHere) -> list[SessionsOut]:
    """One's sign-ins that hold, the last used first."""
    with reading(services.engine) as connection:
        found = accounts.sessions_of(connection, caller.user.id, session_of(request))
    return [SessionsOut.model_validate(one, from_attributes=True) for one in found]


@router.delete("/sessions", status_code=204, openapi_extra=who("signed in", "person"), responses=responses(401, 403))
def end_other_sessions(caller: SignedIn, request: Request, services: ServicesHere) -> None:
    """End every sign-in of one's own but this one."""
    with services.engine.begin() as connection:
        accounts.end_sessions(connection, caller.user.id, but=session_of(request))


@router.delete("/sessions/{session}", status_code=204, openapi_extra=who("signed in", "person"), responses=responses(401, 403, 404))
def end_session(session: Number, caller: SignedIn, services: ServicesHere) -> None:
    """End a sign-in of one's own."""
    with services.engine.begin() as connection:
        if not accounts.end_sessions(connection, caller.user.id, number=session):
            raise Problem(404, "You have no such session; it may have ended already.")


@router.get("/tokens", openapi_extra=who("signed in", "person"), responses=responses(401, 403))
def list_tokens(caller: SignedIn, services: ServicesHere) -> list[ApiTokenOut]:
    """One's own tokens, the newest first."""
    with reading(services.engine) as connection:
        found = tokens.tokens_of(connection, caller.user.id)
    return [ApiTokenOut.model_validate(one, from_attributes=True) for one in found]


@router.post("/tokens", status_code=201, openapi_extra=who("signed in", "person"), responses=responses(401, 403, 409, 422))
def add_token(given: ApiTokenIn, caller: SignedIn, services: ServicesHere) -> MadeApiTokenOut:
    """Make a token that has one's own rights, as far as its scope goes. It is shown this once."""
    with services.engine.begin() as connection:
        site = _site_of(connection, caller, given.site) if given.site else None
        try:
            return MadeApiTokenOut(secret=tokens.add_token(connection, caller.user.id, given.name, given.scope, site, given.days))
        except TooManyTokensError as error:
            raise Problem(409, f"You have {tokens.MAX_TOKENS} tokens; revoke one that nobody uses.") from error


def _site_of(connection: sa.Connection, caller: Caller, key: str) -> int:
    found = sites.site_for(connection, caller.user.id, key)
    if found is None:
        raise UnfitError("site", "There is no such site, or it is not yours.")
    return found[0].id


@router.delete("/tokens/{token}", status_code=204, openapi_extra=who("signed in", "person"), responses=responses(401, 403, 404))
def revoke_token(token: Number, caller: SignedIn, services: ServicesHere) -> None:
    """Let a token of one's own hold no more."""
    with services.engine.begin() as connection:
        if not tokens.revoke_token(connection, caller.user.id, token):
            raise Problem(404, "You have no such token; it may have been revoked already.")
