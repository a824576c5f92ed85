"""Where hits stand: in memory, until so much of it is taken; what comes then lies on this machine's disk and is mapped.

What is mapped is read as if it stood in memory, and the system keeps of it there what was read last and there is room for.
"""

from __future__ import annotations

import tempfile
from dataclasses import dataclass
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

    def keep(self, hits: pl.DataFrame) -> tuple[pl.DataFrame, bool]:
        """(The same frame, wherever it stands now; whether it is mapped)."""
        size = int(hits.estimated_size())
        if self._taken + size <= self._placing.max_bytes or not len(hits):
            self._taken += size
            return hits, False
        return mapped(hits, self._placing.folder), True


def mapped(hits: pl.DataFrame, folder: Path) -> pl.DataFrame:
    """A frame as it stands in a file without a name, which is gone with it. Its columns read from there without a copy, but for those of bool."""
    import pyarrow as pa  # takes a third of a second, and few need it

    with tempfile.NamedTemporaryFile(dir=folder, prefix="compass-", suffix=".arrow") as file:
        hits.rechunk().write_ipc(file.name, compression="uncompressed", record_batch_size=len(hits))
        found = pl.from_arrow(pa.ipc.open_file(pa.memory_map(file.name)).read_all())
    assert isinstance(found, pl.DataFrame)  # noqa: S101
    return found
