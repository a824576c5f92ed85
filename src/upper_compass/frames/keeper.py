"""Keeps the frames of every site, and brings them up to date whenever somebody reads."""

from __future__ import annotations

import threading
from collections.abc import Callable
from contextlib import AbstractContextManager
from pathlib import Path

import psycopg

from upper_compass.core.reference import Reference
from upper_compass.frames import snapshot, state
from upper_compass.frames.state import Frames
from upper_compass.store.hits import hits_between, newest
from upper_compass.store.sites import Site

SAVE_EVERY = 20_000


class Keeper:
    """Frames by site. A reader gets all that was committed before it asked.

    `connect` opens a connection for reading; `folder` holds the snapshots of one database, None for none.
    """

    def __init__(self, connect: Callable[[], AbstractContextManager[psycopg.Connection]], reference: Reference, folder: Path | None) -> None:
        self._connect = connect
        self._reference = reference
        self._folder = folder
        self._frames: dict[int, Frames] = {}
        self._versions: dict[int, str] = {}
        self._erasures: dict[int, int] = {}
        self._saved: dict[int, int] = {}
        self._locks: dict[int, threading.Lock] = {}
        self._guard = threading.Lock()

    def frames(self, site: Site) -> Frames:
        """The site's frames, up to date."""
        with self._guard:
            lock = self._locks.setdefault(site.id, threading.Lock())
        with lock:
            frames = self._by_rules(site)
            with self._connect() as connection:
                seq = newest(connection, site.id)
                if seq < frames.seq:  # hits were removed: begin again
                    frames = state.start(site.rules, self._reference)
                if seq > frames.seq:
                    frames = state.advance(frames, hits_between(connection, site.id, frames.seq, seq), seq)
            self._frames[site.id] = frames
            self._save_at_times(site, frames)
            return frames

    def _by_rules(self, site: Site) -> Frames:
        version = site.rules.version()
        held = self._frames.get(site.id)
        if held is None or self._erasures[site.id] != site.erasures:  # what was taken out must not live on here
            found = snapshot.load(self._folder / str(site.id), site.erasures) if self._folder else None
            held = state.start(site.rules, self._reference, *(found or ()))
            self._saved[site.id] = held.seq
            self._erasures[site.id] = site.erasures
        elif self._versions[site.id] != version:
            held = state.with_rules(held, site.rules, self._reference)
        self._versions[site.id] = version
        return held

    def _save_at_times(self, site: Site, frames: Frames) -> None:
        # Numbers of other sites' hits lie between, so this is an upper bound of what a restart would read again.
        if self._folder and frames.seq - self._saved.get(site.id, 0) >= SAVE_EVERY:
            self._saved[site.id] = frames.seq
            snapshot.save(frames, self._folder / str(site.id), self._erasures[site.id])

    def save(self) -> None:
        """Write snapshots of all sites that gained hits, before the application ends."""
        for site_id, frames in list(self._frames.items()):
            if self._folder and frames.seq > self._saved.get(site_id, 0):
                snapshot.save(frames, self._folder / str(site_id), self._erasures[site_id])
                self._saved[site_id] = frames.seq
