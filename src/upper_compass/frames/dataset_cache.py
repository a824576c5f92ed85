"""Keeps the datasets of the sites that are asked about, and brings them up to date whenever somebody reads."""

from __future__ import annotations

import threading
import time
from collections import OrderedDict
from collections.abc import Callable
from contextlib import AbstractContextManager
from dataclasses import dataclass

import psycopg
import structlog

from upper_compass.core.dataset.coded_hits import Ints
from upper_compass.core.definitions.reference import Reference
from upper_compass.frames import site_dataset, snapshot
from upper_compass.frames.placing import Places, Placing
from upper_compass.frames.site_dataset import SiteDataset
from upper_compass.store.record import hits_between, id_of, newest
from upper_compass.store.record_files import VisitorPart
from upper_compass.store.sites import Site
from upper_compass.store.storage import Storage, StorageAwayError

SAVE_EVERY = 20_000
# Below which name shards lie in storage.
SHARDS = "shards"
# Of the memory, the hits of one site may take one part of so many; the rest of them is mapped. What is derived of them takes as much again.
OF_HITS = 3
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

    `connect` opens a connection for reading, of one state of the database. When all together take more than `max_bytes`, those that nobody asked for the
    longest are put down to storage, and read again when they are asked for; of a single site that takes too much, hits are mapped from the disk.
    """

    def __init__(
        self,
        connect: Callable[[], AbstractContextManager[psycopg.Connection]],
        reference: Reference,
        places: Places,
        max_bytes: int = 2**62,
        part: VisitorPart | None = None,
    ) -> None:
        self._part = part
        self._connect = connect
        self._reference = reference
        self._storage = places.storage
        self._snapshots = self._snapshots_in(places.storage) if places.storage else None
        self._placing = Placing(max_bytes // OF_HITS, places.scratch)
        # How often new hits were taken in, and how long that took.
        self.advances, self.advance_seconds = 0, 0.0
        self._max_bytes = max_bytes
        self._entries: OrderedDict[int, _Entry] = OrderedDict()  # asked for last at the end
        self._locks: dict[int, threading.Lock] = {}
        self._guard = threading.Lock()

    def _snapshots_in(self, storage: Storage) -> Storage:
        """Where those of this database lie, and of this part."""
        with self._connect() as connection:
            row = connection.execute("SELECT oid FROM pg_database WHERE datname = current_database()").fetchone()
        here = f"{SHARDS}/{row[0] if row else 0}"
        return storage.below(f"{here}/part-{self._part.number}-of-{self._part.of}" if self._part else here)

    def frames(self, site: Site, as_of: AsOf | None = None) -> SiteDataset:
        """The site's dataset, up to date; or as far as `as_of` says, and no less far than it was before. Raises StorageAwayError."""
        with self._guard:
            lock = self._locks.setdefault(site.id, threading.Lock())
        with lock:
            repeated = as_of.repeated if as_of else None
            entry = self._by_rules(site, repeated)
            with self._connect() as connection:
                seq, tip = self._fitting(connection, site, entry, as_of)
                if seq > entry.dataset.seq:
                    began = time.perf_counter()
                    since = hits_between(connection, self._storage, site.id, entry.dataset.seq, seq, self._part)
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
            entry.dataset, entry.saved = self._nothing(site, as_of.repeated if as_of else None), 0
        return seq, tip

    def _by_rules(self, site: Site, repeated: Ints | None) -> _Entry:
        version = site.rules.version()
        entry = self._entries.get(site.id)
        if entry is None or entry.deletion_epoch != site.deletion_epoch:  # what was taken out must not live on here
            found = snapshot.load(self._snapshots.below(str(site.id)), site.deletion_epoch, self._placing) if self._snapshots else None
            if found is None:
                return _Entry(self._nothing(site, repeated), version, site.deletion_epoch, None, 0)
            dataset = site_dataset.of_shards(site.rules, self._reference, found.dictionaries, found.shards, found.seq, repeated, self._placing)
            return _Entry(dataset, version, site.deletion_epoch, found.tip, dataset.seq)
        if entry.rules_version != version:
            entry.dataset, entry.rules_version = site_dataset.with_rules(entry.dataset, site.rules, self._reference), version
        return entry

    def _nothing(self, site: Site, repeated: Ints | None) -> SiteDataset:
        return site_dataset.start(site.rules, self._reference, repeated=repeated, placing=self._placing)

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
        if self._snapshots and entry.dataset.seq > entry.saved:
            try:
                snapshot.save(entry.dataset, self._snapshots.below(str(site_id)), entry.tip, entry.deletion_epoch)
            except (OSError, StorageAwayError) as why:  # nothing is lost: it is read of the database again
                log.error("no snapshot could be written", site=site_id, why=str(why)[:300])
            entry.saved = entry.dataset.seq

    def sizes(self) -> dict[int, int]:
        """Bytes of each site that is in memory, the one asked for last at the end."""
        with self._guard:
            return {site_id: entry.dataset.size for site_id, entry in self._entries.items()}

    def newest(self) -> dict[int, int]:
        """By site that is in memory, the number of the last hit that was taken in."""
        with self._guard:
            return {site_id: entry.dataset.seq for site_id, entry in self._entries.items()}

    def forget(self, site_id: int) -> None:
        """Keep nothing of a site. Raises StorageAwayError."""
        with self._guard:
            self._entries.pop(site_id, None)
        if self._snapshots:
            self._snapshots.remove_below(str(site_id))

    def save(self) -> None:
        """Write snapshots of all sites that gained hits, before the application ends."""
        for site_id, entry in list(self._entries.items()):
            self._save(site_id, entry)
