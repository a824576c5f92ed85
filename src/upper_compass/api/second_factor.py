"""One's own second factor: codes by time from a device, and recovery codes for when it is lost."""

from __future__ import annotations

from datetime import datetime
from typing import Annotated

from anyio import to_thread
from fastapi import APIRouter
from pydantic import BaseModel, ConfigDict, StringConstraints

from upper_compass.api.access import ServicesHere, SignedIn, who
from upper_compass.api.letting_in import Code, Password, prove_password, take_code
from upper_compass.api.problems import Problem, responses
from upper_compass.api.routing import Route
from upper_compass.core.tagging.qr_codes import CodeRequest, make_code
from upper_compass.services import codes
from upper_compass.services.application import Services
from upper_compass.store import second_factor
from upper_compass.store.accounts import User
from upper_compass.store.database import reading
from upper_compass.store.sites import UnfitError

router = APIRouter(prefix="/api/v1/account/second-factor", tags=["Account"], route_class=Route)

DeviceCode = Annotated[str, StringConstraints(min_length=1, max_length=20)]


class SecondFactorOut(BaseModel):
    """Since when a code is asked for at each sign-in, null where none is; how many recovery codes are left."""

    since: datetime | None
    codes_left: int


class ProvenIn(BaseModel):
    """The password, once more."""

    model_config = ConfigDict(extra="forbid")
    password: Password


class BegunOut(BaseModel):
    """What the device shall know: the secret as it is typed, and the same as a picture (SVG) to be read by it. Both are shown this once."""

    secret: str
    svg: str


class CodeIn(BaseModel):
    """A code that the device shows."""

    model_config = ConfigDict(extra="forbid")
    code: DeviceCode


class EndedIn(ProvenIn):
    """The password, and a code of the device or a recovery code."""

    code: Code


class RecoveryCodesOut(BaseModel):
    """Codes of which each works once in place of the device's. They are shown this once."""

    codes: list[str]


@router.get("", openapi_extra=who("signed in", "person"), responses=responses(401, 403))
def read_second_factor(caller: SignedIn, services: ServicesHere) -> SecondFactorOut:
    """Whether one is asked for a code when one signs in."""
    with reading(services.engine) as connection:
        found = second_factor.of_user(connection, caller.user.id)
    return SecondFactorOut(since=found.since, codes_left=found.codes_left) if found else SecondFactorOut(since=None, codes_left=0)


@router.post("", status_code=201, openapi_extra=who("signed in", "person"), responses=responses(401, 403, 409, 422, 429))
async def begin_second_factor(given: ProvenIn, caller: SignedIn, services: ServicesHere) -> BegunOut:
    """Share a secret with a device. Nothing is asked for until a code of it was given."""
    await prove_password(services, caller.user, given.password, "password")
    return await to_thread.run_sync(_begin, services, caller.user)


def _begin(services: Services, user: User) -> BegunOut:
    secret = codes.new_secret()
    with services.engine.begin() as connection:
        if not second_factor.begin(connection, user, secret):
            raise Problem(409, "You have a second factor already. End it first.")
    return BegunOut(secret=secret, svg=make_code(CodeRequest(text=codes.address_of(secret, user.email))).svg)


@router.put("", openapi_extra=who("signed in", "person"), responses=responses(401, 403, 404, 409, 422))
def confirm_second_factor(given: CodeIn, caller: SignedIn, services: ServicesHere) -> RecoveryCodesOut:
    """Give a code of the device: from now on one is asked for at each sign-in."""
    made = codes.new_recovery_codes()
    with services.engine.begin() as connection:
        begun = second_factor.of_user(connection, caller.user.id)
        if begun is None:
            raise Problem(404, "No second factor was begun.")
        step = codes.step_of(begun.secret, codes.bare(given.code), services.now())
        if step is None:
            raise UnfitError("code", "This is not what the device shows now. Is its clock right?")
        if not second_factor.confirm(connection, caller.user, step, [codes.bare(one) for one in made]):
            raise Problem(409, "You have a second factor already.")
    return RecoveryCodesOut(codes=made)


@router.post("/codes", openapi_extra=who("signed in", "person"), responses=responses(401, 403, 404, 422, 429))
async def renew_recovery_codes(given: ProvenIn, caller: SignedIn, services: ServicesHere) -> RecoveryCodesOut:
    """Other recovery codes; those that were hold no more."""
    await prove_password(services, caller.user, given.password, "password")
    return await to_thread.run_sync(_renew, services, caller.user)


def _renew(services: Services, user: User) -> RecoveryCodesOut:
    made = codes.new_recovery_codes()
    with services.engine.begin() as connection:
        found = second_factor.of_user(connection, user.id)
        if found is None or found.since is None:
            raise Problem(404, "You have no second factor.")
        second_factor.renew_codes(connection, user, [codes.bare(one) for one in made])
    return RecoveryCodesOut(codes=made)


@router.post("/ended", status_code=204, openapi_extra=who("signed in", "person"), responses=responses(401, 403, 404, 422, 429))
async def end_second_factor(given: EndedIn, caller: SignedIn, services: ServicesHere) -> None:
    """Be asked for no code any more."""
    await prove_password(services, caller.user, given.password, "password")
    await to_thread.run_sync(_end, services, caller.user, given.code)


def _end(services: Services, user: User, code: str) -> None:
    if not take_code(services, user, code):
        raise UnfitError("code", "This is neither what the device shows now nor a recovery code that is left.")
    with services.engine.begin() as connection:
        if not second_factor.end(connection, user, user.id):
            raise Problem(404, "You have no second factor.")
