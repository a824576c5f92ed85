"""The people of a site: their roles, and the links by which others come in."""

from __future__ import annotations

from collections.abc import Iterator
from contextlib import contextmanager
from datetime import datetime
from typing import Annotated, Literal

from anyio import to_thread
from fastapi import APIRouter, Path, Request, Response
from pydantic import BaseModel, ConfigDict, Field, StringConstraints

from upper_compass.api.access import Access, Owner, ServicesHere, SignedIn, Viewer, who
from upper_compass.api.letting_in import Email, Password, PersonName, SessionOut, count_try, hashing, judge_password, let_in
from upper_compass.api.problems import Problem, responses
from upper_compass.api.routing import Route
from upper_compass.collect.throttle import network_of
from upper_compass.services.application import Services
from upper_compass.store import accounts, people
from upper_compass.store.database import reading
from upper_compass.store.people import Invitation, LastOwnerError, Member

router = APIRouter(prefix="/api/v1", tags=["People"], route_class=Route)

Number = Annotated[int, Path(ge=1, le=2**31 - 1)]
Role = Literal["viewer", "analyst", "owner"]
Secret = Annotated[str, Field(min_length=20, max_length=100, pattern=r"^[A-Za-z0-9_-]+$")]
_EXAMPLE = "Xk3n0b8sVq1Zr5m7cT2yWd9uHf4eLg6aJp0iKo1uNxE"


class MemberOut(BaseModel):
    """Somebody with a role on the site. `you`: the caller."""

    id: int
    name: str
    email: str
    role: Role
    you: bool


class RoleIn(BaseModel):
    """A role."""

    model_config = ConfigDict(extra="forbid", json_schema_extra={"examples": [{"role": "analyst"}]})
    role: Role


class InvitationIn(RoleIn):
    """Who shall come in: the role, and whom the link is for, in one's own words."""

    model_config = ConfigDict(extra="forbid", json_schema_extra={"examples": [{"role": "viewer", "note": "Somebody of the shop"}]})
    note: Annotated[str, StringConstraints(max_length=200, strip_whitespace=True, pattern=r"^[^\x00]*$")] = ""


class InvitationOut(BaseModel):
    """A link that holds. `by` is null when they are gone."""

    id: int
    role: Role
    note: str
    by: str | None
    made: datetime
    until: datetime


class MadeInvitationOut(InvitationOut):
    """A new link; its `secret` is shown this once, and belongs behind `/invited#`."""

    secret: str


class InvitedIn(BaseModel):
    """The secret of a link."""

    model_config = ConfigDict(extra="forbid", json_schema_extra={"examples": [{"secret": _EXAMPLE}]})
    secret: Secret


class InvitedOut(BaseModel):
    """What a link lets in to."""

    site: str
    role: Role
    by: str | None
    until: datetime


class JoinIn(InvitedIn):
    """Somebody who has no account yet."""

    model_config = ConfigDict(
        extra="forbid",
        json_schema_extra={"examples": [{"secret": _EXAMPLE, "email": "ruth@mill.example", "name": "Ruth Okafor", "password": "seven loaves on a sill"}]},
    )
    email: Email
    name: PersonName
    password: Password


class EnteredOut(BaseModel):
    """The key of the site that one came in to."""

    key: str


def _told(member: Member, caller: int) -> MemberOut:
    return MemberOut(id=member.user.id, name=member.user.name, email=member.user.email, role=member.role, you=member.user.id == caller)


def _link(one: Invitation) -> InvitationOut:
    return InvitationOut.model_validate(one, from_attributes=True)


@contextmanager
def _but_the_last_owner() -> Iterator[None]:
    try:
        yield
    except LastOwnerError as error:
        raise Problem(409, "A site needs an owner. Make somebody else one first.") from error


@router.get("/sites/{site}/members", openapi_extra=who("owner", "person"), responses=responses(401, 403, 404))
def list_members(access: Owner) -> list[MemberOut]:
    """Everybody with a role on the site, by name. For the site's owners."""
    with reading(access.engine) as connection:
        return [_told(one, access.user.id) for one in people.members_of(connection, access.site.id)]


@router.put("/sites/{site}/members/{member}", openapi_extra=who("owner", "person"), responses=responses(401, 403, 404, 409, 422))
def change_role(member: Number, given: RoleIn, access: Owner) -> MemberOut:
    """Give somebody of the site another role. The last owner stays one. For the site's owners."""
    with access.engine.begin() as connection, _but_the_last_owner():
        changed = people.change_role(connection, access.site.id, member, given.role, access.user.id)
    if changed is None:
        raise Problem(404, "Nobody of the site has this number; they may have left.")
    return _told(changed, access.user.id)


@router.delete("/sites/{site}/members/me", status_code=204, openapi_extra=who("viewer", "person"), responses=responses(401, 403, 404, 409))
def leave(access: Viewer) -> None:
    """Leave the site oneself. The last owner cannot. For everybody of the site."""
    _remove(access, access.user.id)


@router.delete("/sites/{site}/members/{member}", status_code=204, openapi_extra=who("owner", "person"), responses=responses(401, 403, 404, 409))
def remove_member(member: Number, access: Owner) -> None:
    """Let somebody in to the site no more. The last owner cannot go. For the site's owners."""
    _remove(access, member)


def _remove(access: Access, member: int) -> None:
    with access.engine.begin() as connection, _but_the_last_owner():
        if not people.remove(connection, access.site.id, member, access.user.id):
            raise Problem(404, "Nobody of the site has this number; they may have left.")


@router.get("/sites/{site}/invitations", openapi_extra=who("owner", "person"), responses=responses(401, 403, 404))
def list_invitations(access: Owner) -> list[InvitationOut]:
    """Links that hold, the newest first. For the site's owners."""
    with reading(access.engine) as connection:
        return [_link(one) for one in people.invitations_of(connection, access.site.id)]


@router.post("/sites/{site}/invitations", status_code=201, openapi_extra=who("owner", "person"), responses=responses(401, 403, 404, 409, 422))
def invite(given: InvitationIn, access: Owner) -> MadeInvitationOut:
    """Make a link by which one person may come in, within a week. For the site's owners."""
    with access.engine.begin() as connection:
        try:
            made, secret = people.invite(connection, access.site.id, given.role, given.note, access.user.id)
        except people.TooManyInvitationsError as error:
            raise Problem(409, f"{people.MAX_INVITATIONS} links are open; take one back that nobody uses.") from error
    return MadeInvitationOut(**_link(made).model_dump(), secret=secret)


@router.delete("/sites/{site}/invitations/{invitation}", status_code=204, openapi_extra=who("owner", "person"), responses=responses(401, 403, 404))
def take_back(invitation: Number, access: Owner) -> None:
    """Take a link back. For the site's owners."""
    with access.engine.begin() as connection:
        if not people.take_back(connection, access.site.id, invitation, access.user.id):
            raise Problem(404, "The site has no such link; it may have been used, or have ended.")


def _gone() -> Problem:
    return Problem(404, "This link holds no more: it was used, taken back, or a week has passed. Ask for another.")


def _count(services: Services, request: Request) -> None:
    count_try(services, services.settings.sign_ins_per_network, "network", network_of(request.client.host if request.client else None))


@router.post("/invitations/looked-up", openapi_extra=who("anyone"), responses=responses(404, 422, 429))
def look_up(given: InvitedIn, request: Request, services: ServicesHere) -> InvitedOut:
    """What a link lets in to. Anyone who has it may ask."""
    _count(services, request)
    with reading(services.engine) as connection:
        found = people.invited(connection, given.secret)
    if found is None:
        raise _gone()
    return InvitedOut.model_validate(found, from_attributes=True)


@router.post("/invitations/accepted", openapi_extra=who("signed in", "person"), responses=responses(401, 403, 404, 422))
def accept(given: InvitedIn, caller: SignedIn, services: ServicesHere) -> EnteredOut:
    """Come in by a link, as whoever is signed in; it is used up."""
    with services.engine.begin() as connection:
        found = people.come_in(connection, given.secret, caller.user)
    if found is None:
        raise _gone()
    return EnteredOut(key=found.site_key)


@router.post("/invitations/joined", status_code=201, openapi_extra=who("anyone"), responses=responses(404, 408, 409, 413, 422, 429, 503))
async def join(given: JoinIn, request: Request, response: Response, services: ServicesHere) -> SessionOut:
    """Come in by a link with an account of one's own, made by this; one is signed in then. Anyone who has the link may."""
    _count(services, request)
    await to_thread.run_sync(_look, services, given)
    hashed = await to_thread.run_sync(accounts.hash_of, given.password, limiter=hashing)
    return await to_thread.run_sync(_join, services, given, hashed, request, response)


def _look(services: Services, given: JoinIn) -> None:
    """Nothing is hashed for a link that does not hold."""
    with reading(services.engine) as connection:
        if people.invited(connection, given.secret) is None:
            raise _gone()
    judge_password(given.password, "password", given.email, given.name)


def _join(services: Services, given: JoinIn, hashed: str, request: Request, response: Response) -> SessionOut:
    with services.engine.begin() as connection:
        user = accounts.join(connection, given.email, given.name, hashed)
        if user is None:
            raise Problem(409, "Somebody has an account with this address. Sign in with it, then open the link again.")
        if people.come_in(connection, given.secret, user) is None:
            raise _gone()
        return let_in(services, connection, user, request, response)
