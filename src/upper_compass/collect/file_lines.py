"""Lines of files that come from outside, plain or gzipped, as a stream; each has a limit, and so has the whole."""

from __future__ import annotations

import gzip
import io
import zlib
from collections.abc import Iterable, Iterator
from typing import BinaryIO, cast

MAX_LINE = 256 * 1024
MAX_UNPACKED = 4 * 1024**3
# Hits and logs pack to a tenth or so; what packs to a hundredth is one line over and over.
MAX_RATIO, RATIO_FROM = 100, 64 * 1024**2
_GZIP = b"\x1f\x8b"
_MARK = b"\xef\xbb\xbf"


class BrokenOffError(Exception):
    """The rest of the file is not read; the text says why."""


BREAKS = (EOFError, OSError, zlib.error, BrokenOffError)


def together(lines: Iterable[bytes], count: int) -> Iterator[list[bytes]]:
    """Lines, so many at a time. Where a file breaks off, those before come first; then that is raised."""
    batch: list[bytes] = []
    try:
        for line in lines:
            batch.append(line)
            if len(batch) == count:
                yield batch
                batch = []
    except BREAKS:
        yield batch
        raise
    yield batch


def file_lines(file: BinaryIO, max_unpacked: int) -> Iterator[bytes]:
    """The lines of a file, each with its end; of one that is too long as much as may be and a letter more. Raises BrokenOffError."""
    buffered = io.BufferedReader(cast(io.RawIOBase, file)) if not isinstance(file, io.BufferedReader) else file
    try:
        yield from _lines(buffered, max_unpacked)
    finally:
        if buffered is not file:
            buffered.detach()  # whoever gave the file closes it


def _lines(buffered: io.BufferedReader, max_unpacked: int) -> Iterator[bytes]:
    packed = buffered.peek(2)[:2] == _GZIP
    opened: Iterable[bytes] = gzip.GzipFile(fileobj=buffered) if packed else buffered
    reader = cast(BinaryIO, opened)
    unpacked = 0
    first = True
    while line := reader.readline(MAX_LINE + 1):
        unpacked += len(line)
        yield line.removeprefix(_MARK) if first else line
        first = False
        while len(line) > MAX_LINE and not line.endswith(b"\n"):  # the rest of an over-long line
            line = reader.readline(MAX_LINE + 1)
            unpacked += len(line)
            if unpacked > max_unpacked:
                break
            if not line:
                return
        if packed and unpacked > RATIO_FROM and unpacked > MAX_RATIO * buffered.tell():
            raise BrokenOffError("it unpacks to more than a hundred times its size, which no file of hits does")
        if unpacked > max_unpacked:
            raise BrokenOffError(f"it holds more than {max_unpacked / 1024**2:,.0f} MB; send it in parts")
