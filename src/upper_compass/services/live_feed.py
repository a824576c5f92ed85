"""Looks for hits as they arrive, once for all who watch a site."""

from __future__ import annotations

import asyncio
from collections.abc import AsyncIterator, Callable
from contextlib import suppress
from datetime import datetime

import psycopg
import sqlalchemy as sa
import structlog
from anyio import to_thread

from upper_compass.core.reports.real_time import LiveUpdate
from upper_compass.frames import queries
from upper_compass.frames.reader import Reader, ReaderAwayError
from upper_compass.store.sites import Site, site_by_key

EVERY = 0.7
AT_FIRST, AT_ONCE = 60, 200
log = structlog.get_logger()


class LiveFeed:
    """Belongs to one event loop."""

    def __init__(self, engine: sa.Engine, reader: Reader, now: Callable[[], datetime]) -> None:
        self._engine, self._reader, self._now = engine, reader, now
        self._watching: dict[str, list[asyncio.Queue[LiveUpdate]]] = {}
        self._looking: dict[str, asyncio.Task[None]] = {}

    def look(self, site: Site, after: int, limit: int, visitor: str | None = None) -> LiveUpdate:
        """What arrived after number `after`, at most `limit` hits of it; only those of one visitor where one is named."""
        return self._reader.read(site, queries.live_update, self._now(), after, limit, visitor)

    async def live_update(self, site: Site, after: int | None) -> AsyncIterator[LiveUpdate]:
        """The newest hits at once, or all since number `after`; then what arrives, as it arrives."""
        first = await to_thread.run_sync(self.look, site, after or 0, AT_ONCE if after else AT_FIRST)
        yield first
        queue: asyncio.Queue[LiveUpdate] = asyncio.Queue(maxsize=20)
        watching = self._watching.setdefault(site.key, [])
        watching.append(queue)
        if site.key not in self._looking:
            self._looking[site.key] = asyncio.create_task(self._look_out(site.key, first.seq))
        seq = first.seq
        try:
            while True:
                news = await queue.get()
                yield news.model_copy(update={"arrived": [one for one in news.arrived if one.seq > seq]})
                seq = max(seq, news.seq)
        finally:
            watching.remove(queue)
            if not watching:
                del self._watching[site.key]
                self._looking.pop(site.key).cancel()

    async def _look_out(self, key: str, seq: int) -> None:
        while True:
            await asyncio.sleep(EVERY)
            try:
                news = await to_thread.run_sync(self._look_again, key, seq)
            except (sa.exc.SQLAlchemyError, psycopg.Error, ReaderAwayError) as why:  # the database or the reader is away; who watches goes on watching
                log.warning("could not look for arrivals", site=key, why=str(why))
                continue
            if news is None:
                return
            seq = news.seq
            for queue in self._watching.get(key, []):
                with suppress(asyncio.QueueFull):  # who reads too slowly misses some, and nobody waits for them
                    queue.put_nowait(news)

    def _look_again(self, key: str, after: int) -> LiveUpdate | None:
        """By the site's rules as they are now; None when the site is gone."""
        with self._engine.connect() as connection:
            site = site_by_key(connection, key)
        return self.look(site, after, AT_ONCE) if site else None
