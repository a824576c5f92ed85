"""Frames on disk, so that a restart does not read every hit again. A snapshot can be thrown away at any time."""

from __future__ import annotations

import json
import shutil
from pathlib import Path

import polars as pl
import structlog

from upper_compass.core.frame import CODED, CODED_SCHEMA, Dictionaries
from upper_compass.frames.state import Frames

FORMAT = 2
log = structlog.get_logger()


def save(frames: Frames, folder: Path, erasures: int = 0) -> None:
    """Write a snapshot, after so many erasures; a reader finds the old one or the new one, never half of one."""
    making = folder.with_name(folder.name + ".new")
    shutil.rmtree(making, ignore_errors=True)
    making.mkdir(parents=True)
    frames.hits.write_parquet(making / "hits.parquet", compression="lz4")
    for name in CODED:
        frames.dictionaries[name].texts.to_frame("text").write_parquet(making / f"{name}.parquet", compression="lz4")
    (making / "about.json").write_text(json.dumps({"format": FORMAT, "seq": frames.seq, "erasures": erasures}))
    shutil.rmtree(folder, ignore_errors=True)
    making.rename(folder)


def load(folder: Path, erasures: int = 0) -> tuple[Dictionaries, pl.DataFrame, int] | None:
    """(dictionaries, coded hits, number of the newest hit), or None when there is no snapshot that can be used.

    One from before an erasure cannot: it holds what was taken out.
    """
    try:
        about = json.loads((folder / "about.json").read_text())
        if about["format"] != FORMAT or about["erasures"] != erasures:
            return None
        dictionaries = Dictionaries({name: pl.read_parquet(folder / f"{name}.parquet")["text"] for name in CODED})
        hits = pl.read_parquet(folder / "hits.parquet")
        if dict(hits.schema) != CODED_SCHEMA:
            return None
        return dictionaries, hits, int(about["seq"])
    except FileNotFoundError:
        return None
    except (OSError, ValueError, KeyError, pl.exceptions.PolarsError) as why:
        log.warning("snapshot passed over", folder=str(folder), why=str(why))
        return None
