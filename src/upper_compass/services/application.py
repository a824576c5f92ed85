"""What the endpoints work with: the database, the frames, the writer, the clock."""

from __future__ import annotations

import asyncio
import threading
from collections.abc import Callable
from dataclasses import dataclass
from datetime import date, datetime
from functools import partial

import psycopg
import sqlalchemy as sa
import structlog
from anyio import CapacityLimiter, to_thread

from upper_compass.collect.directory import Directory
from upper_compass.collect.marking import Countries
from upper_compass.collect.pseudonyms import Pseudonyms
from upper_compass.collect.refusals import Refusals
from upper_compass.collect.throttle import Throttle
from upper_compass.collect.tokens import Tokens
from upper_compass.collect.writing import GroupWriter
from upper_compass.frames import queries
from upper_compass.frames.placing import Places
from upper_compass.frames.reader import Reader, ReaderApart, ReaderAwayError, ReaderHere, ReaderNowhere
from upper_compass.services.live_feed import LiveFeed
from upper_compass.services.openid import Provider
from upper_compass.settings import Settings
from upper_compass.store import sites as site_store
from upper_compass.store import visitors
from upper_compass.store.database import connect
from upper_compass.store.storage import StorageAwayError

WARMED = 10
READING = 4
HEALTH_SECONDS = 2.0
log = structlog.get_logger()


@dataclass
class Services:
    """All that is shared by the requests of one process."""

    settings: Settings
    engine: sa.Engine
    reader: Reader
    writer: GroupWriter
    directory: Directory
    countries: Countries
    live_feed: LiveFeed
    pseudonyms: Pseudonyms
    refusals: Refusals
    throttle: Throttle
    tokens: Tokens
    provider: Provider | None
    # Of bodies of hits, so many are read at once; their threads are not those of reports.
    collecting: CapacityLimiter
    asking: CapacityLimiter
    ready: threading.Event
    now: Callable[[], datetime]

    def start(self) -> None:
        """Begin to store hits, to listen for changes, to write down refusals; call from the event loop."""
        self.writer.start()
        self.directory.start()
        self.refusals.start()
        if self.settings.part == "collecting":
            self.ready.set()
            return
        # The first reader need not wait for what can be read before.
        threading.Thread(target=self.warm, name="warming", daemon=True).start()

    def stop(self) -> None:
        """End all of it, with nothing lost."""
        self.writer.stop()
        self.directory.stop()
        self.refusals.stop()
        self.reader.close()
        self.engine.dispose()

    async def database_answers(self) -> bool:
        """Whether the database answers soon. While one question hangs, no other is asked."""
        if self.asking.available_tokens < 1:
            return False
        try:
            async with asyncio.timeout(HEALTH_SECONDS):
                await to_thread.run_sync(self._ask, limiter=self.asking, abandon_on_cancel=True)
        except (TimeoutError, sa.exc.SQLAlchemyError):
            return False
        return True

    def _ask(self) -> None:
        with self.engine.connect() as connection:
            connection.execute(sa.text("SELECT 1"))

    def warm(self) -> None:
        """Bring the frames of the first sites up, so that a reader finds them ready."""
        try:
            with self.engine.connect() as connection:
                first = site_store.all_sites(connection)[:WARMED]
            for site in first:
                self.reader.read(site, queries.newest)
        except (sa.exc.SQLAlchemyError, psycopg.Error, ReaderAwayError, StorageAwayError) as why:
            log.warning("nothing was read before somebody asked", why=str(why)[:200])
        finally:
            self.ready.set()

    @staticmethod
    def of(settings: Settings) -> Services:
        """Services for these settings; nothing is started yet."""
        # What only collects looks up a site now and then.
        engine = connect(settings.database_url) if settings.part == "whole" else connect(settings.database_url, pool_size=2, more=2)
        plain = settings.database_url.replace("+psycopg", "")
        reader = _reader(settings)
        writer = GroupWriter(lambda: psycopg.connect(plain))
        live_feed = LiveFeed(engine, reader, settings.now)

        def salt_of(site_id: int, day: date) -> bytes:
            with engine.begin() as connection:
                return visitors.salt_of(connection, site_id, day)

        return Services(
            settings=settings,
            engine=engine,
            reader=reader,
            writer=writer,
            directory=Directory(engine, lambda: psycopg.connect(plain)),
            countries=Countries(settings.countries),
            live_feed=live_feed,
            pseudonyms=Pseudonyms(salt_of),
            refusals=Refusals(engine, settings.now),
            throttle=Throttle(),
            tokens=Tokens(settings.now),
            provider=_provider(settings),
            collecting=CapacityLimiter(READING),
            asking=CapacityLimiter(1),
            ready=threading.Event(),
            now=settings.now,
        )


def _reader(settings: Settings) -> Reader:
    if settings.part == "collecting":
        return ReaderNowhere()
    places = Places(settings.storage_at, settings.scratch)
    make: Callable[[], Reader] = partial(ReaderHere, settings.database_url, places, settings.memory_bytes)
    if settings.runner != "here":
        from upper_compass.spread.ray_reader import RayReader  # what only an installation on several machines has

        make = partial(RayReader, settings.database_url, places, settings.memory_bytes, settings.parts, settings.ray_address)
    return ReaderApart(make, settings.reading_nice) if settings.reading_apart else make()


def _provider(settings: Settings) -> Provider | None:
    if settings.oidc_issuer is None:
        return None
    from upper_compass.services.openid_client import OpenIdProvider  # what only an installation with a provider has

    given = settings.oidc_issuer, settings.oidc_client_id, settings.oidc_client_secret, settings.oidc_name
    return OpenIdProvider(*given, now=lambda: settings.now().timestamp())
