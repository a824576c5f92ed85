"""Frames on disk, so that a restart does not read every hit again. A snapshot can be thrown away at any time.

Nobody but the application's user may read one. Each file's checksum stands beside it, and the id of the newest hit: what was changed on disk, or
belongs to another state of the database, is made anew.
"""

from __future__ import annotations

import hashlib
import json
import shutil
from dataclasses import dataclass
from pathlib import Path

import polars as pl
import structlog

from upper_compass.core.dataset.coded_hits import CODED, CODED_SCHEMA, Dictionaries
from upper_compass.frames.site_dataset import SiteDataset

FORMAT = 6
ABOUT = "about.json"
log = structlog.get_logger()


@dataclass(frozen=True)
class Snapshot:
    """What was read from disk: coded hits in parts (frames of CODED_SCHEMA); `tip` is the id of hit number `seq`, the newest one."""

    dictionaries: Dictionaries
    hits: list[pl.DataFrame]
    seq: int
    tip: str | None


def _digest(file: Path) -> str:
    with file.open("rb") as opened:
        return hashlib.file_digest(opened, "sha256").hexdigest()


def save(frames: SiteDataset, folder: Path, tip: str | None, deletion_epoch: int = 0) -> None:
    """Write a snapshot, after so many deletions; a reader finds the old one or the new one, never half of one."""
    making = folder.with_name(folder.name + ".new")
    shutil.rmtree(making, ignore_errors=True)
    making.mkdir(parents=True)
    for above in (folder.parent.parent, folder.parent, making):
        above.chmod(0o700)
    parts = 0
    for hits in frames.parts():
        hits.write_parquet(making / f"hits-{parts}.parquet", compression="lz4")
        parts += 1
    for name in CODED:
        frames.dictionaries[name].texts.to_frame("text").write_parquet(making / f"{name}.parquet", compression="lz4")
    sums = {file.name: _digest(file) for file in sorted(making.iterdir())}
    (making / ABOUT).write_text(json.dumps({"format": FORMAT, "parts": parts, "seq": frames.seq, "tip": tip, "deletion_epoch": deletion_epoch, "sums": sums}))
    shutil.rmtree(folder, ignore_errors=True)
    making.rename(folder)


def load(folder: Path, deletion_epoch: int = 0) -> Snapshot | None:
    """A snapshot, or None when there is none that can be used.

    One from before an erasure cannot: it holds what was taken out. Nor one of which any file is not as it was written.
    """
    try:
        about = json.loads((folder / ABOUT).read_text())
        if about["format"] != FORMAT or about["deletion_epoch"] != deletion_epoch:
            return None
        parts = [f"hits-{number}.parquet" for number in range(about["parts"])]
        expected = {*parts, *(f"{name}.parquet" for name in CODED)}
        if set(about["sums"]) != expected or about["sums"] != {name: _digest(folder / name) for name in expected}:
            log.warning("snapshot passed over", folder=str(folder), why="a file is not as it was written")
            return None
        dictionaries = Dictionaries({name: pl.read_parquet(folder / f"{name}.parquet")["text"] for name in CODED})
        hits = [pl.read_parquet(folder / name) for name in parts]
        if any(dict(part.schema) != CODED_SCHEMA for part in hits):
            return None
        return Snapshot(dictionaries, hits, int(about["seq"]), about["tip"])
    except FileNotFoundError:
        return None
    except Exception as why:  # whatever is wrong with it, it is made anew
        log.warning("snapshot passed over", folder=str(folder), why=str(why)[:300])
        return None
