"""The processes of a running instance: the application, and those that only collect. Whichever ends is started again; all end with this one."""

from __future__ import annotations

import ctypes
import os
import signal
import socket
import subprocess
import sys
import threading
import time
from collections.abc import Callable, Sequence

from upper_compass.run.places import say

# A process that ends by itself sooner than this has not come up: the first time, the whole instance ends.
COMES_UP_SECONDS = 10.0
PAUSE, LONGEST_PAUSE = 1.0, 30.0
LOOKS_EVERY = 0.2
ENDS_SECONDS = 20.0
_PR_SET_PDEATHSIG = 1
# What large reports gave back goes back to the system: one heap of the C allocator for all threads, for each with its own would hold on to it, and
# Polars' own allocator waits for nothing (by itself it keeps what is free for ten seconds, twice what is held while shards are made).
HEAP = {"MALLOC_ARENA_MAX": "1", "_RJEM_MALLOC_CONF": "dirty_decay_ms:0,muzzy_decay_ms:0"}


class Part:
    """One process, by the arguments of its command."""

    def __init__(self, arguments: str) -> None:
        self._command = [sys.executable, "-m", "upper_compass.cli", *arguments.split()]
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
        lasted = now - self._began >= COMES_UP_SECONDS
        self._has_come_up |= lasted or (status is not None and status < 0)
        if status is None:
            return True
        say(f"{' '.join(self._command[3:])} ended with {status}.")
        self._pause = PAUSE if lasted else min(2 * self._pause, LONGEST_PAUSE)
        self._process, self._again = None, now + self._pause
        return self._has_come_up

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


def supervise(commands: Sequence[str], is_up: Callable[[], str | None] = lambda: None) -> int:
    """Let all of these run until this process is told to end; 1 where one never came up, else 0.

    `is_up` is asked until it has a sentence: that is said, and whoever started this process (systemd) is told that it is ready.
    """
    parts = [Part(command) for command in commands]
    ended = threading.Event()
    for number in (signal.SIGTERM, signal.SIGINT):
        signal.signal(number, lambda *_: ended.set())
    status, told = 0, None
    while not ended.wait(LOOKS_EVERY):
        up = [part.look(time.monotonic()) for part in parts]  # all of them, whatever became of the first
        if not all(up):
            status = 1
            break
        if told is None and (told := is_up()):
            say(told)
            _notify("READY=1")
    for part in parts:
        part.tell_to_end()
    until = time.monotonic() + ENDS_SECONDS
    for part in parts:
        part.end(until)
    return status
