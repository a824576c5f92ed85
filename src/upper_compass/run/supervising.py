"""The processes of a running instance: the application, and those that only collect. Whichever ends is started again; all end with this one."""

from __future__ import annotations

import ctypes
import os
import signal
import socket
import subprocess
import sys
import time
from collections.abc import Callable, Sequence

from upper_compass.run.places import say

# A process that ends sooner than this after it began is started again after a longer pause each time.
LASTS_SECONDS = 10.0
PAUSE, LONGEST_PAUSE = 1.0, 30.0
LOOKS_EVERY, MENDS_EVERY = 0.2, 1.0
ENDS_SECONDS = 20.0
_PR_SET_PDEATHSIG = 1
# What large reports gave back goes back to the system: one heap of the C allocator for all threads, for each with its own would hold on to it, and
# Polars' own allocator waits for nothing (by itself it keeps what is free for ten seconds, twice what is held while shards are made).
HEAP = {"MALLOC_ARENA_MAX": "1", "_RJEM_MALLOC_CONF": "dirty_decay_ms:0,muzzy_decay_ms:0"}


class Part:
    """One process: where it answers (host:port), and the arguments of its command. If it ends before it ever answered, so does the whole instance."""

    def __init__(self, described: str) -> None:
        answers, *arguments = described.split()
        host, _, port = answers.rpartition(":")
        self._answers = host.strip("[]"), int(port)
        self._command = [sys.executable, "-m", "upper_compass.cli", *arguments]
        self._process: subprocess.Popen[bytes] | None = None
        self._began = self._again = 0.0
        self._pause = PAUSE
        self._has_come_up = False

    def look(self, now: float) -> bool:
        """Start it where it does not run; False where it never came up."""
        if self._process is None:
            if now >= self._again:
                self._began = now
                self._process = subprocess.Popen(self._command, stdin=subprocess.DEVNULL, env=os.environ | HEAP, preexec_fn=_end_with_parent)  # noqa: PLW1509
            return True
        status = self._process.poll()
        if status is None:
            self._has_come_up = self._has_come_up or self._answered()
            return True
        lasted = now - self._began >= LASTS_SECONDS
        say(f"{' '.join(self._command[3:])} ended with {status}.")
        self._pause = PAUSE if lasted else min(2 * self._pause, LONGEST_PAUSE)
        self._process, self._again = None, now + self._pause
        return self._has_come_up

    def _answered(self) -> bool:
        try:
            socket.create_connection(self._answers, LOOKS_EVERY).close()
        except OSError:
            return False
        return True

    def tell_to_end(self) -> None:
        """Ask it to end by itself."""
        if self._process is not None:
            self._process.terminate()

    def end(self, until: float) -> None:
        """Wait until it has ended, and no longer than this."""
        if self._process is None:
            return
        try:
            self._process.wait(max(0.1, until - time.monotonic()))
        except subprocess.TimeoutExpired:
            self._process.kill()
            self._process.wait()


def _end_with_parent() -> None:
    ctypes.CDLL(None).prctl(_PR_SET_PDEATHSIG, signal.SIGTERM)


def _notify(state: str) -> None:
    """Tell systemd, where it wants to know (sd_notify)."""
    address = os.environ.get("NOTIFY_SOCKET")
    if address:
        with socket.socket(socket.AF_UNIX, socket.SOCK_DGRAM) as told:
            told.sendto(state.encode(), "\0" + address[1:] if address.startswith("@") else address)


def supervise(commands: Sequence[str], is_up: Callable[[], str | None] = lambda: None, mend: Callable[[], None] = lambda: None) -> int:
    """Let all of these run until this process is told to end; 1 where one never came up, else 0.

    `is_up` is asked until it has a sentence: that is said, and whoever started this process (systemd) is told that it is ready. `mend` is called every
    second: it starts again what all of them stand on.
    """
    parts = [Part(command) for command in commands]
    told_to_end: list[int] = []  # no lock, which a signal could find taken
    for number in (signal.SIGTERM, signal.SIGINT):
        signal.signal(number, lambda number, _: told_to_end.append(number))
    status, told, looked = 0, None, time.monotonic()
    while not told_to_end:
        time.sleep(LOOKS_EVERY)
        up = [part.look(time.monotonic()) for part in parts]  # all of them, whatever became of the first
        if not all(up):
            status = 1
            break
        if time.monotonic() - looked >= MENDS_EVERY:
            mend()
            looked = time.monotonic()
        if told is None and (told := is_up()):
            say(told)
            _notify("READY=1")
    for part in parts:
        part.tell_to_end()
    until = time.monotonic() + ENDS_SECONDS
    for part in parts:
        part.end(until)
    return status
