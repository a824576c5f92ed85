"""Who is calling, and what they may do: a cookie session with protection against forged requests, or a bearer token."""

from __future__ import annotations

import hmac
import re
from dataclasses import dataclass
from typing import Annotated, Any, Literal

import sqlalchemy as sa
from fastapi import Depends, Header, Path, Request

from upper_compass.api.problems import Problem
from upper_compass.services.application import Services
from upper_compass.store import accounts, sites, tokens
from upper_compass.store.accounts import User
from upper_compass.store.database import reading
from upper_compass.store.sites import Site
from upper_compass.store.tables import ROLES
from upper_compass.store.tokens import Scope

COOKIE = "uc_session"
ROLES_ASKED = ("signed in", *ROLES)
SAFE = ("GET", "HEAD", "OPTIONS")


def services_of(request: Request) -> Services:
    """The services of the application."""
    found: Services = request.app.state.services
    return found


def cookie_of(request: Request, name: str) -> str:
    """The name under which a cookie is kept: browsers share cookies between the ports of a host, so installations on one machine tell theirs apart."""
    port = request.headers.get("host", "").rpartition(":")[2]
    return f"{name}_{port}" if port.isascii() and port.isdigit() else name


def session_of(request: Request) -> str:
    """The secret of the session that the request bears, or nothing."""
    return request.cookies.get(cookie_of(request, COOKIE), "")


async def _services(request: Request) -> Services:
    return services_of(request)


# What endpoints are given is at hand: it is handed over on the event loop, for each way into a thread and back costs as much as a question to the store.
ServicesHere = Annotated[Services, Depends(_services)]


# What a token may call, by its scope; endpoints of "person" are for somebody who signed in, and never for a token.
Asked = Literal["read", "write", "import", "person"]
_GRANTED: dict[Scope, frozenset[Asked]] = {"read": frozenset({"read"}), "write": frozenset({"read", "write", "import"}), "import": frozenset({"import"})}
_REFUSED: dict[Asked, str] = {
    "read": "This token may only bring files in.",
    "write": "This token may not change anything.",
    "import": "This token may not bring files in.",
    "person": "This is for people who sign in; a token may not do it.",
}


@dataclass(frozen=True)
class Caller:
    """Who is calling. `csrf` is the token of their session; None for a bearer token. `site_id`: the one site that a token is for."""

    user: User
    csrf: str | None
    scope: Scope | None = None
    site_id: int | None = None


def _signed_in(request: Request, connection: sa.Connection) -> Caller:
    """Who is calling, by what the request's head says."""
    authorization = request.headers.get("authorization")
    if authorization is not None:
        scheme, _, secret = authorization.partition(" ")
        bearer = tokens.token_user(connection, secret.strip()) if scheme.lower() == "bearer" else None
        if bearer is None:
            raise Problem(401, "This token is not known, has ended, or was revoked.", headers={"WWW-Authenticate": "Bearer"})
        return Caller(bearer.user, None, bearer.scope, bearer.site_id)
    session = accounts.session_user(connection, session_of(request))
    if session is None:
        raise Problem(401, "Please sign in.", headers={"WWW-Authenticate": "Bearer"})
    if request.method not in SAFE and not hmac.compare_digest(request.headers.get("x-csrf-token", "").encode(), session[1].encode()):
        raise Problem(403, "This request did not come from the application's own pages: its X-CSRF-Token is missing or wrong.")
    return Caller(session[0], session[1])


def admit(request: Request, role: str, asked: Asked) -> None:
    """Find out who is calling and whether they may, and remember it with the request. Looks at the request's head only; raises Problem."""
    services = services_of(request)
    with reading(services.engine) as connection:
        caller = request.state.caller = _signed_in(request, connection)
        if caller.scope is not None and asked not in _GRANTED[caller.scope]:
            raise Problem(403, _REFUSED[asked])
        if role not in ROLES:
            return
        key = request.path_params["site"]
        found = sites.site_for(connection, caller.user.id, key) if SITE_KEY.fullmatch(key) else None
        if found is None or caller.site_id not in (None, found[0].id):  # whether the site exists is nobody else's business
            raise Problem(404, "There is no such site, or it is not yours.")
        site, own = found
        if ROLES.index(own) < ROLES.index(role):
            raise Problem(403, f"This needs the role of {role} on the site; you are {own}.")
    request.state.access = Access(caller.user, site, own, services.engine)


async def _caller(
    request: Request,
    x_csrf_token: Annotated[str | None, Header(description="The token that signing in gave; needed with a cookie session for all but GET.")] = None,
) -> Caller:
    _ = x_csrf_token  # in the document; `admit` has looked at it
    found: Caller = request.state.caller
    return found


SignedIn = Annotated[Caller, Depends(_caller)]
SITE_KEY = re.compile(r"[A-Za-z0-9_-]{1,40}")
SiteKey = Annotated[str, Path(max_length=40, pattern=r"^[A-Za-z0-9_-]+$", description="The site's key.", examples=["mill"])]


@dataclass(frozen=True)
class Access:
    """A caller on a site where they have at least the role that the endpoint asks for."""

    user: User
    site: Site
    role: str
    engine: sa.Engine


async def _access(site: SiteKey, caller: SignedIn, request: Request) -> Access:
    _ = site, caller
    found: Access = request.state.access
    return found


Viewer = Annotated[Access, Depends(_access)]
Analyst = Annotated[Access, Depends(_access)]
Owner = Annotated[Access, Depends(_access)]


def who(role: str, scope: Asked | None = None) -> dict[str, Any]:
    """For the OpenAPI document: who may call, and with which scope of a token; unless it is said, viewers and whoever is signed in only read."""
    return {"x-role": role} | ({} if role.startswith("anyone") else {"x-scope": scope or ("read" if role in ("viewer", "signed in") else "write")})
