"""Group commit: many requests share one transaction, each is answered when it is durable.

A thread of its own owns the connection. Requests put their rows into a queue and wait; the thread takes all that has gathered, stores it in one
transaction and wakes them. While one transaction is under way the next one gathers, so the more there is to do the larger they become.
"""

from __future__ import annotations

import asyncio
import threading
from collections import deque
from collections.abc import Callable, Sequence
from contextlib import suppress

import psycopg
import structlog

from upper_compass.store.hits import HitRow, HitWriter

MAX_WAITING = 20_000
MAX_TOGETHER = 4_000
log = structlog.get_logger()


class BusyError(Exception):
    """More hits wait than can be stored soon; the sender keeps them and tries again."""


class NotStoredError(Exception):
    """The hits could not be stored; the sender keeps them and tries again."""


class GroupWriter:
    """Stores hits durably. `connect` opens a connection for the thread; `put` belongs to the event loop it was started on."""

    def __init__(self, connect: Callable[[], psycopg.Connection]) -> None:
        self._connect = connect
        self._waiting: deque[tuple[Sequence[HitRow], asyncio.Future[None]]] = deque()
        self._rows = 0
        # Hits that were stored, and that could not be, since it began.
        self.stored, self.failed = 0, 0
        self._lock = threading.Lock()
        self._wake = threading.Event()
        self._stopping = False
        self._loop: asyncio.AbstractEventLoop | None = None
        self._thread = threading.Thread(target=self._run, name="group-writer", daemon=True)

    def start(self) -> None:
        """Begin; call from the event loop."""
        self._loop = asyncio.get_running_loop()
        self._thread.start()

    def stop(self) -> None:
        """Store what waits, then end."""
        self._stopping = True
        self._wake.set()
        self._thread.join(timeout=30)

    @property
    def waiting(self) -> int:
        """How many hits wait."""
        return self._rows

    async def put(self, rows: Sequence[HitRow]) -> None:
        """Return when the rows are durable. Raises BusyError at once when too much waits, NotStoredError when storing failed."""
        if not rows:
            return
        assert self._loop is not None  # noqa: S101
        future: asyncio.Future[None] = self._loop.create_future()
        with self._lock:
            if self._rows + len(rows) > MAX_WAITING or self._stopping:
                raise BusyError
            self._waiting.append((rows, future))
            self._rows += len(rows)
        self._wake.set()
        await future

    def _run(self) -> None:
        writer: HitWriter | None = None
        while True:
            self._wake.wait()
            self._wake.clear()
            while batch := self._take():
                try:
                    writer = writer or HitWriter(self._connect())
                    writer.store([row for rows, _ in batch for row in rows])
                    failed = False
                    self.stored += sum(len(rows) for rows, _ in batch)
                except Exception as why:  # whatever it is, the next batch is tried
                    log.error("hits not stored", why=str(why)[:500], hits=sum(len(rows) for rows, _ in batch))
                    writer, failed = self._dropped(writer), True
                    self.failed += sum(len(rows) for rows, _ in batch)
                self._answer([future for _, future in batch], failed=failed)
            if self._stopping:
                return

    @staticmethod
    def _dropped(writer: HitWriter | None) -> None:
        """Close the connection of a writer that failed; the next batch opens another."""
        if writer is not None:
            with suppress(Exception):
                writer.close()

    def _take(self) -> list[tuple[Sequence[HitRow], asyncio.Future[None]]]:
        batch = []
        size = 0
        with self._lock:
            while self._waiting and size < MAX_TOGETHER:
                batch.append(self._waiting.popleft())
                size += len(batch[-1][0])
            self._rows -= size
        return batch

    def _answer(self, futures: list[asyncio.Future[None]], *, failed: bool) -> None:
        def wake() -> None:
            for future in futures:
                if not future.done():
                    if failed:
                        future.set_exception(NotStoredError())
                    else:
                        future.set_result(None)

        assert self._loop is not None  # noqa: S101
        with suppress(RuntimeError):  # the loop ended first: nobody waits any more
            self._loop.call_soon_threadsafe(wake)
