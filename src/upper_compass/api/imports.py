"""Hits from files: looked at before they are stored, stored, listed, taken back."""

from __future__ import annotations

import asyncio
import binascii
import tempfile
import threading
from base64 import b64decode
from collections.abc import Sequence
from dataclasses import replace
from datetime import datetime
from typing import Annotated, Any, Literal

from anyio import to_thread
from fastapi import APIRouter, Path, Query, Request
from pydantic import BaseModel, ConfigDict, Field

from upper_compass.api.access import Access, Owner, ServicesHere, Viewer, who
from upper_compass.api.problems import FieldError, Problem, responses
from upper_compass.api.routing import Route
from upper_compass.collect.importing import FileFormat, Import, ImportReport, into_site
from upper_compass.collect.log_hits import usual_reading
from upper_compass.collect.previewing import MAX_HEAD, Becomes, head_lines, preview
from upper_compass.core.definitions.log_reading import LogField, LogReading
from upper_compass.core.definitions.site_rules import bare_host
from upper_compass.services.application import Services
from upper_compass.services.imports import MAX_NAME, GivenFile, import_file
from upper_compass.store import imports as store
from upper_compass.store.database import reading
from upper_compass.store.imports import StoredImport

router = APIRouter(prefix="/api/v1/sites/{site}/import", tags=["Imports"], route_class=Route)
ImportId = Annotated[int, Path(ge=1, le=2**31 - 1)]
_HITS: dict[str, Any] = {
    "application/x-ndjson": {"schema": {"type": "string"}},
    "text/plain": {"schema": {"type": "string"}},
    "application/gzip": {"schema": {"type": "string", "format": "binary"}},
    "application/octet-stream": {"schema": {"type": "string", "format": "binary"}},
}
_HEAD = "MTkyLjAuMi43IC0gLSBbMjYvTm92LzIwMjY6MTA6MDA6MDAgKzAxMDBdICJHRVQgL2NvdXJzZXMgSFRUUC8xLjEiIDIwMCA1MTIK"


class RefusedLine(BaseModel):
    """A bad line of a file; lines count from 1."""

    line: int
    field: str
    text: str


class ImportOut(BaseModel):
    """What became of a file. Of bad lines, the first thousand are told; of lines that are `shortened`, a part was not understood and left out."""

    id: int
    format: FileFormat | None
    lines: int
    stored: int
    already_there: int
    bad: int
    shortened: int
    refused: list[RefusedLine]
    broken_off: str | None


class ListedImport(BaseModel):
    """An import. `size` and `read`: bytes of the file, and how many were read so far; `by` is null when it came from the machine itself, or they are gone.

    `state`: stopped means that whoever read it stands still without having said why; its hits stay and can be taken back.
    """

    id: int
    name: str
    format: FileFormat | None
    state: Literal["running", "done", "broken off", "stopped", "undone"]
    size: int
    read: int
    lines: int
    stored: int
    already_there: int
    bad: int
    shortened: int
    broken_off: str | None
    by: str | None
    at: datetime
    finished_at: datetime | None


class ImportDetail(ListedImport):
    """An import with the first thousand lines that were refused."""

    refused: list[RefusedLine]


class FilePreviewIn(BaseModel):
    """The beginning of a file, its bytes in base64; `whole`: it has no more. `reading`: as server logs would be read; without it as they are."""

    model_config = ConfigDict(extra="forbid", json_schema_extra={"examples": [{"head": _HEAD, "whole": True, "reading": None}]})
    head: Annotated[str, Field(max_length=MAX_HEAD * 4 // 3 + 4)]
    whole: bool = False
    reading: LogReading | None = None


class FilePreviewLine(BaseModel):
    """What a line becomes: a page, a file or an event, nothing where it only belongs to a page; or why it is refused."""

    number: int
    text: str
    becomes: Becomes
    at: datetime | None
    what: str
    why: str
    robot: bool


class LogFieldOut(BaseModel):
    """A field of a W3C log by the name that it has there, and what it is taken for."""

    name: str
    meaning: LogField


class FilePreviewOut(BaseModel):
    """What the first hundred lines of a file would become. `trouble`: why nothing of it can be read as it is."""

    format: FileFormat
    lines: list[FilePreviewLine]
    fields: list[LogFieldOut]
    begins_with_host: bool
    trouble: str | None


class ReadingOut(BaseModel):
    """How server logs are read, and how it is usual; null while the site has no host."""

    reading: LogReading | None
    usual: LogReading | None


@router.post(
    "/hits",
    openapi_extra=who("owner", "import") | {"requestBody": {"required": True, "content": _HITS}},
    responses=responses(401, 403, 404, 408, 413, 422, 503),
)
async def import_hits(
    request: Request, access: Owner, services: ServicesHere,
    name: Annotated[str, Query(max_length=MAX_NAME, description="What the file is called, for the list of imports.")] = "hits",
) -> ImportOut:  # fmt: skip
    """Store hits from JSON Lines, one hit a line, or from a server log (NCSA common or combined, W3C extended); plain or gzipped. For the site's owners.

    Good lines are stored, bad ones told by number: those of hosts that are not the site's too. The same file can be sent again: what is there already
    is not stored twice. Who goes away ends the import.
    """
    gone = threading.Event()
    size = 0
    with tempfile.TemporaryFile() as file:
        async for chunk in request.stream():
            size += len(chunk)
            await to_thread.run_sync(file.write, chunk)
        file.seek(0)
        watching = asyncio.create_task(_until_gone(request, gone))
        try:
            into = replace(_into(services, access), max_unpacked=services.settings.max_unpacked_bytes, given_up=gone.is_set)
            number, report = await to_thread.run_sync(import_file, access.engine, GivenFile(file, name, size), into, access.user.id)
        finally:
            watching.cancel()
    return _out(number, report)


async def _until_gone(request: Request, gone: threading.Event) -> None:
    """Wait until whoever sent the file listens no more."""
    while not await request.is_disconnected():
        await asyncio.sleep(1)
    gone.set()


def _into(services: Services, access: Access) -> Import:
    return into_site(access.site, services.now(), services.countries.of)


def _refused(lines: Sequence[tuple[int, str, str]]) -> list[RefusedLine]:
    return [RefusedLine(line=line, field=field, text=text) for line, field, text in lines]


def _out(number: int, report: ImportReport) -> ImportOut:
    return ImportOut(
        id=number, format=report.format, lines=report.lines, stored=report.stored, already_there=report.already_there, bad=report.bad,
        shortened=report.shortened, broken_off=report.broken_off, refused=_refused(report.refused),
    )  # fmt: skip


@router.post("/preview", openapi_extra=who("owner", "import"), responses=responses(401, 403, 404, 422))
def preview_file(given: FilePreviewIn, access: Owner, services: ServicesHere) -> FilePreviewOut:
    """What the first lines of a file would become; nothing is stored. For the site's owners."""
    try:
        head = b64decode(given.head, validate=True)
    except (binascii.Error, ValueError) as why:
        raise Problem(422, "This is no base64.", [FieldError(field="head", text="this is no base64")]) from why
    into = _into(services, access)
    if given.reading is not None and into.logs is not None:
        into = replace(into, logs=_fitting(access, given.reading))
    found = preview(head_lines(head, given.whole), into)
    return FilePreviewOut(
        format=found.format, lines=[FilePreviewLine.model_validate(one, from_attributes=True) for one in found.lines],
        fields=[LogFieldOut(name=name, meaning=meaning) for name, meaning in found.fields], begins_with_host=found.begins_with_host, trouble=found.trouble,
    )  # fmt: skip


def _fitting(access: Access, reading: LogReading) -> LogReading:
    """Raises Problem when the host of addresses is none of the site's: every line would be refused."""
    if bare_host(reading.host) not in {bare_host(host) for host in access.site.rules.hosts}:
        raise Problem(422, "The site's settings do not list this host.", [FieldError(field="host", text="the site's settings do not list this host")])
    return reading


@router.get("/reading", openapi_extra=who("viewer"), responses=responses(401, 404))
def log_reading(access: Viewer) -> ReadingOut:
    """What counts in server logs. For the site's viewers."""
    usual = usual_reading(access.site.rules.hosts)
    return ReadingOut(reading=access.site.logs or usual, usual=usual)


@router.put("/reading", openapi_extra=who("owner"), responses=responses(401, 403, 404, 422))
def keep_log_reading(given: LogReading, access: Owner) -> ReadingOut:
    """Read server logs so from now on; what was imported stays as it was read. For the site's owners."""
    usual = usual_reading(access.site.rules.hosts)
    kept = _fitting(access, given)
    with access.engine.begin() as connection:
        store.keep_log_reading(connection, access.site.id, None if kept == usual else kept, access.user.id)
    return ReadingOut(reading=kept, usual=usual)


@router.get("/done", openapi_extra=who("viewer"), responses=responses(401, 404))
def list_imports(access: Viewer) -> list[ListedImport]:
    """The last 200 imports, the newest first, those that are running among them. For the site's viewers."""
    with reading(access.engine) as connection:
        return [ListedImport(**_told(one)) for one in store.imports_of(connection, access.site.id)]


@router.get("/done/{number}", openapi_extra=who("viewer"), responses=responses(401, 404))
def one_import(number: ImportId, access: Viewer) -> ImportDetail:
    """One import with the lines that were refused. For the site's viewers."""
    with reading(access.engine) as connection:
        found = _found(store.import_of(connection, access.site.id, number))
    return ImportDetail(**_told(found), refused=_refused(found.counts.refused))


@router.delete("/done/{number}", openapi_extra=who("owner"), responses=responses(401, 403, 404, 409))
def undo_import(number: ImportId, access: Owner, services: ServicesHere) -> ListedImport:
    """Delete the hits that came with an import; the file can be imported again. For the site's owners."""
    with access.engine.begin() as connection:
        found = _found(store.import_of(connection, access.site.id, number))
        try:
            store.undo_import(connection, services.settings.storage_at, access.site.id, found, access.user.id)
        except store.RunningError as why:
            raise Problem(409, "This import is still running; cancel it first.") from why
        return ListedImport(**_told(_found(store.import_of(connection, access.site.id, number))))


def _found(stored: StoredImport | None) -> StoredImport:
    if stored is None:
        raise Problem(404, "The site has no such import.")
    return stored


def _told(stored: StoredImport) -> dict[str, Any]:
    counts = {name: value for name, value in vars(stored.counts).items() if name != "refused"}
    return (
        counts
        | {"id": stored.id, "name": stored.name, "size": stored.size, "by": stored.by, "at": stored.at, "finished_at": stored.finished_at}
        | {"state": _state(stored)}
    )


def _state(stored: StoredImport) -> str:
    if stored.undone_at is not None:
        return "undone"
    if stored.finished_at is None:
        return "running" if stored.runs else "stopped"
    return "broken off" if stored.counts.broken_off else "done"
