"""Keeps the frames of every site, and brings them up to date whenever somebody reads."""

from __future__ import annotations

import threading
from collections.abc import Callable
from contextlib import AbstractContextManager
from pathlib import Path

import psycopg

from upper_compass.core.definitions.reference import Reference
from upper_compass.frames import site_dataset, snapshot
from upper_compass.frames.site_dataset import SiteDataset
from upper_compass.store.hits import hits_between, id_of, newest
from upper_compass.store.sites import Site

SAVE_EVERY = 20_000


class DatasetCache:
    """Frames by site. A reader gets all that was committed before it asked.

    `connect` opens a connection for reading; `folder` holds the snapshots of one database, None for none.
    """

    def __init__(self, connect: Callable[[], AbstractContextManager[psycopg.Connection]], reference: Reference, folder: Path | None) -> None:
        self._connect = connect
        self._reference = reference
        self._folder = folder
        self._frames: dict[int, SiteDataset] = {}
        self._versions: dict[int, str] = {}
        self._erasures: dict[int, int] = {}
        self._tips: dict[int, str | None] = {}
        self._saved: dict[int, int] = {}
        self._locks: dict[int, threading.Lock] = {}
        self._guard = threading.Lock()

    def frames(self, site: Site) -> SiteDataset:
        """The site's frames, up to date."""
        with self._guard:
            lock = self._locks.setdefault(site.id, threading.Lock())
        with lock:
            frames = self._by_rules(site)
            with self._connect() as connection:
                seq, tip = newest(connection, site.id)
                if seq < frames.seq or not self._fits(connection, site.id, frames.seq):
                    frames = site_dataset.start(site.rules, self._reference)
                if seq > frames.seq:
                    frames = site_dataset.advance(frames, hits_between(connection, site.id, frames.seq, seq), seq)
            self._frames[site.id], self._tips[site.id] = frames, tip
            self._save_at_times(site, frames)
            return frames

    def _fits(self, connection: psycopg.Connection, site_id: int, seq: int) -> bool:
        """Whether what is held here is of the hits that are in the database: after an older state was restored, new hits bear the same numbers."""
        return seq == 0 or id_of(connection, site_id, seq) == self._tips.get(site_id)

    def _by_rules(self, site: Site) -> SiteDataset:
        version = site.rules.version()
        held = self._frames.get(site.id)
        if held is None or self._erasures[site.id] != site.erasures:  # what was taken out must not live on here
            found = snapshot.load(self._folder / str(site.id), site.erasures) if self._folder else None
            held = site_dataset.start(site.rules, self._reference, *((found.dictionaries, found.hits, found.seq) if found else ()))
            self._saved[site.id], self._tips[site.id] = held.seq, found.tip if found else None
            self._erasures[site.id] = site.erasures
        elif self._versions[site.id] != version:
            held = site_dataset.with_rules(held, site.rules, self._reference)
        self._versions[site.id] = version
        return held

    def _save_at_times(self, site: Site, frames: SiteDataset) -> None:
        # Numbers of other sites' hits lie between, so this is an upper bound of what a restart would read again.
        if self._folder and frames.seq - self._saved.get(site.id, 0) >= SAVE_EVERY:
            self._saved[site.id] = frames.seq
            snapshot.save(frames, self._folder / str(site.id), self._tips[site.id], self._erasures[site.id])

    def save(self) -> None:
        """Write snapshots of all sites that gained hits, before the application ends."""
        for site_id, frames in list(self._frames.items()):
            if self._folder and frames.seq > self._saved.get(site_id, 0):
                snapshot.save(frames, self._folder / str(site_id), self._tips[site_id], self._erasures[site_id])
                self._saved[site_id] = frames.seq
