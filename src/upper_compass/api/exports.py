"""Tables as files to take away."""

from __future__ import annotations

import os
import tempfile
from collections.abc import Iterator
from pathlib import Path
from typing import Annotated, BinaryIO, Literal
from urllib.parse import quote

from fastapi import APIRouter, Body, Query
from fastapi.responses import StreamingResponse

from upper_compass.api.access import ServicesHere, Viewer, who
from upper_compass.api.deps import goals_for, with_saved
from upper_compass.api.problems import Problem, responses
from upper_compass.api.routing import Route
from upper_compass.core.definitions.files import FileFormat
from upper_compass.core.definitions.requests import TableRequest
from upper_compass.core.export.files import MEDIA_TYPES, TooLongError
from upper_compass.frames import queries

router = APIRouter(prefix="/api/v1/sites/{site}", tags=["Reports"], route_class=Route)

_TABLE = {"period": {"first": "2026-10-26", "last": "2026-11-22"}, "dimensions": ["channel"], "columns": [{"id": "visits", "measure": "visits"}]}
PART = 1 << 16
_FILES = {"content": {media: {"schema": {"type": "string", "format": "binary"}} for media in MEDIA_TYPES.values()}, "description": "The file."}


@router.post(
    "/exports/table", response_class=StreamingResponse, openapi_extra=who("viewer"), responses={200: _FILES, **responses(401, 403, 404, 422)},
)  # fmt: skip
def export_table(
    access: Viewer,
    services: ServicesHere,
    file_format: Annotated[FileFormat, Query(alias="format", description="What kind of file.")],
    request: TableRequest = Body(examples=[_TABLE]),  # noqa: B008
    rows: Annotated[Literal["shown", "all"], Query(description="The page that is asked for, or every row there is.")] = "all",
) -> StreamingResponse:
    """A table as a file: shares are fractions, texts are never formulas. For the site's viewers."""
    goals, request = goals_for(access, request), with_saved(access, request)
    handle, path = tempfile.mkstemp(prefix="compass-export-")
    os.close(handle)
    try:
        services.reader.read(access.site, queries.export_table, request, goals, file_format, path, every_row=rows == "all")
        file = Path(path).open("rb")  # noqa: SIM115 (it is closed once it is sent, or let go of)
    except TooLongError as error:
        raise Problem(422, f"{str(error)[:1].upper()}{str(error)[1:]}.") from error
    finally:
        Path(path).unlink()  # it loses its name before anything is sent, so that it is gone however the sending ends
    name = f"{'-'.join(request.dimensions) or 'all'} {request.period.first} to {request.period.last}.{file_format}"
    headers = {"Content-Disposition": f"attachment; filename*=utf-8''{quote(name)}"}
    return StreamingResponse(_parts(file), media_type=MEDIA_TYPES[file_format], headers=headers)


def _parts(file: BinaryIO) -> Iterator[bytes]:
    with file:
        while part := file.read(PART):
            yield part
