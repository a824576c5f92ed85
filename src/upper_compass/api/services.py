"""What the endpoints work with: the database, the frames, the writer, the clock."""

from __future__ import annotations

import asyncio
import threading
import time
from collections.abc import Callable, Iterator, Sequence
from contextlib import contextmanager
from dataclasses import dataclass
from datetime import date, datetime

import psycopg
import sqlalchemy as sa
from anyio import to_thread

from upper_compass.api.lookout import Lookout
from upper_compass.collect.marking import Countries, Network, read_networks
from upper_compass.collect.pseudonyms import Pseudonyms
from upper_compass.collect.refusals import Refusals
from upper_compass.collect.writing import GroupWriter
from upper_compass.core.site import bare_host
from upper_compass.core.sources import ViewReader
from upper_compass.core.tag_rules import Rule
from upper_compass.frames.keeper import Keeper
from upper_compass.reference import shipped
from upper_compass.settings import Settings
from upper_compass.store import sites as site_store
from upper_compass.store import visitors
from upper_compass.store.database import connect
from upper_compass.store.rules import live_numbers, live_rules
from upper_compass.store.sites import Site

WARMED = 10


@dataclass(frozen=True)
class Collecting:
    """What the collector and the script must know of a site; `live`: the number of the version of its tag rules."""

    site: Site
    hosts: frozenset[str]
    own_networks: tuple[Network, ...]
    live: int
    rules: Sequence[Rule]
    views: ViewReader


class Directory:
    """Sites by key for the collector, read again at most once a second."""

    FRESH_FOR = 1.0

    def __init__(self, engine: sa.Engine) -> None:
        self._engine = engine
        self._sites: dict[str, Collecting] = {}
        self._read_at = float("-inf")
        self._lock = asyncio.Lock()

    async def find(self, key: str) -> Collecting | None:
        """The site with this key."""
        if time.monotonic() - self._read_at > self.FRESH_FOR:
            async with self._lock:
                if time.monotonic() - self._read_at > self.FRESH_FOR:
                    self._sites = await to_thread.run_sync(self._read)
                    self._read_at = time.monotonic()
        return self._sites.get(key)

    def _read(self) -> dict[str, Collecting]:
        with self._engine.connect() as connection:
            live = live_numbers(connection)
            return {site.key: self._collecting(connection, site, live.get(site.id, 0)) for site in site_store.all_sites(connection)}

    def _collecting(self, connection: sa.Connection, site: Site, live: int) -> Collecting:
        """What was read before and is the same is kept."""
        held = self._sites.get(site.key)
        return Collecting(
            site=site,
            hosts=frozenset(bare_host(host) for host in site.rules.hosts),
            own_networks=tuple(read_networks(site.rules.own_networks)),
            live=live,
            rules=held.rules if held and (held.site.id, held.live) == (site.id, live) else live_rules(connection, site.id),
            views=held.views if held and held.site.rules == site.rules else ViewReader(site.rules, shipped()),
        )


@dataclass
class Services:
    """All that is shared by the requests of one process."""

    settings: Settings
    engine: sa.Engine
    keeper: Keeper
    writer: GroupWriter
    directory: Directory
    countries: Countries
    lookout: Lookout
    pseudonyms: Pseudonyms
    refusals: Refusals
    ready: threading.Event
    now: Callable[[], datetime]

    def warm(self) -> None:
        """Bring the frames of the first sites up, so that a reader finds them ready."""
        try:
            with self.engine.connect() as connection:
                first = site_store.all_sites(connection)[:WARMED]
            for site in first:
                self.keeper.frames(site)
        finally:
            self.ready.set()

    @staticmethod
    def of(settings: Settings) -> Services:
        """Services for these settings; nothing is started yet."""
        engine = connect(settings.database_url)
        plain = settings.database_url.replace("+psycopg", "")

        @contextmanager
        def reading() -> Iterator[psycopg.Connection]:
            with engine.connect() as connection:
                yield connection.connection.driver_connection  # type: ignore[misc]

        folder = None
        if settings.snapshots is not None:
            with reading() as connection:
                row = connection.execute("SELECT oid FROM pg_database WHERE datname = current_database()").fetchone()
            folder = settings.snapshots / str(row[0] if row else 0)
        keeper = Keeper(reading, shipped(), folder)
        writer = GroupWriter(lambda: psycopg.connect(plain))
        lookout = Lookout(engine, keeper, settings.now)

        def salt_of(site_id: int, day: date) -> bytes:
            with engine.begin() as connection:
                return visitors.salt_of(connection, site_id, day)

        return Services(
            settings=settings,
            engine=engine,
            keeper=keeper,
            writer=writer,
            directory=Directory(engine),
            countries=Countries(settings.countries),
            lookout=lookout,
            pseudonyms=Pseudonyms(salt_of),
            refusals=Refusals(),
            ready=threading.Event(),
            now=settings.now,
        )
