"""Checking what a site sends. Good hits go on, bad ones are told by their index and field."""

from __future__ import annotations

import json
import re
from collections.abc import Sequence
from dataclasses import dataclass
from datetime import UTC, datetime, timedelta
from typing import Any, TypeVar

import orjson
from pydantic import TypeAdapter, ValidationError

from upper_compass.collect.marking import are_robots
from upper_compass.collect.masking import mask
from upper_compass.collect.understanding import understood
from upper_compass.core.definitions.hits import MAX_HITS_IN_A_BODY, FileHit, Hit, Kind
from upper_compass.core.definitions.personal_data import mask_text
from upper_compass.core.definitions.site_rules import host_of
from upper_compass.core.definitions.validation_messages import sentence

OLDEST = timedelta(days=1)
AHEAD = timedelta(minutes=1)
MAX_PAGE = 200
_PATH = re.compile(r"^[^:/?#]*://[^/?#]*([^?#]*)")

_many: TypeAdapter[list[Hit]] = TypeAdapter(list[Hit])
H = TypeVar("H", bound=Hit)
KINDS = {kind.name: int(kind) for kind in Kind}


class UnreadableError(Exception):
    """The body as a whole cannot be read; the text is a sentence for people."""


@dataclass(frozen=True)
class Refused:
    """One bad hit: its index in the body, the field, and a sentence on what is wrong."""

    index: int
    field: str
    text: str
    page: str = ""


@dataclass
class Checked:
    """What a body holds: good hits in their order, with corrected times; what was refused; and of which fields something was left out, with the page."""

    hits: list[Hit]
    refused: list[Refused]
    shortened: list[tuple[str, str]]


def check_body(body: bytes, received: datetime, sent: datetime | None, hosts: frozenset[str] | None = None) -> Checked:
    """Read a body. `hosts`: the site's, without `www.`; hits of others are refused.

    Raises UnreadableError for a body that is no hit and no list of up to 100.
    """
    text = body.lstrip()
    try:
        hits: list[Hit | None] = list(_many.validate_json(text)) if text[:1] == b"[" else [Hit.model_validate_json(text)]
        checked = Checked([], [], [])
    except ValidationError as why:
        hits, checked = _one_by_one(text, why)
    if len(hits) > MAX_HITS_IN_A_BODY:
        raise UnreadableError(f"A body holds at most {MAX_HITS_IN_A_BODY} hits.")
    for index, hit in enumerate(hits):
        if hit is not None:
            problem = foreign(hit, hosts) or correct_time(hit, received, sent)
            if problem:
                checked.refused.append(Refused(index, *problem, page=page_of(hit.url)))
            else:
                checked.hits.append(hit)
    checked.refused.sort(key=lambda one: one.index)
    return checked


def _one_by_one(text: bytes, why: ValidationError) -> tuple[list[Hit | None], Checked]:
    """The slow way, taken when something in a body is not as it must be."""
    try:
        parsed = _parsed(text)
    except orjson.JSONDecodeError as error:
        raise UnreadableError(f"The body is not JSON: {error.msg} (line {error.lineno}, column {error.colno}).") from why
    items = parsed if isinstance(parsed, list) else [parsed]
    if len(items) > MAX_HITS_IN_A_BODY:
        raise UnreadableError(f"A body holds at most {MAX_HITS_IN_A_BODY} hits.")
    hits: list[Hit | None] = []
    checked = Checked([], [], [])
    for index, item in enumerate(items):
        try:
            hit, left = read_leniently(item, Hit)
            hits.append(hit)
            checked.shortened += [(page_of(hit.url), field) for field in left]
        except ValidationError as error:
            hits.append(None)
            url = item.get("url") if isinstance(item, dict) else None
            checked.refused.append(Refused(index, *first_problem(error), page=page_of(url) if isinstance(url, str) else ""))
    return hits, checked


def _parsed(text: bytes) -> Any:  # noqa: ANN401
    """What JSON says. Half of a pair of surrogates, such as a title that was cut in the midst of one has, is read as a sign of its own."""
    try:
        return orjson.loads(text)
    except orjson.JSONDecodeError:
        try:
            whole = json.dumps(json.loads(text), ensure_ascii=False).encode("utf-8", "replace")
        except (ValueError, RecursionError):
            whole = b""
        if not whole:
            raise
    return orjson.loads(whole)


def read_leniently(item: object, model: type[H], more: tuple[str, ...] = ()) -> tuple[H, list[str]]:
    """A hit with what can be understood of it, and the fields of which something was left out. Raises ValidationError when it means nothing."""
    fitting, left = understood(item, more=more) if isinstance(item, dict) else (item, [])
    return model.model_validate_json(orjson.dumps(fitting)), left


def page_of(url: str) -> str:
    """The path of an address, for people to find the page; personal data masked."""
    path = _PATH.match(url)
    return mask_text(path[1][:MAX_PAGE]) if path else ""


def foreign(hit: Hit, hosts: frozenset[str] | None) -> tuple[str, str] | None:
    """(field, sentence) for a hit of a host that is not the site's."""
    if hosts is None or host_of(hit.url) in hosts:
        return None
    return "url", f"the site's settings do not list the host {host_of(hit.url)[:100]!r}"


def first_problem(error: ValidationError) -> tuple[str, str]:
    """(field, sentence) of the first thing that is wrong."""
    first = error.errors(include_url=False, include_input=False)[0]
    field = ".".join(str(part) for part in first["loc"])
    if not field:
        field = {"an event": "name", "only an": "name", "an engage": "engaged_ms"}.get(" ".join(first["msg"].removeprefix("Value error, ").split()[:2]), "")
    return field, sentence(first)


def correct_time(hit: Hit, received: datetime, sent: datetime | None) -> tuple[str, str] | None:
    """Correct an absurd time by the offset of the sender's clock; (field, sentence) when it stays absurd."""
    if _plausible(hit.at, received):
        return None
    if sent is not None:
        corrected = hit.at + (received - sent)
        if _plausible(corrected, received):
            hit.at = corrected
            return None
    return "at", "this is in the future" if hit.at > received else "this is more than a day ago"


def _plausible(at: datetime, received: datetime) -> bool:
    return received - OLDEST <= at <= received + AHEAD


def read_sent(text: str | None) -> datetime | None:
    """The sender's clock when it sent, given in ms since 1970; nonsense counts as not given."""
    if text is None or not text.isascii() or not text.isdigit() or len(text) > 15:
        return None
    return datetime.fromtimestamp(int(text) / 1000, UTC) if int(text) < 4e12 else None


def check_line(line: bytes) -> tuple[FileHit, list[str]]:
    """One line of a JSON Lines file, and the fields of which something was left out; raises ValidationError."""
    try:
        return FileHit.model_validate_json(line), []
    except ValidationError:
        try:
            item = orjson.loads(line)
        except orjson.JSONDecodeError:
            item = None
        if not isinstance(item, dict):
            raise
    return read_leniently(item, FileHit, more=("country",))


def as_json(value: object) -> str:
    """JSON for the store, which takes no lone surrogates or NUL."""
    return json.dumps(value, ensure_ascii=False, separators=(",", ":"))


def as_rows(site_id: int, hits: Sequence[Hit], *, country: str | None, internal: bool, robot: bool | None = None) -> list[tuple[object, ...]]:
    """Hits as rows of the store, personal data masked. `country` was looked up for the sender; `robot` is judged per user agent unless given."""
    rows: list[tuple[object, ...]] = []
    robots = are_robots([hit.user_agent for hit in hits]) if robot is None else [robot] * len(hits)
    for hit, is_robot in zip(hits, robots, strict=True):
        mask(hit)
        order = hit.order
        rows.append((
            site_id, str(hit.id), hit.at, hit.visitor, KINDS[hit.kind], hit.url, hit.title, hit.referrer, hit.name, hit.value, hit.currency,
            (order.id or None) if order else None, order.model_dump_json(exclude_none=True) if order else None, hit.engaged_ms,
            as_json(hit.props) if hit.props else None, as_json(hit.fields) if hit.fields else None,
            hit.language, hit.timezone, hit.screen, hit.user_agent, getattr(hit, "country", None) or country,
            is_robot, internal,
        ))  # fmt: skip
    return rows
