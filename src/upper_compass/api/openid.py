"""Signing in by the provider that whoever runs the installation has set."""

from __future__ import annotations

import hmac
from typing import Annotated, Any, Literal

import structlog
from anyio import to_thread
from fastapi import APIRouter, Query, Request
from fastapi.responses import RedirectResponse, Response
from pydantic import BaseModel, ConfigDict, StringConstraints, ValidationError

from upper_compass.api.access import ServicesHere, cookie_of, who
from upper_compass.api.letting_in import count_try, let_in
from upper_compass.api.problems import Problem, responses
from upper_compass.api.routing import Route
from upper_compass.collect.throttle import network_of
from upper_compass.core.definitions.text_tests import storable
from upper_compass.services.application import Services
from upper_compass.services.openid import Begun, Identity, Provider, ProviderError
from upper_compass.store import accounts, identities, people

router = APIRouter(prefix="/api/v1/openid", tags=["Signing in"], route_class=Route)
log = structlog.get_logger()

TOLD: dict[int | str, dict[str, Any]] = {303: {"description": "To the sites, or to the sign-in with the reason."}}
BEGUN = "uc_begun"
BEGUN_SECONDS = 600
BACK = "/api/v1/openid/back"
# Why nobody came in; the sign-in has a sentence for each.
Refusal = Literal["away", "stopped", "stale", "unknown"]


class ProviderOut(BaseModel):
    """The provider by which one may sign in, as people know it; null where none is set."""

    name: str | None


class BeginIn(BaseModel):
    """`invitation`: the secret of a link by which one comes in, if any."""

    model_config = ConfigDict(extra="forbid")
    invitation: Annotated[str, StringConstraints(min_length=20, max_length=100, pattern=r"^[A-Za-z0-9_-]+$")] | None = None


class BeginOut(BaseModel):
    """The address at the provider, where one says who one is."""

    address: str


class RefusedError(Exception):
    """Nobody came in, and why."""

    def __init__(self, why: Refusal) -> None:
        super().__init__(why)
        self.why = why


def _provider(services: Services) -> Provider:
    if services.provider is None:
        raise Problem(404, "Nobody signs in by a provider here; none is set.")
    return services.provider


def _back(request: Request, services: Services) -> str:
    return f"{services.settings.public_url or str(request.base_url).rstrip('/')}{BACK}"


@router.get("", openapi_extra=who("anyone"))
def read_provider(services: ServicesHere) -> ProviderOut:
    """By which provider one may sign in. Anyone may ask."""
    return ProviderOut(name=services.provider.name if services.provider else None)


@router.post("/begun", openapi_extra=who("anyone"), responses=responses(404, 422, 429, 503))
def begin_sign_in(given: BeginIn, request: Request, response: Response, services: ServicesHere) -> BeginOut:
    """Begin to sign in by the provider. Anyone may call; the answer sets a cookie that holds for ten minutes."""
    provider = _provider(services)
    count_try(services, services.settings.sign_ins_per_network, "network", network_of(request.client.host if request.client else None))
    try:
        address, begun = provider.begin(_back(request, services), given.invitation)
    except ProviderError as why:
        log.warning("the provider of identities is away", why=str(why))
        raise Problem(503, f"{provider.name} does not answer. Try again in a while, or sign in with a password.") from why
    secure = request.url.scheme == "https"
    held = begun.model_dump_json(exclude_none=True).encode().hex()
    response.set_cookie(cookie_of(request, BEGUN), held, max_age=BEGUN_SECONDS, httponly=True, samesite="lax", secure=secure, path=BACK)
    return BeginOut(address=address)


@router.get(
    "/back",
    response_class=RedirectResponse,
    status_code=303,
    openapi_extra=who("anyone"),
    responses=TOLD | responses(404, 422),
)
async def come_back(
    request: Request,
    services: ServicesHere,
    state: Annotated[str, storable(200), Query()] = "",
    code: Annotated[str, storable(4000), Query()] = "",
) -> Response:
    """Where the provider sends a reader back to. Anyone may come; the answer signs them in, if the provider's word lets somebody in here."""
    provider = _provider(services)
    answer = RedirectResponse("/", 303)
    try:
        begun = _begun(request, state)
        if not code:
            raise RefusedError("stopped")
        identity = await to_thread.run_sync(_finish, provider, _back(request, services), begun, code)
        await to_thread.run_sync(_enter, services, identity, begun.invitation, request, answer)
    except RefusedError as refused:
        answer = RedirectResponse(f"/#{refused.why}", 303)
    answer.delete_cookie(cookie_of(request, BEGUN), path=BACK)
    return answer


def _begun(request: Request, state: str) -> Begun:
    """What this browser began, if it is what came back."""
    try:
        begun = Begun.model_validate_json(bytes.fromhex(request.cookies.get(cookie_of(request, BEGUN), "")))
    except (ValueError, ValidationError):
        raise RefusedError("stale") from None
    if not hmac.compare_digest(begun.state.encode(), state.encode()):
        raise RefusedError("stale")
    return begun


def _finish(provider: Provider, back: str, begun: Begun, code: str) -> Identity:
    try:
        return provider.finish(back, begun, code)
    except ProviderError as why:
        log.warning("the provider of identities did not say who came", why=str(why))
        raise RefusedError("away") from why


def _enter(services: Services, identity: Identity, invitation: str | None, request: Request, response: Response) -> None:
    """Whom the provider's word lets in: whoever came so before, has the address that it made sure of, or a link."""
    with services.engine.begin() as connection:
        user = identities.user_of(connection, identity.issuer, identity.subject)
        if user is None:
            user = accounts.user_by_email(connection, identity.email) if identity.email else None
            if user is None and identity.email and invitation and people.invited(connection, invitation):
                user = accounts.join(connection, identity.email, identity.name, None)
            if user is None:
                raise RefusedError("unknown")
            identities.remember(connection, user, identity.issuer, identity.subject)
        if invitation:
            people.come_in(connection, invitation, user)
        let_in(services, connection, user, request, response)
