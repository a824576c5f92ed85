"""Counts what is turned away as it happens, and writes it down every few seconds. What is counted in between has a limit, whatever arrives."""

from __future__ import annotations

import threading
from collections.abc import Callable, Sequence
from datetime import datetime

import sqlalchemy as sa
import structlog

from upper_compass.store.refusals import Place, Refused, add_refusals

MAX_COUNTED = 2_000
EVERY = 2.0
log = structlog.get_logger()


class Refusals:
    """What was turned away since it was last written down. Safe to use from any thread."""

    def __init__(self, engine: sa.Engine, now: Callable[[], datetime]) -> None:
        self._engine, self._now = engine, now
        self._counted: dict[Place, Refused] = {}
        self._lock = threading.Lock()
        self._writing = threading.Lock()
        self._stop = threading.Event()
        self._thread = threading.Thread(target=self._run, name="refusals", daemon=True)

    def start(self) -> None:
        """Begin to write down."""
        self._thread.start()

    def stop(self) -> None:
        """Write down what is left, and end."""
        self._stop.set()
        self._thread.join(timeout=5)

    def note(self, *places: Place) -> None:
        """Count something that was turned away at each of these places."""
        at = self._now()
        with self._lock:
            for place in places:
                before = self._counted.get(place)
                if before is None and len(self._counted) >= MAX_COUNTED:
                    continue
                self._counted[place] = Refused(place, before.times + 1 if before else 1, before.first if before else at, at)

    def flush(self) -> None:
        """Write down what was counted; when it returns, also what another thread was just writing is there."""
        with self._writing:
            with self._lock:
                counted, self._counted = self._counted, {}
            if counted:
                self._write(sorted(counted.values(), key=lambda one: tuple(vars(one.place).values())))

    def _write(self, counted: Sequence[Refused]) -> None:
        with self._engine.begin() as connection:
            add_refusals(connection, counted, self._now())

    def _run(self) -> None:
        while not self._stop.wait(EVERY):
            self._flush_safely()
        self._flush_safely()

    def _flush_safely(self) -> None:
        try:
            self.flush()
        except Exception as why:  # counting must never end
            log.warning("refusals not written down", why=str(why)[:200])
