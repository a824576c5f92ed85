"""What the collector must know of each site: read once, and again when PostgreSQL says that it changed."""

from __future__ import annotations

import asyncio
import threading
import time
from collections.abc import Callable, Sequence
from dataclasses import dataclass

import psycopg
import sqlalchemy as sa
import structlog
from anyio import to_thread

from upper_compass.collect.marking import Network, read_networks
from upper_compass.core.dataset.traffic_sources import ViewReader
from upper_compass.core.definitions.site_rules import bare_host
from upper_compass.core.tagging.tag_rules import Rule
from upper_compass.reference import shipped
from upper_compass.store.rules import live_number, live_rules
from upper_compass.store.sites import Site, site_by_key

CHANNEL = "compass_sites"
MAX_UNKNOWN = 2_000
# While nobody can tell of changes, what was read holds for so many seconds.
HOLDS_UNTOLD = 5.0
AGAIN = 1.0
log = structlog.get_logger()


@dataclass(frozen=True)
class SiteEntry:
    """What the collector and the script must know of a site; `live`: the number of the version of its tag rules."""

    site: Site
    hosts: frozenset[str]
    internal_networks: tuple[Network, ...]
    live: int
    rules: Sequence[Rule]
    views: ViewReader


class Directory:
    """Sites by key. `find` belongs to one event loop, `forget` to anybody; `connect` opens a connection that listens for changes."""

    def __init__(self, engine: sa.Engine, connect: Callable[[], psycopg.Connection]) -> None:
        self._engine, self._connect = engine, connect
        self._sites: dict[str, tuple[SiteEntry, float]] = {}
        self._unknown: dict[str, float] = {}
        self._lock = asyncio.Lock()
        self._changes = 0
        self._current = threading.Event()
        self._stop = threading.Event()
        self._thread = threading.Thread(target=self._listen, name="directory", daemon=True)

    def start(self) -> None:
        """Begin to listen."""
        self._thread.start()

    def stop(self) -> None:
        """Listen no more."""
        self._stop.set()

    def forget(self, key: str | None = None) -> None:
        """What is known of a site, or of all, is read again."""
        self._changes += 1
        if key is None:
            self._sites, self._unknown = {}, {}
        else:
            self._sites.pop(key, None)
            self._unknown.pop(key, None)

    async def find(self, key: str) -> SiteEntry | None:
        """The site with this key."""
        entry = self._sites.get(key)
        if entry and self._holds(entry[1]):
            return entry[0]
        if self._holds(self._unknown.get(key, 0.0)):
            return None
        async with self._lock:
            entry = self._sites.get(key)
            if entry and self._holds(entry[1]):
                return entry[0]
            return await to_thread.run_sync(self._read, key)

    def _holds(self, read_at: float) -> bool:
        return read_at > 0 and (self._current.is_set() or time.monotonic() - read_at < HOLDS_UNTOLD)

    def _read(self, key: str) -> SiteEntry | None:
        changes, at = self._changes, time.monotonic()
        with self._engine.connect() as connection:
            site = site_by_key(connection, key)
            found = self._collecting(connection, site) if site else None
        if changes == self._changes:  # else something changed meanwhile, and the next one reads again
            if found:
                self._sites[key] = found, at
            else:
                if len(self._unknown) >= MAX_UNKNOWN:
                    self._unknown = {}
                self._unknown[key] = at
        return found

    @staticmethod
    def _collecting(connection: sa.Connection, site: Site) -> SiteEntry:
        live = live_number(connection, site.id)
        return SiteEntry(
            site=site,
            hosts=frozenset(bare_host(host) for host in site.rules.hosts),
            internal_networks=tuple(read_networks(site.rules.internal_networks)),
            live=live,
            rules=live_rules(connection, site.id) if live else [],
            views=ViewReader(site.rules, shipped()),
        )

    def _listen(self) -> None:
        while not self._stop.is_set():
            try:
                with self._connect() as connection:
                    connection.autocommit = True
                    connection.execute(f"LISTEN {CHANNEL}")
                    self.forget()
                    self._current.set()
                    while not self._stop.is_set():
                        for one in connection.notifies(timeout=1.0):
                            self.forget(one.payload)
            except Exception as why:  # the database is away, for now
                log.warning("not told of changes to sites", why=str(why)[:200])
            finally:
                self._current.clear()
            self._stop.wait(AGAIN)
