"""*Tag → Links*: building links one by one and from a sheet, QR codes, the vocabulary."""

from __future__ import annotations

import base64
from datetime import datetime
from typing import Annotated, Any

from anyio import to_thread
from fastapi import APIRouter, Query, Request, Response
from pydantic import BaseModel, Field

from upper_compass.api.access import Access, Owner, ServicesHere, Viewer, who
from upper_compass.api.deps import last_days
from upper_compass.api.problems import FieldError, Problem, responses
from upper_compass.api.routing import Route
from upper_compass.core.export.sheets import SheetError, decoded, read_sheet, write_sheet
from upper_compass.core.tagging.link_builder import MAX_AT_ONCE, Builder, BuiltLink, Evidence, LinkDraft, Word, remark_unseen
from upper_compass.core.tagging.link_sheets import COLUMNS, FINISHED, HEADS, SheetLine, finished_rows, judge_lines, lines_of, template_rows
from upper_compass.core.tagging.qr_codes import CodeRequest, UnfitCodeError, make_code
from upper_compass.frames import queries
from upper_compass.reference import shipped
from upper_compass.services.application import Services
from upper_compass.store import links as store
from upper_compass.store.database import reading

router = APIRouter(prefix="/api/v1/sites/{site}", tags=["Links"], route_class=Route)

KNOWN_DAYS, SEEN_DAYS = 395, 90
READ_AS = "X-Read-As"
Drafts = Annotated[list[LinkDraft], Field(min_length=1, max_length=MAX_AT_ONCE)]
ByVocabulary = Annotated[bool, Query(description="Use the vocabulary's word where one is nearly the one given.")]
_CSV: dict[str, Any] = {"requestBody": {"required": True, "content": {"text/csv": {"schema": {"type": "string"}}}}}
_CSV_OUT: dict[int | str, dict[str, Any]] = {200: {"content": {"text/csv": {"schema": {"type": "string"}}}, "description": "A sheet"}}


class RegisteredOut(BaseModel):
    """Where a link stands in the library. `by` is null when they are gone."""

    id: int
    by: str | None
    made: datetime


class LinkAnswer(BuiltLink):
    """A link as it is built, and whether the library has it already."""

    registered: RegisteredOut | None = None


class SheetAnswer(BaseModel):
    """A sheet of links: by which encoding it was read, its lines, and the links that they make; `place` of a link is that of its line."""

    read_as: str
    lines: list[SheetLine]
    links: list[LinkAnswer]


class CodeOut(BaseModel):
    """A QR code that was read again before it was handed out; `png` in base64, 300 dots an inch."""

    svg: str
    png: str
    modules: int
    module_mm: float
    remarks: list[str]


def _builder(services: Services, access: Access, *, by_vocabulary: bool = False) -> Builder:
    with reading(access.engine) as connection:
        words = store.vocabulary_of(connection, access.site.id)
    values = services.reader.read(access.site, queries.values_known, last_days(services, access, KNOWN_DAYS))
    return Builder(access.site.rules, shipped(), Evidence(values, words), by_vocabulary=by_vocabulary)


def _judged(services: Services, access: Access, built: list[BuiltLink]) -> list[LinkAnswer]:
    """Links with what the library and the traffic say of them."""
    if len(built) > MAX_AT_ONCE:
        raise Problem(422, f"This makes more than {MAX_AT_ONCE} links; make them in parts.", [FieldError(field="source", text="these are too many")])
    pages = sorted({link.page for link in built if link.url})
    seen = services.reader.read(access.site, queries.pages_seen, last_days(services, access, SEEN_DAYS), pages)
    if seen is not None:
        remark_unseen(built, seen)
    with reading(access.engine) as connection:
        there = store.registered_links(connection, access.site.id, [link.url for link in built if link.url])
    found = {one.url: RegisteredOut(id=one.id, by=one.by, made=one.made) for one in there}
    return [LinkAnswer(**link.model_dump(), registered=found.get(link.url or "")) for link in built]


@router.post("/links/build", openapi_extra=who("viewer"), responses=responses(401, 403, 404, 422))
def build(drafts: Drafts, access: Viewer, services: ServicesHere) -> list[LinkAnswer]:
    """Finish links while they are typed, with remarks on every field; nothing is kept. For the site's viewers.

    A draft with several sources or contents, commas between them, makes one link of each; up to 500 in all. Tags that stand in an address are taken where
    the draft gives none.
    """
    return _judged(services, access, _builder(services, access).build_all(drafts, MAX_AT_ONCE + 1))


@router.get("/links/csv", openapi_extra=who("viewer"), response_class=Response, responses=responses(401, 404) | _CSV_OUT)
def sheet_template(access: Viewer) -> Response:
    """A CSV file to begin with: its heads and two lines that show what goes where. For the site's viewers."""
    return _sheet(write_sheet(COLUMNS, template_rows(access.site.rules)))


@router.post("/links/csv", openapi_extra=who("viewer") | _CSV, responses=responses(401, 403, 404, 413, 422))
async def judge_sheet(request: Request, access: Viewer, services: ServicesHere, by_vocabulary: ByVocabulary = False) -> SheetAnswer:
    """Judge the links of a CSV file line by line; nothing is kept. For the site's viewers.

    Columns are address (or url, page), source, medium, campaign, content, term, label, with or without `utm_`, and note, in any order; UTF-8 is read, with
    a mark or without, and Windows-1252. A file that cannot be read as a whole is refused by its line.
    """
    return await to_thread.run_sync(_judge, services, access, await request.body(), by_vocabulary)


@router.post("/links/csv/finished", openapi_extra=who("viewer") | _CSV, response_class=Response, responses=responses(401, 403, 404, 413, 422) | _CSV_OUT)
async def finish_sheet(request: Request, access: Viewer, services: ServicesHere, by_vocabulary: ByVocabulary = False) -> Response:
    """Finish the links of a CSV file, see `POST links/csv`; what comes back is UTF-8, a line for each link. For the site's viewers.

    To each line its link, its channel, what is wrong, and what to mind are added. The header X-Read-As tells by which encoding it was read.
    """
    found = await to_thread.run_sync(_judge, services, access, await request.body(), by_vocabulary)
    return _sheet(write_sheet([*COLUMNS, *FINISHED], finished_rows(found.lines, found.links)), {READ_AS: found.read_as})


def _judge(services: Services, access: Access, body: bytes, by_vocabulary: bool) -> SheetAnswer:
    try:
        text, read_as = decoded(body)
        lines = lines_of(read_sheet(text, HEADS, ["address"], MAX_AT_ONCE))
    except SheetError as why:
        raise Problem(422, f"Line {why.line}: {why.text}.", [FieldError(field="body", text=why.text, index=why.line)]) from why
    built = judge_lines(lines, _builder(services, access, by_vocabulary=by_vocabulary), MAX_AT_ONCE + 1)
    return SheetAnswer(read_as=read_as, lines=lines, links=_judged(services, access, built))


def _sheet(text: str, headers: dict[str, str] | None = None) -> Response:
    return Response(text, media_type="text/csv", headers={"Content-Disposition": 'attachment; filename="links.csv"'} | (headers or {}))


@router.post("/links/code", openapi_extra=who("viewer"), responses=responses(401, 403, 404, 422))
def code(asked: CodeRequest, access: Viewer) -> CodeOut:
    """A QR code as SVG and PNG. It is decoded again before it is handed out. For the site's viewers."""
    try:
        made = make_code(asked)
    except UnfitCodeError as why:
        raise Problem(422, f"This code would not scan: {why.text}.", [FieldError(field=why.field, text=why.text, use=why.use)]) from why
    return CodeOut(**made.model_dump(exclude={"png"}), png=base64.b64encode(made.png).decode())


@router.get("/vocabulary", openapi_extra=who("viewer"), responses=responses(401, 404))
def read_vocabulary(access: Viewer) -> list[Word]:
    """The words that the site's owner allows in links. For the site's viewers."""
    with reading(access.engine) as connection:
        return store.vocabulary_of(connection, access.site.id)


@router.put("/vocabulary", openapi_extra=who("owner"), responses=responses(401, 403, 404, 422))
def change_vocabulary(words: Annotated[list[Word], Field(max_length=1000)], access: Owner) -> list[Word]:
    """Replace the vocabulary; words are tidied as links are. For the site's owners."""
    with access.engine.begin() as connection:
        store.keep_vocabulary(connection, access.site.id, words, access.user.id)
    return words
