"""Who reads the frames: this process, or one of its own beside it, so that a long report takes nothing from whoever collects."""

from __future__ import annotations

import multiprocessing
import os
import secrets
import signal
import threading
from collections.abc import Callable, Iterator
from contextlib import AbstractContextManager, contextmanager, suppress
from dataclasses import dataclass
from importlib import import_module
from multiprocessing.connection import Connection
from multiprocessing.managers import BaseManager
from typing import Any, Concatenate, ParamSpec, Protocol, TypeVar
from zoneinfo import ZoneInfo

import psycopg
import sqlalchemy as sa
import structlog
from pydantic import BaseModel

from upper_compass.core.engine.context import ReportContext
from upper_compass.core.engine.kept import Kept
from upper_compass.core.reports import compare, summary, tables
from upper_compass.frames import queries
from upper_compass.frames.dataset_cache import DatasetCache
from upper_compass.frames.placing import Places
from upper_compass.reference import shipped
from upper_compass.store.database import connect
from upper_compass.store.sites import Site

P = ParamSpec("P")
T = TypeVar("T")
START_SECONDS = 60.0
AGAIN = 1.0
# Of the memory, kept tallies have one part of so many.
TALLIES = 8
EXPOSED = ("read", "read_json", "forget", "state", "close")
# All that is asked for is read in when the process starts, so that nobody waits for it.
ASKED_FOR = (queries, compare, summary, tables)
# What only this process needs; whoever collects starts a second earlier without it.
READ_HERE = ("statsmodels.stats.proportion",)
log = structlog.get_logger()


class ReaderAwayError(Exception):
    """The process that reads has ended; it is started again."""


@dataclass(frozen=True)
class ReaderState:
    """What a reader holds: bytes of each site and of kept tallies; how often new hits were taken in before a report, and how long that took.

    `newest`: by site, the number of the last hit that reports hold.
    """

    sites: dict[int, int]
    tallies: int
    advances: int
    advance_seconds: float
    newest: dict[int, int]


class Reader(Protocol):
    """Answers what is asked of a site's frames, which are brought up to date first."""

    def read(self, site: Site, ask: Callable[Concatenate[ReportContext, P], T], *given: P.args, **named: P.kwargs) -> T:
        """What `ask` (a function of a module) gives for the site's reading and what else is given. Raises what it raises, and ReaderAwayError."""

    def read_json(self, site: Site, ask: Callable[Concatenate[ReportContext, P], BaseModel], *given: P.args, **named: P.kwargs) -> bytes:
        """The same as JSON, made where it was read: what is long by itself need not be taken apart and put together again on its way."""

    def forget(self, site_id: int) -> None:
        """Keep nothing of a site that is gone for good, in memory or on disk. Raises ReaderAwayError."""

    def state(self) -> ReaderState:
        """What it holds. Raises ReaderAwayError."""

    def close(self) -> None:
        """Write the snapshots, and end."""


def reading_from(engine: sa.Engine) -> Callable[[], AbstractContextManager[psycopg.Connection]]:
    """How a connection for reading is opened; all that is read over one is of one moment, whatever is handed on or erased meanwhile."""

    @contextmanager
    def reading() -> Iterator[psycopg.Connection]:
        with engine.connect().execution_options(isolation_level="REPEATABLE READ") as connection:
            driver: psycopg.Connection = connection.connection.driver_connection  # type: ignore[assignment]
            yield driver
            driver.commit()  # after what is rolled back it forgets what it has prepared

    return reading


class ReaderHere:
    """Reads in this process. `max_bytes`: how much memory sites and tallies may take."""

    def __init__(self, database_url: str, places: Places, max_bytes: int) -> None:
        self._engine = connect(database_url)
        self._cache = DatasetCache(reading_from(self._engine), shipped(), places, max_bytes - max_bytes // TALLIES)
        self._kept = Kept(max_bytes // TALLIES)

    def read(self, site: Site, ask: Callable[Concatenate[ReportContext, P], T], *given: P.args, **named: P.kwargs) -> T:
        """See Reader."""
        return ask(ReportContext(self._cache.frames(site).shards, ZoneInfo(site.rules.timezone), self._kept), *given, **named)

    def read_json(self, site: Site, ask: Callable[Concatenate[ReportContext, P], BaseModel], *given: P.args, **named: P.kwargs) -> bytes:
        """See Reader."""
        return self.read(site, ask, *given, **named).model_dump_json().encode()

    def forget(self, site_id: int) -> None:
        """See Reader."""
        self._cache.forget(site_id)

    def state(self) -> ReaderState:
        """See Reader."""
        cache = self._cache
        return ReaderState(cache.sizes(), self._kept.size, cache.advances, cache.advance_seconds, cache.newest())

    def close(self) -> None:
        """See Reader."""
        self._cache.save()
        self._engine.dispose()


class ReaderNowhere:
    """Of a process that only collects: nothing is read here."""

    def read(self, site: Site, ask: Callable[Concatenate[ReportContext, P], T], *given: P.args, **named: P.kwargs) -> T:
        """See Reader."""
        raise ReaderAwayError

    def read_json(self, site: Site, ask: Callable[Concatenate[ReportContext, P], BaseModel], *given: P.args, **named: P.kwargs) -> bytes:
        """See Reader."""
        raise ReaderAwayError

    def forget(self, site_id: int) -> None:
        """See Reader."""

    def state(self) -> ReaderState:
        """See Reader."""
        raise ReaderAwayError

    def close(self) -> None:
        """See Reader."""


class _Manager(BaseManager):
    """Hands calls from one process to the other, a thread for each that calls."""


_Manager.register("reader", exposed=EXPOSED)


def _serve(address: str, key: bytes, make: Callable[[], Reader], nice: int, started: Connection) -> None:
    """What the process does: read, as long as the one that started it lives."""
    signal.signal(signal.SIGINT, signal.SIG_IGN)
    os.nice(nice)
    parent = multiprocessing.parent_process()

    def end_with_parent() -> None:
        if parent is not None:
            parent.join()
        os._exit(0)

    threading.Thread(target=end_with_parent, daemon=True).start()
    served = make()

    class Serving(BaseManager):
        """The other end."""

    Serving.register("reader", callable=lambda: served, exposed=EXPOSED)
    server = Serving(address, key).get_server()
    for name in READ_HERE:
        import_module(name)
    started.send(True)
    server.serve_forever()


class ReaderApart:
    """Reads in a process of its own, which is started again when it ends. What was asked of it meanwhile has no answer.

    `make`: what makes the reader there (it is pickled); `nice`: by how much it stands back behind whoever collects.
    """

    def __init__(self, make: Callable[[], Reader], nice: int) -> None:
        self._arguments = make, nice
        self._closing = threading.Event()
        self._reader: Any = None
        self._process: multiprocessing.process.BaseProcess | None = None
        self._start()
        threading.Thread(target=self._watch, name="reader", daemon=True).start()

    def read(self, site: Site, ask: Callable[Concatenate[ReportContext, P], T], *given: P.args, **named: P.kwargs) -> T:
        """See Reader."""
        answer: T = self._call("read", site, ask, *given, **named)
        return answer

    def read_json(self, site: Site, ask: Callable[Concatenate[ReportContext, P], BaseModel], *given: P.args, **named: P.kwargs) -> bytes:
        """See Reader."""
        answer: bytes = self._call("read_json", site, ask, *given, **named)
        return answer

    def _call(self, what: str, *given: object, **named: object) -> Any:  # noqa: ANN401
        reader = self._reader
        if reader is None:
            raise ReaderAwayError
        try:
            return reader._callmethod(what, given, named)
        except (ConnectionError, EOFError) as why:
            raise ReaderAwayError from why

    def forget(self, site_id: int) -> None:
        """See Reader."""
        self._call("forget", site_id)

    def state(self) -> ReaderState:
        """See Reader."""
        found: ReaderState = self._call("state")
        return found

    def close(self) -> None:
        """See Reader."""
        self._closing.set()
        with suppress(ReaderAwayError):
            self._call("close")
        if self._process is not None:
            self._process.kill()
            self._process.join()

    def _start(self) -> None:
        spawn = multiprocessing.get_context("spawn")
        address, key = f"\0upper-compass-{secrets.token_hex(16)}", secrets.token_bytes(32)
        here, there = spawn.Pipe(duplex=False)
        process = spawn.Process(target=_serve, args=(address, key, *self._arguments, there), name="reader", daemon=True)
        process.start()
        there.close()
        if not here.poll(START_SECONDS):
            process.kill()
            raise ReaderAwayError
        here.recv()
        manager = _Manager(address, key)
        manager.connect()
        self._process, self._reader = process, manager.reader()  # type: ignore[attr-defined]

    def _watch(self) -> None:
        while self._process is not None:
            self._process.join()
            if self._closing.is_set():
                return
            log.error("the reading process ended and is started again", status=self._process.exitcode)
            self._reader = None
            while self._reader is None:
                try:
                    self._start()
                except (OSError, EOFError, ReaderAwayError) as why:
                    log.error("the reading process cannot be started", why=str(why)[:200])
                    if self._closing.wait(AGAIN):
                        return
