"""Keeps the datasets of the sites that are asked about, and brings them up to date whenever somebody reads."""

from __future__ import annotations

import threading
from collections import OrderedDict
from collections.abc import Callable
from contextlib import AbstractContextManager
from dataclasses import dataclass
from pathlib import Path

import psycopg
import structlog

from upper_compass.core.definitions.reference import Reference
from upper_compass.frames import site_dataset, snapshot
from upper_compass.frames.site_dataset import SiteDataset
from upper_compass.store.hits import hits_between, id_of, newest
from upper_compass.store.sites import Site

SAVE_EVERY = 20_000
log = structlog.get_logger()


@dataclass
class _Held:
    """A site's dataset, by which rules and after how many deletions it was read; `tip`: id of its newest hit; `saved`: up to which number it is on disk."""

    dataset: SiteDataset
    rules_version: str
    deletion_epoch: int
    tip: str | None
    saved: int


class DatasetCache:
    """Datasets by site. A reader gets all that was committed before it asked.

    `connect` opens a connection for reading; `folder` holds the snapshots of one database, None for none. When all together take more than
    `max_bytes`, those that nobody asked for the longest are put down to disk, and read again when they are asked for.
    """

    def __init__(
        self, connect: Callable[[], AbstractContextManager[psycopg.Connection]], reference: Reference, folder: Path | None, max_bytes: int = 2**62
    ) -> None:
        self._connect = connect
        self._reference = reference
        self._folder = folder
        self._max_bytes = max_bytes
        self._held: OrderedDict[int, _Held] = OrderedDict()  # asked for last at the end
        self._locks: dict[int, threading.Lock] = {}
        self._guard = threading.Lock()

    def frames(self, site: Site) -> SiteDataset:
        """The site's dataset, up to date."""
        with self._guard:
            lock = self._locks.setdefault(site.id, threading.Lock())
        with lock:
            held = self._by_rules(site)
            with self._connect() as connection:
                seq, tip = self._fitting(connection, site, held)
                if seq > held.dataset.seq:
                    held.dataset = site_dataset.advance(held.dataset, hits_between(connection, site.id, held.dataset.seq, seq), seq)
                held.tip = tip  # only now, for reading may break off
            # Numbers of other sites' hits lie between, so this is an upper bound of what a restart would read again.
            if held.dataset.seq - held.saved >= SAVE_EVERY:
                self._save(site.id, held)
            with self._guard:
                self._held[site.id] = held
                self._held.move_to_end(site.id)
            dataset = held.dataset
        self._make_room()
        return dataset

    def _fitting(self, connection: psycopg.Connection, site: Site, held: _Held) -> tuple[int, str | None]:
        """Number and id of the newest hit. What is held here is given up unless it is of the hits that are in the database.

        After an older state was restored, new hits bear the same numbers.
        """
        seq, tip = newest(connection, site.id)
        known = held.dataset.seq
        if seq < known or (known and id_of(connection, site.id, known) != held.tip):
            held.dataset, held.saved = site_dataset.start(site.rules, self._reference), 0
        return seq, tip

    def _by_rules(self, site: Site) -> _Held:
        version = site.rules.version()
        held = self._held.get(site.id)
        if held is None or held.deletion_epoch != site.deletion_epoch:  # what was taken out must not live on here
            found = snapshot.load(self._folder / str(site.id), site.deletion_epoch) if self._folder else None
            dataset = site_dataset.start(site.rules, self._reference, *((found.dictionaries, found.hits, found.seq) if found else ()))
            return _Held(dataset, version, site.deletion_epoch, found.tip if found else None, dataset.seq)
        if held.rules_version != version:
            held.dataset, held.rules_version = site_dataset.with_rules(held.dataset, site.rules, self._reference), version
        return held

    def _make_room(self) -> None:
        """Put down what was asked for the longest ago, until the rest fits; what was asked for last stays, whatever its size."""
        with self._guard:
            sizes = {site_id: held.dataset.size for site_id, held in self._held.items()}
        over = sum(sizes.values()) - self._max_bytes
        for site_id in list(sizes)[:-1]:
            if over <= 0:
                return
            lock = self._locks[site_id]
            if lock.acquire(blocking=False):  # else somebody asks for it just now
                try:
                    held = self._held[site_id]
                    self._save(site_id, held)
                    with self._guard:
                        del self._held[site_id]
                    over -= sizes[site_id]
                    log.info("site put down to disk", site=site_id, bytes=sizes[site_id])
                finally:
                    lock.release()

    def _save(self, site_id: int, held: _Held) -> None:
        if self._folder and held.dataset.seq > held.saved:
            snapshot.save(held.dataset, self._folder / str(site_id), held.tip, held.deletion_epoch)
            held.saved = held.dataset.seq

    def save(self) -> None:
        """Write snapshots of all sites that gained hits, before the application ends."""
        for site_id, held in list(self._held.items()):
            self._save(site_id, held)
