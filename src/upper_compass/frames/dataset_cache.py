"""Keeps the datasets of the sites that are asked about, and brings them up to date whenever somebody reads."""

from __future__ import annotations

import shutil
import threading
import time
from collections import OrderedDict
from collections.abc import Callable
from contextlib import AbstractContextManager
from dataclasses import dataclass
from pathlib import Path

import psycopg
import structlog

from upper_compass.core.dataset.coded_hits import Ints
from upper_compass.core.definitions.reference import Reference
from upper_compass.frames import site_dataset, snapshot
from upper_compass.frames.site_dataset import SiteDataset
from upper_compass.store.hits import VisitorPart, hits_between, id_of, newest
from upper_compass.store.sites import Site

SAVE_EVERY = 20_000
log = structlog.get_logger()


@dataclass
class _Entry:
    """A site's dataset, by which rules and after how many deletions it was read; `tip`: id of its newest hit; `saved`: up to which number it is on disk."""

    dataset: SiteDataset
    rules_version: str
    deletion_epoch: int
    tip: str | None
    saved: int


@dataclass(frozen=True)
class AsOf:
    """Up to which hit a site is read: its number and id, and the `seq` of all repeated orders by then (ascending)."""

    seq: int
    tip: str | None
    repeated: Ints


class DatasetCache:
    """Datasets by site, or of those visitors alone who belong to one `part`. A reader gets all that was committed before it asked.

    `connect` opens a connection for reading; `folder` holds the snapshots of one database, None for none. When all together take more than
    `max_bytes`, those that nobody asked for the longest are put down to disk, and read again when they are asked for.
    """

    def __init__(
        self,
        connect: Callable[[], AbstractContextManager[psycopg.Connection]],
        reference: Reference,
        folder: Path | None,
        max_bytes: int = 2**62,
        part: VisitorPart | None = None,
    ) -> None:
        self._part = part
        self._connect = connect
        self._reference = reference
        self._folder = folder
        # How often new hits were taken in, and how long that took.
        self.advances, self.advance_seconds = 0, 0.0
        self._max_bytes = max_bytes
        self._entries: OrderedDict[int, _Entry] = OrderedDict()  # asked for last at the end
        self._locks: dict[int, threading.Lock] = {}
        self._guard = threading.Lock()

    def frames(self, site: Site, as_of: AsOf | None = None) -> SiteDataset:
        """The site's dataset, up to date; or as far as `as_of` says, and no less far than it was before."""
        with self._guard:
            lock = self._locks.setdefault(site.id, threading.Lock())
        with lock:
            repeated = as_of.repeated if as_of else None
            entry = self._by_rules(site, repeated)
            with self._connect() as connection:
                seq, tip = self._fitting(connection, site, entry, as_of)
                if seq > entry.dataset.seq:
                    began = time.perf_counter()
                    since = hits_between(connection, site.id, entry.dataset.seq, seq, self._part)
                    entry.dataset = site_dataset.advance(entry.dataset, since, seq, repeated)
                    self.advances, self.advance_seconds = self.advances + 1, self.advance_seconds + time.perf_counter() - began
                entry.tip = tip  # only now, for reading may break off
            # Numbers of other sites' hits lie between, so this is an upper bound of what a restart would read again.
            if entry.dataset.seq - entry.saved >= SAVE_EVERY:
                self._save(site.id, entry)
            with self._guard:
                self._entries[site.id] = entry
                self._entries.move_to_end(site.id)
            dataset = entry.dataset
        self._make_room()
        return dataset

    def _fitting(self, connection: psycopg.Connection, site: Site, entry: _Entry, as_of: AsOf | None) -> tuple[int, str | None]:
        """Number and id of the newest hit. What is held here is given up unless it is of the hits that are in the database.

        After an older state was restored, new hits bear the same numbers.
        """
        seq, tip = (as_of.seq, as_of.tip) if as_of else newest(connection, site.id)
        known = entry.dataset.seq
        if as_of and seq < known and id_of(connection, site.id, seq) == tip and id_of(connection, site.id, known) == entry.tip:
            return known, entry.tip  # whoever asks saw less; what is here goes on from there
        if seq < known or (known and id_of(connection, site.id, known) != entry.tip):
            entry.dataset, entry.saved = site_dataset.start(site.rules, self._reference, repeated=as_of.repeated if as_of else None), 0
        return seq, tip

    def _by_rules(self, site: Site, repeated: Ints | None) -> _Entry:
        version = site.rules.version()
        entry = self._entries.get(site.id)
        if entry is None or entry.deletion_epoch != site.deletion_epoch:  # what was taken out must not live on here
            found = snapshot.load(self._folder / str(site.id), site.deletion_epoch) if self._folder else None
            dictionaries, hits, seq = (found.dictionaries, found.hits, found.seq) if found else (None, None, 0)
            dataset = site_dataset.start(site.rules, self._reference, dictionaries, hits, seq, repeated)
            return _Entry(dataset, version, site.deletion_epoch, found.tip if found else None, dataset.seq)
        if entry.rules_version != version:
            entry.dataset, entry.rules_version = site_dataset.with_rules(entry.dataset, site.rules, self._reference), version
        return entry

    def _make_room(self) -> None:
        """Put down what was asked for the longest ago, until the rest fits; what was asked for last stays, whatever its size."""
        sizes = self.sizes()
        over = sum(sizes.values()) - self._max_bytes
        for site_id in list(sizes)[:-1]:
            if over <= 0:
                return
            lock = self._locks[site_id]
            if lock.acquire(blocking=False):  # else somebody asks for it just now
                try:
                    entry = self._entries[site_id]
                    self._save(site_id, entry)
                    with self._guard:
                        del self._entries[site_id]
                    over -= sizes[site_id]
                    log.info("site put down to disk", site=site_id, bytes=sizes[site_id])
                finally:
                    lock.release()

    def _save(self, site_id: int, entry: _Entry) -> None:
        if self._folder and entry.dataset.seq > entry.saved:
            snapshot.save(entry.dataset, self._folder / str(site_id), entry.tip, entry.deletion_epoch)
            entry.saved = entry.dataset.seq

    def sizes(self) -> dict[int, int]:
        """Bytes of each site that is in memory, the one asked for last at the end."""
        with self._guard:
            return {site_id: entry.dataset.size for site_id, entry in self._entries.items()}

    def forget(self, site_id: int) -> None:
        """Keep nothing of a site."""
        with self._guard:
            self._entries.pop(site_id, None)
        if self._folder:
            shutil.rmtree(self._folder / str(site_id), ignore_errors=True)

    def save(self) -> None:
        """Write snapshots of all sites that gained hits, before the application ends."""
        for site_id, entry in list(self._entries.items()):
            self._save(site_id, entry)
