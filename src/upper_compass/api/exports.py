"""Tables as files to take away."""

from __future__ import annotations

import os
import tempfile
from pathlib import Path
from typing import Annotated, Literal

from fastapi import APIRouter, Body, Query
from fastapi.responses import FileResponse
from starlette.background import BackgroundTask

from upper_compass.api.access import ServicesHere, Viewer, who
from upper_compass.api.deps import goals_for
from upper_compass.api.problems import Problem, responses
from upper_compass.api.routing import Route
from upper_compass.core.definitions.files import FileFormat
from upper_compass.core.definitions.requests import TableRequest
from upper_compass.core.export.files import MEDIA_TYPES, TooLongError
from upper_compass.frames import queries

router = APIRouter(prefix="/api/v1/sites/{site}", tags=["Reports"], route_class=Route)

_TABLE = {"period": {"first": "2026-10-26", "last": "2026-11-22"}, "dimensions": ["channel"], "columns": [{"id": "visits", "measure": "visits"}]}
_FILES = {"content": {media: {"schema": {"type": "string", "format": "binary"}} for media in MEDIA_TYPES.values()}, "description": "The file."}


@router.post(
    "/exports/table", response_class=FileResponse, openapi_extra=who("viewer"), responses={200: _FILES, **responses(401, 403, 404, 422)},
)  # fmt: skip
def export_table(
    access: Viewer,
    services: ServicesHere,
    file_format: Annotated[FileFormat, Query(alias="format", description="What kind of file.")],
    request: TableRequest = Body(examples=[_TABLE]),  # noqa: B008
    rows: Annotated[Literal["shown", "all"], Query(description="The page that is asked for, or every row there is.")] = "all",
) -> FileResponse:
    """A table as a file: shares are fractions, texts are never formulas. For the site's viewers."""
    goals = goals_for(access, request)
    handle, path = tempfile.mkstemp(prefix="compass-export-")
    os.close(handle)
    try:
        services.reader.read(access.site, queries.export_table, request, goals, file_format, path, every_row=rows == "all")
    except BaseException as error:
        Path(path).unlink()
        if isinstance(error, TooLongError):
            raise Problem(422, f"{str(error)[:1].upper()}{str(error)[1:]}.") from error
        raise
    name = f"{'-'.join(request.dimensions) or 'all'} {request.period.first} to {request.period.last}.{file_format}"
    return FileResponse(path, media_type=MEDIA_TYPES[file_format], filename=name.replace("/", "-"), background=BackgroundTask(Path(path).unlink))
