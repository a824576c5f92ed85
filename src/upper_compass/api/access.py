"""Who is calling, and what they may do: a cookie session with protection against forged requests, or a bearer token."""

from __future__ import annotations

import hmac
from collections.abc import Callable
from dataclasses import dataclass
from typing import Annotated, Any

import sqlalchemy as sa
from fastapi import Depends, Header, Path, Request

from upper_compass.api.problems import Problem
from upper_compass.api.services import Services
from upper_compass.store import people, sites
from upper_compass.store.people import User
from upper_compass.store.sites import Site
from upper_compass.store.tables import ROLES

COOKIE = "uc_session"
SAFE = ("GET", "HEAD", "OPTIONS")


def services_of(request: Request) -> Services:
    """The services of the application."""
    found: Services = request.app.state.services
    return found


ServicesHere = Annotated[Services, Depends(services_of)]


@dataclass(frozen=True)
class Caller:
    """Who is calling. `csrf` is the token of their session; None for a bearer token."""

    user: User
    csrf: str | None


def _caller(
    request: Request,
    services: ServicesHere,
    authorization: Annotated[str | None, Header(include_in_schema=False)] = None,
    x_csrf_token: Annotated[str | None, Header(description="The token that signing in gave; needed with a cookie session for all but GET.")] = None,
) -> Caller:
    with services.engine.begin() as connection:
        if authorization is not None:
            scheme, _, secret = authorization.partition(" ")
            user = people.token_user(connection, secret.strip()) if scheme.lower() == "bearer" else None
            if user is None:
                raise Problem(401, "This token is not known, or was revoked.", headers={"WWW-Authenticate": "Bearer"})
            return Caller(user, None)
        session = people.session_user(connection, request.cookies.get(COOKIE, ""))
    if session is None:
        raise Problem(401, "Please sign in.", headers={"WWW-Authenticate": "Bearer"})
    if request.method not in SAFE and not hmac.compare_digest((x_csrf_token or "").encode(), session[1].encode()):
        raise Problem(403, "This request did not come from the application's own pages: its X-CSRF-Token is missing or wrong.")
    return Caller(session[0], session[1])


SignedIn = Annotated[Caller, Depends(_caller)]
SiteKey = Annotated[str, Path(max_length=40, pattern=r"^[A-Za-z0-9_-]+$", description="The site's key.", examples=["mill"])]


@dataclass(frozen=True)
class Access:
    """A caller on a site where they have at least the role that the endpoint asks for."""

    user: User
    site: Site
    role: str
    engine: sa.Engine


def _access(least: str) -> Callable[..., Access]:
    def check(site: SiteKey, caller: SignedIn, services: ServicesHere) -> Access:
        with services.engine.connect() as connection:
            found = people.role_on(connection, caller.user, site)
            if found is None:  # whether the site exists is nobody else's business
                raise Problem(404, "There is no such site, or it is not yours.")
            if ROLES.index(found[1]) < ROLES.index(least):
                raise Problem(403, f"This needs the role of {least} on the site; you are {found[1]}.")
            here = sites.site_by_key(connection, site)
        if here is None:
            raise Problem(404, "There is no such site, or it is not yours.")
        return Access(caller.user, here, found[1], services.engine)

    return check


Viewer = Annotated[Access, Depends(_access("viewer"))]
Analyst = Annotated[Access, Depends(_access("analyst"))]
Owner = Annotated[Access, Depends(_access("owner"))]


def who(role: str) -> dict[str, Any]:
    """For the OpenAPI document: who may call."""
    return {"x-role": role}
