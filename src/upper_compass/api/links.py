"""*Tag → Links*: build, QR code, library, vocabulary."""

from __future__ import annotations

import base64
from datetime import datetime
from typing import Annotated, Any

import polars as pl
from anyio import to_thread
from fastapi import APIRouter, Path, Query, Request, Response
from pydantic import BaseModel, ConfigDict, Field, ValidationError

from upper_compass.api.access import Access, Analyst, Owner, ServicesHere, Viewer, who
from upper_compass.api.deps import goal_for, last_days
from upper_compass.api.problems import FieldError, Problem, responses
from upper_compass.api.routing import Route
from upper_compass.core.dataset.coded_hits import Dictionaries
from upper_compass.core.dataset.lookups import DimensionLookups
from upper_compass.core.definitions.text_tests import storable
from upper_compass.core.definitions.validation_messages import sentence
from upper_compass.core.export.sheets import SheetError, read_sheet, write_sheet
from upper_compass.core.tagging.link_builder import Builder, BuiltLink, LinkDraft, Word
from upper_compass.core.tagging.link_performance import LinkPerformance, RegisteredLink, UnregisteredLink
from upper_compass.core.tagging.qr_codes import CodeRequest, UnfitCodeError, make_code
from upper_compass.frames import queries
from upper_compass.reference import shipped
from upper_compass.services.application import Services
from upper_compass.store import links as store
from upper_compass.store.links import StoredLink

router = APIRouter(prefix="/api/v1/sites/{site}", tags=["Links"], route_class=Route)

KNOWN_DAYS, UNMADE_DAYS = 395, 90
MAX_AT_ONCE = 500
COLUMNS = ("address", "source", "medium", "campaign", "content", "term", "label")
LinkId = Annotated[int, Path(ge=1, le=2**31 - 1)]
GoalId = Annotated[int | None, Query(ge=1, le=2**31 - 1)]
Drafts = Annotated[list[LinkDraft], Field(min_length=1, max_length=MAX_AT_ONCE)]
Note = Annotated[str, storable(500)]
_CSV: dict[str, Any] = {"requestBody": {"required": True, "content": {"text/csv": {"schema": {"type": "string"}}}}}
_CSV_OUT: dict[int | str, dict[str, Any]] = {200: {"content": {"text/csv": {"schema": {"type": "string"}}}, "description": "The same lines, finished"}}


class LinksIn(BaseModel):
    """Links to keep, with a note on what they are for."""

    model_config = ConfigDict(
        extra="forbid",
        json_schema_extra={"examples": [{"drafts": [{"address": "https://fennmoor-mill.example/shop", "source": "card", "medium": "print"}], "note": "Cards"}]},
    )
    drafts: Drafts
    note: Note = ""


class LinkOut(BaseModel):
    """A link of the library: how its visits are read today, and what came by it since it was made. `by` is null when they are gone."""

    id: int
    url: str
    address: str
    note: str
    by: str | None
    made: datetime
    archived: bool
    read: BuiltLink
    came: LinkPerformance


class LinkChange(BaseModel):
    """Another note, or whether it is archived."""

    model_config = ConfigDict(extra="forbid")
    note: Note
    archived: bool


class CodeOut(BaseModel):
    """A QR code that was read again before it was handed out; `png` in base64, 300 dots an inch."""

    svg: str
    png: str
    modules: int
    module_mm: float
    remarks: list[str]


def _builder(services: Services, access: Access) -> Builder:
    with access.engine.connect() as connection:
        words = store.vocabulary_of(connection, access.site.id)
    known = services.reader.read(access.site, queries.values_known, last_days(services, access, KNOWN_DAYS))
    return Builder(access.site.rules, shipped(), known, words)


def _made(access: Access, links: list[StoredLink]) -> list[tuple[RegisteredLink, BuiltLink]]:
    """How the visits of each link are read today."""
    builder = Builder(access.site.rules, shipped(), {})
    read = [builder.build(link.draft) for link in links]
    dictionaries = Dictionaries()
    codes = dictionaries["url"].encode(pl.Series([link.url for link in links], dtype=pl.String))
    lookups = DimensionLookups(access.site.rules, shipped(), dictionaries)
    pages = lookups.labels.decode(lookups["page"][codes])
    return [
        (RegisteredLink(link.id, {name: getattr(one, name) for name in COLUMNS[1:]}, page, round(link.made.timestamp() * 1000)), one)
        for link, one, page in zip(links, read, pages, strict=True)
    ]


@router.post("/links/build", openapi_extra=who("viewer"), responses=responses(401, 403, 404, 422))
def build(drafts: Drafts, access: Viewer, services: ServicesHere) -> list[BuiltLink]:
    """Finish links while they are typed, with remarks on every field; nothing is kept. For the site's viewers."""
    builder = _builder(services, access)
    return [builder.build(draft) for draft in drafts]


@router.post("/links/build/csv", openapi_extra=who("viewer") | _CSV, response_class=Response, responses=responses(401, 403, 404, 422) | _CSV_OUT)
async def build_file(request: Request, access: Viewer, services: ServicesHere) -> Response:
    """Finish the links of a CSV file: columns address, source, medium, campaign, content, term, label, in any order. For the site's viewers.

    The same lines come back with the finished link, its channel, what is wrong, and what to mind. A file that cannot be read is named by its line.
    """
    text = await to_thread.run_sync(_finish_file, services, access, await request.body())
    return Response(text, media_type="text/csv", headers={"Content-Disposition": 'attachment; filename="links.csv"'})


def _finish_file(services: Services, access: Access, body: bytes) -> str:
    try:
        rows = read_sheet(body.decode("utf-8"), COLUMNS, ["address"], MAX_AT_ONCE)
    except UnicodeDecodeError as why:
        raise Problem(422, "The file is not UTF-8 text.", [FieldError(field="body", text="not UTF-8 text")]) from why
    except SheetError as why:
        raise Problem(422, f"Line {why.line}: {why.text}.", [FieldError(field="body", text=why.text, index=why.line)]) from why
    drafts = []
    for line, cells in rows:
        try:
            drafts.append(LinkDraft.model_validate(cells))
        except ValidationError as error:
            first = error.errors(include_url=False, include_input=False)[0]
            field = str(first["loc"][0])
            raise Problem(422, f"Line {line}: {field}: {sentence(first)}.", [FieldError(field=field, text=sentence(first), index=line)]) from error
    builder = _builder(services, access)
    built = [builder.build(draft) for draft in drafts]
    table = [
        [*(getattr(draft, name) for name in COLUMNS), one.url, one.channel, _remarks(one, errors=True), _remarks(one, errors=False)]
        for draft, one in zip(drafts, built, strict=True)
    ]
    return write_sheet([*COLUMNS, "link", "channel", "wrong", "to mind"], table)


def _remarks(built: BuiltLink, *, errors: bool) -> str:
    return "; ".join(f"{remark.field}: {remark.text}" for remark in built.remarks if remark.is_error == errors)


@router.get("/links", openapi_extra=who("viewer"), responses=responses(401, 404, 422))
def list_links(access: Viewer, services: ServicesHere, goal: GoalId = None) -> list[LinkOut]:
    """The library, newest first: every link with its visits since it was made, and their conversions of a goal. For the site's viewers."""
    with access.engine.connect() as connection:
        stored = store.links_of(connection, access.site.id)
    if not stored:
        return []
    made = _made(access, stored)
    came = services.reader.read(access.site, queries.visits_by_link, goal_for(access, goal), [one for one, _ in made])
    return [
        LinkOut(
            id=link.id, url=link.url, address=link.draft.address, note=link.note, by=link.by, made=link.made, archived=link.archived, read=read,
            came=came.get(link.id, LinkPerformance()),
        )
        for link, (_, read) in zip(stored, made, strict=True)
    ]  # fmt: skip


@router.post("/links", status_code=201, openapi_extra=who("analyst"), responses=responses(401, 403, 404, 422))
def keep_links(access: Analyst, services: ServicesHere, given: LinksIn) -> list[int]:
    """Keep links in the library; all of them, or none when one is wrong. For the site's analysts."""
    builder = Builder(access.site.rules, shipped(), {})
    finished = []
    errors = []
    for index, draft in enumerate(given.drafts):
        built = builder.build(draft)
        errors += [FieldError(field=f"drafts.{index}.{one.field}", text=one.text, index=index) for one in built.remarks if one.is_error]
        if built.url:
            finished.append((draft, built.url))
    if errors:
        raise Problem(422, "Nothing was kept, because a link is not whole.", errors)
    with access.engine.begin() as connection:
        return store.add_links(connection, access.site.id, finished, given.note, access.user.id, services.now())


@router.put("/links/{link}", status_code=204, openapi_extra=who("analyst"), responses=responses(401, 403, 404, 422))
def change_link(link: LinkId, given: LinkChange, access: Analyst) -> None:
    """Give a link another note, put it into the archive or take it out. For the site's analysts."""
    with access.engine.begin() as connection:
        if not store.change_link(connection, access.site.id, link, given.note, archived=given.archived, user_id=access.user.id):
            raise Problem(404, "The site has no such link.")


@router.get("/links/unregistered", openapi_extra=who("viewer"), responses=responses(401, 404))
def list_unmade(access: Viewer, services: ServicesHere) -> list[UnregisteredLink]:
    """Links seen in the traffic of the last 90 days that nobody made here. For the site's viewers."""
    with access.engine.connect() as connection:
        stored = store.links_of(connection, access.site.id)
    made = [one for one, _ in _made(access, stored)] if stored else []
    return services.reader.read(access.site, queries.links_unmade, last_days(services, access, UNMADE_DAYS), made)


@router.post("/links/code", openapi_extra=who("viewer"), responses=responses(401, 403, 404, 422))
def code(asked: CodeRequest, access: Viewer) -> CodeOut:
    """A QR code as SVG and PNG. It is decoded again before it is handed out. For the site's viewers."""
    try:
        made = make_code(asked)
    except UnfitCodeError as why:
        raise Problem(422, f"This code would not scan: {why.text}.", [FieldError(field=why.field, text=why.text)]) from why
    return CodeOut(**made.model_dump(exclude={"png"}), png=base64.b64encode(made.png).decode())


@router.get("/vocabulary", openapi_extra=who("viewer"), responses=responses(401, 404))
def read_vocabulary(access: Viewer) -> list[Word]:
    """The sources and mediums that the site's owner allows. For the site's viewers."""
    with access.engine.connect() as connection:
        return store.vocabulary_of(connection, access.site.id)


@router.put("/vocabulary", openapi_extra=who("owner"), responses=responses(401, 403, 404, 422))
def change_vocabulary(words: Annotated[list[Word], Field(max_length=1000)], access: Owner) -> list[Word]:
    """Replace the vocabulary. For the site's owners."""
    with access.engine.begin() as connection:
        store.keep_vocabulary(connection, access.site.id, words, access.user.id)
    return words
