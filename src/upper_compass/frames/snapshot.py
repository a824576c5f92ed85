"""Frames in storage, so that a restart does not read every hit again. A snapshot can be thrown away at any time.

Each shard is an Arrow file of its own. Each file's checksum stands in the snapshot's description, and the id of the newest hit: what was changed there, or
belongs to another state of the database, is made anew.
"""

from __future__ import annotations

import hashlib
import json
import re
import secrets
from dataclasses import dataclass
from pathlib import Path

import polars as pl
import structlog

from upper_compass.core.dataset.coded_hits import CODED, CODED_SCHEMA, Dictionaries
from upper_compass.frames.placing import PlacedHits, Placing
from upper_compass.frames.site_dataset import SiteDataset, split_by
from upper_compass.store.storage import Storage

FORMAT = 8
ABOUT = "about.json"
MAKING_OF = re.compile(r"[0-9a-f]{16}")
log = structlog.get_logger()


@dataclass(frozen=True)
class Snapshot:
    """What was read: coded hits, shard by shard, each in order; `tip` is the id of hit number `seq`, the newest one."""

    dictionaries: Dictionaries
    shards: list[PlacedHits]
    seq: int
    tip: str | None


def _digest(file: Path) -> str:
    with file.open("rb") as opened:
        return hashlib.file_digest(opened, "sha256").hexdigest()


def save(frames: SiteDataset, into: Storage, tip: str | None, deletion_epoch: int = 0) -> None:
    """Write a snapshot, after so many deletions; a reader finds the old one or the new one, never half of one. Raises StorageAwayError."""
    making, sums = secrets.token_hex(8), {}

    def write(name: str, frame: pl.DataFrame) -> None:
        with into.making(f"{making}/{name}") as file:
            if name.endswith(".arrow"):
                frame.write_ipc(file, compression="lz4")
            else:
                frame.write_parquet(file, compression="lz4")
            sums[name] = _digest(file)

    count = 0
    for hits in frames.by_shard():
        write(f"hits-{count}.arrow", hits)
        count += 1
    for name in CODED:
        write(f"{name}.parquet", frames.dictionaries[name].texts.to_frame("text"))
    about = {
        "format": FORMAT,
        "split_by": split_by(),
        "making": making,
        "shards": count,
        "seq": frames.seq,
        "tip": tip,
        "deletion_epoch": deletion_epoch,
        "sums": sums,
    }
    into.write(ABOUT, json.dumps(about).encode())
    into.remove(*(name for name in into.names() if name != ABOUT and not name.startswith(f"{making}/")))


def load(of: Storage, deletion_epoch: int = 0, placing: Placing | None = None) -> Snapshot | None:
    """A snapshot, or None when there is none that can be used.

    One from before an erasure cannot: it holds what was taken out. Nor one of which any file is not as it was written.
    """
    try:
        about = json.loads(of.read(ABOUT))
        # Visitors stand in shards by a hash; what is split by another one, of another version or processor, could have somebody in two.
        if (
            about["format"] != FORMAT
            or about["split_by"] != split_by()
            or about["deletion_epoch"] != deletion_epoch
            or not MAKING_OF.fullmatch(about["making"])
        ):
            return None
        shards = [f"hits-{number}.arrow" for number in range(about["shards"])]
        if set(about["sums"]) != {*shards, *(f"{name}.parquet" for name in CODED)}:
            return None
        texts = {name: _read(of, about, f"{name}.parquet")["text"] for name in CODED}
        place = (placing or Placing()).begin()
        hits = [place.keep(_read(of, about, name)) for name in shards]
        if any(dict(part.hits.schema) != CODED_SCHEMA for part in hits):
            return None
        return Snapshot(Dictionaries(texts), hits, int(about["seq"]), about["tip"])
    except FileNotFoundError:
        return None
    except Exception as why:  # whatever is wrong with it, it is made anew
        log.warning("snapshot passed over", storage=of.url, why=str(why)[:300])
        return None


def _read(of: Storage, about: dict[str, object], name: str) -> pl.DataFrame:
    with of.near(f"{about['making']}/{name}") as file:
        if about["sums"][name] != _digest(file):  # type: ignore[index]
            raise ValueError(f"{name} is not as it was written")
        return pl.read_ipc(file) if name.endswith(".arrow") else pl.read_parquet(file)
