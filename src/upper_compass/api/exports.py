"""Tables, visits and lists as files to take away."""

from __future__ import annotations

import os
import tempfile
from collections.abc import Callable, Iterator
from pathlib import Path
from typing import Annotated, BinaryIO, Literal, Self
from urllib.parse import quote

from fastapi import APIRouter, Body, Query
from fastapi.responses import StreamingResponse
from pydantic import BaseModel, ConfigDict, Field, FiniteFloat, model_validator

from upper_compass.api.access import ServicesHere, Viewer, who
from upper_compass.api.deps import goal_for, goals_for, with_saved
from upper_compass.api.problems import Problem, responses
from upper_compass.api.routing import Route
from upper_compass.core.definitions.comparisons import CompareRequest
from upper_compass.core.definitions.files import FileFormat
from upper_compass.core.definitions.requests import TableRequest
from upper_compass.core.export.files import MAX_CELL, MEDIA_TYPES, TooLongError, rows_frame, write_file
from upper_compass.core.reports.visit_list import VisitsRequest
from upper_compass.frames import queries

router = APIRouter(prefix="/api/v1/sites/{site}", tags=["Reports"], route_class=Route)

_TABLE = {"period": {"first": "2026-10-26", "last": "2026-11-22"}, "dimensions": ["channel"], "columns": [{"id": "visits", "measure": "visits"}]}
PART = 1 << 16
_FILES = {"content": {media: {"schema": {"type": "string", "format": "binary"}} for media in MEDIA_TYPES.values()}, "description": "The file."}


Format = Annotated[FileFormat, Query(alias="format", description="What kind of file.")]
MAX_COLUMNS, MAX_ROWS, MAX_TITLE = 60, 20_000, 200
Title = Annotated[str, Field(max_length=MAX_TITLE)]


class RowsIn(BaseModel):
    """A list as it is seen: what its columns are called, and its rows, each as long as that. A column of numbers alone is one of numbers."""

    model_config = ConfigDict(
        extra="forbid", json_schema_extra={"examples": [{"title": "Goals", "columns": ["Goal", "People"], "rows": [["Course bookings", 112]]}]}
    )
    title: Title
    columns: Annotated[list[Title], Field(min_length=1, max_length=MAX_COLUMNS)]
    rows: Annotated[list[list[Annotated[str, Field(max_length=MAX_CELL)] | Annotated[FiniteFloat, Field(strict=True)] | None]], Field(max_length=MAX_ROWS)]

    @model_validator(mode="after")
    def _rectangular(self) -> Self:
        if any(len(row) != len(self.columns) for row in self.rows):
            raise ValueError("each row needs a cell for each column")
        return self


@router.post("/exports/table", response_class=StreamingResponse, openapi_extra=who("viewer"), responses={200: _FILES, **responses(401, 403, 404, 422)})
def export_table(
    access: Viewer,
    services: ServicesHere,
    file_format: Format,
    request: TableRequest = Body(examples=[_TABLE]),  # noqa: B008
    rows: Annotated[Literal["shown", "all"], Query(description="The page that is asked for, or every row there is.")] = "all",
) -> StreamingResponse:
    """A table as a file: shares are fractions, texts are never formulas. For the site's viewers."""
    goals, asked = goals_for(access, request), with_saved(access, request)
    name = f"{'-'.join(asked.dimensions) or 'all'} {asked.period.first} to {asked.period.last}"
    return _file(
        name, file_format, lambda path: services.reader.read(access.site, queries.export_table, asked, goals, file_format, path, every_row=rows == "all")
    )


@router.post("/exports/visits", response_class=StreamingResponse, openapi_extra=who("viewer"), responses={200: _FILES, **responses(401, 403, 404, 422)})
def export_visits(access: Viewer, services: ServicesHere, file_format: Format, request: VisitsRequest) -> StreamingResponse:
    """Every visit that fits, newest first, whatever page is asked for. For the site's viewers."""
    goal, asked = goal_for(access, request.goal), with_saved(access, request)
    name = f"visits {asked.period.first} to {asked.period.last}"
    return _file(name, file_format, lambda path: services.reader.read(access.site, queries.export_visits, asked, goal, file_format, path))


@router.post("/exports/compare", response_class=StreamingResponse, openapi_extra=who("viewer"), responses={200: _FILES, **responses(401, 403, 404, 422)})
def export_compared(access: Viewer, services: ServicesHere, file_format: Format, request: CompareRequest) -> StreamingResponse:
    """Every value that is compared, whatever page is asked for. For the site's viewers."""
    goals, asked = goals_for(access, request), with_saved(access, request)
    name = f"compared {asked.period.first} to {asked.period.last}"
    return _file(name, file_format, lambda path: services.reader.read(access.site, queries.export_compared, asked, goals, file_format, path))


@router.post("/exports/rows", response_class=StreamingResponse, openapi_extra=who("viewer"), responses={200: _FILES, **responses(401, 403, 404, 413, 422)})
def export_rows(access: Viewer, file_format: Format, given: RowsIn) -> StreamingResponse:
    """A list that is seen, as a file: texts are never formulas. For the site's viewers."""
    frame, columns = rows_frame(given.columns, given.rows)

    def write(path: str) -> None:
        with Path(path).open("wb") as out:
            write_file(frame, columns, file_format, out)

    return _file(given.title, file_format, write)


def _file(name: str, file_format: FileFormat, write: Callable[[str], None]) -> StreamingResponse:
    """What is written into a file of its own, sent. Raises Problem."""
    handle, path = tempfile.mkstemp(prefix="compass-export-")
    os.close(handle)
    try:
        write(path)
        file = Path(path).open("rb")  # noqa: SIM115 (it is closed once it is sent, or let go of)
    except TooLongError as error:
        raise Problem(422, f"{str(error)[:1].upper()}{str(error)[1:]}.") from error
    finally:
        Path(path).unlink()  # it loses its name before anything is sent, so that it is gone however the sending ends
    headers = {"Content-Disposition": f"attachment; filename*=utf-8''{quote(f'{name}.{file_format}', safe='')}"}
    return StreamingResponse(_parts(file), media_type=MEDIA_TYPES[file_format], headers=headers)


def _parts(file: BinaryIO) -> Iterator[bytes]:
    with file:
        while part := file.read(PART):
            yield part
