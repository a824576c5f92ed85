"""Files that are sent: written whole first, so that an answer is a file or a problem and never half of one."""

from __future__ import annotations

import os
import tempfile
from collections.abc import Callable, Iterator
from pathlib import Path
from typing import Annotated, Any, BinaryIO
from urllib.parse import quote

import polars as pl
from fastapi import Query
from fastapi.responses import StreamingResponse

from upper_compass.api.problems import Problem
from upper_compass.core.definitions.files import FileColumn, FileFormat
from upper_compass.core.export.files import MEDIA_TYPES, TooLongError, write_file

PART = 1 << 16
FILES: dict[str, Any] = {
    "content": {media: {"schema": {"type": "string", "format": "binary"}} for media in MEDIA_TYPES.values()}, "description": "The file.",
}  # fmt: skip
Format = Annotated[FileFormat, Query(alias="format", description="What kind of file.")]


def rows_sent(name: str, file_format: FileFormat, frame: pl.DataFrame, columns: list[FileColumn]) -> StreamingResponse:
    """A frame as a file. Raises Problem."""

    def write(path: str) -> None:
        with Path(path).open("wb") as out:
            write_file(frame, columns, file_format, out)

    return file_sent(name, file_format, write)


def file_sent(name: str, file_format: FileFormat, write: Callable[[str], None]) -> StreamingResponse:
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
