"""`POST /collect`: where sites send their hits. Answers 204 only when they are durable."""

from __future__ import annotations

import asyncio
from dataclasses import dataclass
from typing import Annotated, Any, TypeVar
from urllib.parse import urlsplit
from zoneinfo import ZoneInfo

from anyio import to_thread
from fastapi import APIRouter, Query, Request, Response
from limits import RateLimitItemPerMinute
from pydantic import BaseModel, ConfigDict, Field, ValidationError

from upper_compass.api.access import ServicesHere, who
from upper_compass.api.problems import FieldError, Problem, responses
from upper_compass.collect.checking import Checked, UnreadableError, as_rows, check_body, first_problem, read_sent
from upper_compass.collect.directory import SiteEntry
from upper_compass.collect.marking import are_judged, is_internal
from upper_compass.collect.throttle import network_of
from upper_compass.collect.writing import BusyError, NotStoredError
from upper_compass.core.dataset.traffic_sources import TrafficSource
from upper_compass.core.definitions.hits import Address, Hit
from upper_compass.core.definitions.site_rules import bare_host
from upper_compass.services.application import Services
from upper_compass.store import visitors
from upper_compass.store.hits import HitRow
from upper_compass.store.refusals import Place
from upper_compass.store.sites import Site as StoredSite

router = APIRouter(tags=["Collecting"])

MAX_BYTES = 64 * 1024
SMALL = 8 * 1024
MAX_HOST, MAX_FIELD, MAX_VISITOR = 253, 100, 64
M = TypeVar("M", bound=BaseModel)
TYPES = ("application/json", "text/plain")
Site = Annotated[str, Query(max_length=40, description="The site's key.", examples=["mill"])]
Sent = Annotated[str | None, Query(max_length=20, description="The sender's clock when it sent, in ms since 1970; corrects absurd times.")]
Own = Annotated[str | None, Query(max_length=160, description="A token of the site: this browser is one of its own people's. Any other text says nothing.")]
Follow = Annotated[str | None, Query(max_length=160, description="The token of a link that is being checked; who sends it is followed.")]
_SCHEMA: dict[str, Any] = {"oneOf": [{"$ref": "#/components/schemas/Hit"}, {"type": "array", "maxItems": 100, "items": {"$ref": "#/components/schemas/Hit"}}]}
_EXAMPLE = {
    "id": "0d9a3a52-8f1c-4d3e-9a66-0f4f2a1c7b10", "at": "2026-11-22T09:30:00.000Z", "visitor": "k3v9", "kind": "view",
    "url": "https://fennmoor-mill.example/courses?utm_source=letter&utm_medium=email", "title": "Courses",
}  # fmt: skip


class ViewEvidence(BaseModel):
    """What one view tells of where it came from."""

    model_config = ConfigDict(extra="forbid")
    url: Address
    referrer: Annotated[str | None, Field(max_length=4000)] = None


_VIEW_BODY = {
    "requestBody": {
        "required": True,
        "content": {kind: {"schema": ViewEvidence.model_json_schema(), "example": {"url": _EXAMPLE["url"], "referrer": None}} for kind in TYPES},
    }
}
_BODY = {"requestBody": {"required": True, "content": {kind: {"schema": _SCHEMA, "example": _EXAMPLE} for kind in TYPES}}}


def _host_of(request: Request) -> str | None:
    """The host of the page that asks, without `www.`; None when it does not say."""
    origin = request.headers.get("origin")
    if origin is None:
        return None
    try:
        return bare_host(urlsplit(origin).hostname or "")
    except ValueError:
        return ""


def _allowed(request: Request, services: Services, found: SiteEntry) -> dict[str, str]:
    """Headers that let the page read the answer; a page of another host may not."""
    host = _host_of(request)
    if host is None:
        return {}
    if host not in found.hosts:
        services.refusals.note(Place(found.site.key, "unknown host", host[:MAX_HOST]))
        what = host or request.headers["origin"][:100]
        raise Problem(403, f"The site's settings do not list the host {what!r}.", [FieldError(field="Origin", text="not a host of the site")])
    return {"Access-Control-Allow-Origin": request.headers["origin"], "Access-Control-Expose-Headers": "Retry-After", "Vary": "Origin"}


async def _find(request: Request, services: Services, key: str) -> SiteEntry:
    found = await services.directory.find(key)
    if found is None:
        services.refusals.note(Place(key, "unknown key", (_host_of(request) or "")[:MAX_HOST]))
        raise Problem(404, "There is no site with this key.", [FieldError(field="site", text="no site has this key")])
    return found


def _count(services: Services, found: SiteEntry, address: str | None, hits: int) -> None:
    """Count what a network and a site send; what is too much is refused, and told in Tag health."""
    settings = services.settings
    network = network_of(address)
    for most, sender in ((settings.hits_per_network, ("network", network)), (settings.hits_per_site, ("site", found.site.key))):
        wait = services.throttle.wait(RateLimitItemPerMinute(most), "hits", *sender, cost=hits)
        if wait:
            services.refusals.note(Place(found.site.key, "too many", sender[0]))
            raise Problem(429, f"More hits arrive than this {sender[0]} may send. Please send them again later.", headers={"Retry-After": str(wait)})


async def _body(request: Request) -> bytes:
    kind = request.headers.get("content-type", "text/plain").partition(";")[0].strip().lower()
    if kind not in TYPES:
        raise Problem(415, "The body must be application/json or text/plain.", [FieldError(field="Content-Type", text="not a type that is read here")])
    parts = bytearray()
    async for chunk in request.stream():
        parts += chunk
        if len(parts) > MAX_BYTES:
            raise Problem(413, "The body is longer than 64 kB; send fewer hits at a time.", [FieldError(field="body", text="longer than 64 kB")])
    return bytes(parts)


@dataclass(frozen=True)
class Sending:
    """What came with a body. `own` and `follow` are tokens that the site issued, if they are anything."""

    body: bytes
    sent: str | None
    own: str | None
    follow: str | None
    address: str | None


async def _prepare(services: Services, found: SiteEntry, sending: Sending) -> tuple[list[HitRow], Checked]:
    """Read a body and make rows of it. Raises UnreadableError.

    What takes time with what was sent has a thread. A body of a few hits, such as a browser sends, costs less than the way to a thread and back.
    """
    if len(sending.body) > SMALL:
        checked = await to_thread.run_sync(_check, services, found, sending, limiter=services.collecting)
    else:
        checked = _check(services, found, sending)
    plain = found.site.tagging.cookie and not sending.follow and len(sending.body) <= SMALL and are_judged([hit.user_agent for hit in checked.hits])
    if plain:
        return _rows(services, found, sending, checked), checked
    return await to_thread.run_sync(_rows, services, found, sending, checked, limiter=services.collecting), checked


def _check(services: Services, found: SiteEntry, sending: Sending) -> Checked:
    return check_body(sending.body, services.now(), read_sent(sending.sent), found.hosts)


def _rows(services: Services, found: SiteEntry, sending: Sending, checked: Checked) -> list[HitRow]:
    site, hits = found.site, checked.hits
    if hits and not site.tagging.cookie:
        _give_pseudonyms(services, site, hits, sending.address)
    is_check = bool(sending.follow and services.tokens.read(site, sending.follow, "check") is not None)
    if is_check:
        for hit in hits:  # who checks a link is somebody else meanwhile, so that no visit under way takes it for its own
            hit.visitor = f"check{hit.visitor}"[:MAX_VISITOR]
    if hits and sending.follow and (is_check or services.tokens.read(site, sending.follow, "follow", "trial") is not None):
        with services.engine.begin() as connection:
            visitors.follow(connection, site.id, sending.follow, hits[-1].visitor)
    internal = is_check or is_internal(sending.address, found.internal_networks) or _is_own(services, site, sending.own)
    return as_rows(site.id, hits, country=services.countries.of(sending.address), internal=internal)


def _is_own(services: Services, site: StoredSite, own: str | None) -> bool:
    """Whether a token says that one of the site's own people sends it: their browser, or a draft that is tried out."""
    return bool(own and services.tokens.read(site, own, "own", "trial") is not None)


def _give_pseudonyms(services: Services, site: StoredSite, hits: list[Hit], address: str | None) -> None:
    """A site without a cookie: whatever the sender calls itself, it is known for the day only."""
    day = services.now().astimezone(ZoneInfo(site.rules.timezone)).date()
    for hit in hits:
        hit.visitor = services.pseudonyms.of(site.id, day, address, hit.user_agent)


def _note(services: Services, found: SiteEntry, host: str | None, checked: Checked) -> None:
    """Write down what was refused and shortened, by field and page."""
    key = found.site.key
    at = (host or "")[:MAX_HOST]
    places = [Place(key, "refused", at, one.field[:MAX_FIELD], one.page) for one in checked.refused]
    places += [Place(key, "shortened", at, field[:MAX_FIELD], page) for page, field in checked.shortened]
    services.refusals.note(*places)


@router.post(
    "/collect", status_code=204, openapi_extra=who("anyone, from the site's hosts") | _BODY, responses=responses(403, 404, 408, 413, 415, 422, 429, 503)
)
async def collect(request: Request, services: ServicesHere, site: Site, sent: Sent = None, own: Own = None, follow: Follow = None) -> Response:
    """Store one hit or a list of up to 100. Anyone may call, a browser only from a page of the site's hosts, and hits are of pages of these hosts.

    204 means that the hits are durable. What is not understood of a hit is left out; when some hits of a list mean nothing, the others are stored and
    the answer, 422, names them by index. 429 and 503 with Retry-After mean that nothing was stored: send the same hits, with the same ids, again.
    """
    address = request.client.host if request.client else None
    found = await _find(request, services, site)
    headers = _allowed(request, services, found)
    try:
        if request.headers.get("sec-gpc") == "1":  # the visitor asked for nothing to be kept, so nothing is
            return Response(status_code=204, headers=headers)
        _count(services, found, address, 1)
        sending = Sending(await _body(request), sent, own, follow, address)
        rows, checked = await _prepare(services, found, sending)
        _note(services, found, _host_of(request), checked)
        if len(rows) > 1:
            _count(services, found, address, len(rows) - 1)
        async with asyncio.timeout(services.settings.store_seconds):
            await services.writer.put(rows)
    except UnreadableError as why:
        services.refusals.note(Place(found.site.key, "refused", (_host_of(request) or "")[:MAX_HOST], "body"))
        raise Problem(422, str(why), [FieldError(field="body", text=str(why))], headers) from why
    except (BusyError, NotStoredError, TimeoutError) as why:
        reason = "More hits arrive than can be stored." if isinstance(why, BusyError) else "The hits could not be stored."
        raise Problem(503, f"{reason} Please send them again.", headers=headers | {"Retry-After": "2"}) from why
    except Problem as problem:
        problem.headers |= headers
        raise
    if checked.refused:
        errors = [FieldError(index=one.index, field=one.field, text=one.text) for one in checked.refused]
        raise Problem(422, f"{len(errors)} of {len(rows) + len(errors)} hits were refused, the others are stored.", errors, headers)
    return Response(status_code=204, headers=headers)


@router.post("/collect/source", openapi_extra=who("anyone, from the site's hosts") | _VIEW_BODY, responses=responses(403, 404, 408, 413, 415, 422, 429, 503))
async def source_of_view(request: Request, response: Response, services: ServicesHere, site: Site) -> TrafficSource:
    """Where a view came from, by its address and referrer, as reports have it. Anyone may ask; nothing is stored.

    The site script asks this for rules that use the visit's source: aliases, channels and the reference list need not be sent to every visitor.
    """
    found, view, headers = await _asked(request, services, site, ViewEvidence)
    response.headers.update(headers)
    return await to_thread.run_sync(found.views.traffic_source, view.url, view.referrer or "", limiter=services.collecting)


class HandoverIn(BaseModel):
    """The pseudonym that a page's links hand on."""

    model_config = ConfigDict(extra="forbid", json_schema_extra={"examples": [{"visitor": "k3v9a0b1c2"}]})
    visitor: Annotated[str, Field(pattern=r"^[A-Za-z0-9_]{8,64}$")]


class HandoverOut(BaseModel):
    """A token that bears it, for two minutes and for one use."""

    token: str


class ArrivalIn(BaseModel):
    """The token that a page's address bore."""

    model_config = ConfigDict(extra="forbid", json_schema_extra={"examples": [{"token": "0a1b2c3d4e5f~k3v9a0b1c2.aweKBw.8ul6CUU7nvmvejRpxJF8bZromho"}]})
    token: Annotated[str, Field(max_length=200)]


def _body_of(model: type[BaseModel]) -> dict[str, Any]:
    example = model.model_config["json_schema_extra"]["examples"][0]  # type: ignore[index]
    return {"requestBody": {"required": True, "content": {kind: {"schema": model.model_json_schema(), "example": example} for kind in TYPES}}}


async def _asked(request: Request, services: Services, site: str, model: type[M]) -> tuple[SiteEntry, M, dict[str, str]]:
    """(the site, what a page of it asks, headers of the answer)."""
    found = await _find(request, services, site)
    headers = _allowed(request, services, found)
    _count(services, found, request.client.host if request.client else None, 1)
    try:
        return found, model.model_validate_json(await _body(request)), headers | {"Cache-Control": "no-store"}
    except ValidationError as why:
        field, text = first_problem(why)
        raise Problem(422, "This is not what is asked for here.", [FieldError(field=field or "body", text=text)], headers) from why


_PAGES = who("anyone, from the site's hosts")
_ANSWERS = responses(403, 404, 415, 429)


@router.post("/collect/handover", openapi_extra=_PAGES | _body_of(HandoverIn), responses=_ANSWERS)
async def hand_over(request: Request, response: Response, services: ServicesHere, site: Site) -> HandoverOut:
    """A token that hands a visitor on to another host of the site, which cannot share this one's cookie. Anyone may ask; nothing is stored."""
    found, asked, headers = await _asked(request, services, site, HandoverIn)
    response.headers.update(headers)
    return HandoverOut(token=services.tokens.issue(found.site, "handover", asked.visitor))


@router.post("/collect/arrival", openapi_extra=_PAGES | _body_of(ArrivalIn), responses=_ANSWERS)
async def arrive(request: Request, response: Response, services: ServicesHere, site: Site) -> HandoverIn:
    """The visitor whom a token hands on; each token does so once, for two minutes. Anyone may ask."""
    found, asked, headers = await _asked(request, services, site, ArrivalIn)
    visitor = services.tokens.read(found.site, asked.token, "handover")
    if not visitor or not await to_thread.run_sync(_first_use, services, asked.token, limiter=services.collecting):
        raise Problem(404, "This token was used, is over, or is none.", [FieldError(field="token", text="used, over, or none")], headers)
    response.headers.update(headers)
    return HandoverIn(visitor=visitor)


def _first_use(services: Services, token: str) -> bool:
    with services.engine.begin() as connection:
        return visitors.use_once(connection, token, services.now())


@router.options("/collect", status_code=204, openapi_extra=who("anyone, from the site's hosts"), responses=responses(403, 404, 422, 503))
async def preflight(request: Request, services: ServicesHere, site: Site) -> Response:
    """What a browser asks before it sends JSON from another origin."""
    headers = _allowed(request, services, await _find(request, services, site))
    headers |= {"Access-Control-Allow-Methods": "POST", "Access-Control-Allow-Headers": "Content-Type", "Access-Control-Max-Age": "86400"}
    return Response(status_code=204, headers=headers)
