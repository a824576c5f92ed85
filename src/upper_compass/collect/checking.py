"""Checking what a site sends. Good hits go on, bad ones are told by their index and field."""

from __future__ import annotations

import json
from collections.abc import Sequence
from dataclasses import dataclass
from datetime import UTC, datetime, timedelta

import orjson
from pydantic import TypeAdapter, ValidationError

from upper_compass.collect.marking import is_robot
from upper_compass.collect.masking import mask
from upper_compass.core.hits import MOST_HITS_IN_A_BODY, FileHit, Hit, Kind
from upper_compass.core.plain import sentence

OLDEST = timedelta(days=1)
AHEAD = timedelta(minutes=1)

_many: TypeAdapter[list[Hit]] = TypeAdapter(list[Hit])
KINDS = {kind.name: int(kind) for kind in Kind}


class UnreadableError(Exception):
    """The body as a whole cannot be read; the text is a sentence for people."""


@dataclass(frozen=True)
class Refused:
    """One bad hit: its index in the body, the field, and a sentence on what is wrong."""

    index: int
    field: str
    text: str


def check_body(body: bytes, received: datetime, sent: datetime | None) -> tuple[list[Hit], list[Refused]]:
    """Good hits of a body in their order, with corrected times, and what was refused.

    Raises UnreadableError for a body that is no hit and no list of up to 100.
    """
    text = body.lstrip()
    try:
        hits: list[Hit | None] = list(_many.validate_json(text)) if text[:1] == b"[" else [Hit.model_validate_json(text)]
        refused: list[Refused] = []
    except ValidationError as why:
        hits, refused = _one_by_one(text, why)
    if len(hits) > MOST_HITS_IN_A_BODY:
        raise UnreadableError(f"A body holds at most {MOST_HITS_IN_A_BODY} hits.")
    good = []
    for index, hit in enumerate(hits):
        if hit is not None:
            problem = correct_time(hit, received, sent)
            if problem:
                refused.append(Refused(index, "at", problem))
            else:
                good.append(hit)
    return good, sorted(refused, key=lambda one: one.index)


def _one_by_one(text: bytes, why: ValidationError) -> tuple[list[Hit | None], list[Refused]]:
    """The slow way, taken when something in a body is bad."""
    try:
        parsed = orjson.loads(text)
    except orjson.JSONDecodeError as error:
        raise UnreadableError(f"The body is not JSON: {error.msg} (line {error.lineno}, column {error.colno}).") from why
    items = parsed if isinstance(parsed, list) else [parsed]
    if len(items) > MOST_HITS_IN_A_BODY:
        raise UnreadableError(f"A body holds at most {MOST_HITS_IN_A_BODY} hits.")
    hits: list[Hit | None] = []
    refused = []
    for index, item in enumerate(items):
        try:
            hits.append(Hit.model_validate_json(orjson.dumps(item)))
        except ValidationError as error:
            hits.append(None)
            refused.append(Refused(index, *first_problem(error)))
    return hits, refused


def first_problem(error: ValidationError) -> tuple[str, str]:
    """(field, sentence) of the first thing that is wrong."""
    first = error.errors(include_url=False, include_input=False)[0]
    field = ".".join(str(part) for part in first["loc"])
    if not field:
        field = {"an event": "name", "only an": "name", "an engage": "engaged_ms"}.get(" ".join(first["msg"].removeprefix("Value error, ").split()[:2]), "")
    return field, sentence(first)


def correct_time(hit: Hit, received: datetime, sent: datetime | None) -> str | None:
    """Correct an absurd time by the offset of the sender's clock; a sentence when it stays absurd."""
    if _plausible(hit.at, received):
        return None
    if sent is not None:
        corrected = hit.at + (received - sent)
        if _plausible(corrected, received):
            hit.at = corrected
            return None
    return "this is in the future" if hit.at > received else "this is more than a day ago"


def _plausible(at: datetime, received: datetime) -> bool:
    return received - OLDEST <= at <= received + AHEAD


def read_sent(text: str | None) -> datetime | None:
    """The sender's clock when it sent, given in ms since 1970; nonsense counts as not given."""
    if text is None or not text.isascii() or not text.isdigit() or len(text) > 15:
        return None
    return datetime.fromtimestamp(int(text) / 1000, UTC) if int(text) < 4e12 else None


def check_line(line: bytes) -> FileHit:
    """One line of a JSON Lines file; raises ValidationError."""
    return FileHit.model_validate_json(line)


def as_json(value: object) -> str:
    """JSON for the store, which takes no lone surrogates or NUL."""
    return json.dumps(value, ensure_ascii=False, separators=(",", ":"))


def as_rows(site_id: int, hits: Sequence[Hit], *, country: str | None, own: bool, robot: bool | None = None) -> list[tuple[object, ...]]:
    """Hits as rows of the store, personal data masked. `country` was looked up for the sender; `robot` is judged per user agent unless given."""
    rows = []
    for hit in hits:
        mask(hit)
        order = hit.order
        rows.append((
            site_id, str(hit.id), hit.at, hit.visitor, KINDS[hit.kind], hit.url, hit.title, hit.referrer, hit.name, hit.value, hit.currency,
            (order.id or None) if order else None, order.model_dump_json(exclude_none=True) if order else None, hit.engaged_ms,
            as_json(hit.props) if hit.props else None, as_json(hit.fields) if hit.fields else None,
            hit.language, hit.timezone, hit.screen, hit.user_agent, getattr(hit, "country", None) or country,
            is_robot(hit.user_agent) if robot is None else robot, own,
        ))  # fmt: skip
    return rows
