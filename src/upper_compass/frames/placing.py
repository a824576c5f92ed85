"""Where hits stand: in memory, until so much of it is taken; what comes then lies on this machine's disk and is mapped.

What is mapped is read as if it stood in memory, and the system keeps of it there what was read last and there is room for.
"""

from __future__ import annotations

import mmap
import tempfile
from collections.abc import Callable
from dataclasses import dataclass
from functools import partial
from pathlib import Path

import polars as pl

from upper_compass.store.storage import Storage

# A folder that is on a disk, where the one for what is temporary may be in memory.
ON_DISK = Path("/var/tmp")  # noqa: S108


@dataclass(frozen=True)
class Places:
    """What reading works with: `storage`, which whoever takes over reaches too, None for none; `scratch`: a folder on this machine's own disk."""

    storage: Storage | None = None
    scratch: Path = ON_DISK


@dataclass(frozen=True)
class Placing:
    """Of the hits of one site, `max_bytes` may stand in memory; `folder`: on this machine's own disk."""

    max_bytes: int = 2**62
    folder: Path = ON_DISK

    def begin(self) -> Place:
        """A place for the hits that are read now."""
        return Place(self)


class Place:
    """Takes in hits, one frame after the other."""

    def __init__(self, placing: Placing) -> None:
        self._placing, self._taken = placing, 0

    def keep(self, hits: pl.DataFrame) -> PlacedHits:
        """The same frame, wherever it stands now."""
        size = int(hits.estimated_size())
        if self._taken + size <= self._placing.max_bytes or not len(hits):
            self._taken += size
            return PlacedHits(hits)
        return PlacedHits.on_disk(hits, self._placing.folder)


@dataclass(frozen=True)
class PlacedHits:
    """Hits (a frame of CODED_SCHEMA), in memory, or mapped from a file without a name, which is gone with those who read it.

    `let_go`: of mapped ones, lets nothing of them stay in this process's memory; what is read again comes back.
    """

    hits: pl.DataFrame
    let_go: Callable[[], None] | None = None

    @staticmethod
    def on_disk(hits: pl.DataFrame, folder: Path) -> PlacedHits:
        """Write hits down. Their columns read from there without a copy, but for those of bool."""
        import pyarrow as pa  # takes a third of a second, and few need it

        with tempfile.TemporaryFile(dir=folder) as file:
            hits.rechunk().write_ipc(file, compression="uncompressed", record_batch_size=len(hits))
            file.flush()
            mapping = mmap.mmap(file.fileno(), 0, access=mmap.ACCESS_READ)
        found = pl.from_arrow(pa.ipc.open_file(pa.py_buffer(mapping)).read_all())
        assert isinstance(found, pl.DataFrame)  # noqa: S101
        return PlacedHits(found, partial(mapping.madvise, mmap.MADV_DONTNEED))
