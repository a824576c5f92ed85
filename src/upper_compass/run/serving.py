"""Serving the application on a port: how long a sender may take, how many may be connected, where log lines go."""

from __future__ import annotations

import asyncio
import logging
import os
import resource
import socket
from logging.handlers import RotatingFileHandler
from pathlib import Path
from typing import Any

import uvicorn
from fastapi import FastAPI
from uvicorn.protocols.http.httptools_impl import HttpToolsProtocol

from upper_compass.settings import Settings

LOG_BYTES, LOGS_KEPT = 5 * 1024**2, 3
MAX_HEAD = 64 * 1024
# Open files that are no connections: the database's, the frames', the log's.
FILES_BESIDE = 200
WANTED_FILES = 8192


def protocol(head_seconds: float, max_connections: int) -> type[HttpToolsProtocol]:
    """A protocol whose senders have so many seconds for the head of a request. When all connections are taken, whoever waits longest for a head goes."""
    waiting: dict[Patient, None] = {}

    class Patient(HttpToolsProtocol):
        """One connection."""

        _timer: asyncio.TimerHandle | None = None
        _head = 0
        _body_comes = False

        def connection_made(self, transport: asyncio.Transport) -> None:  # type: ignore[override]
            super().connection_made(transport)
            self._await_head()
            if len(self.connections) > max_connections:
                next(iter(waiting)).drop()

        def connection_lost(self, exc: Exception | None) -> None:
            self._head_came()
            super().connection_lost(exc)

        def data_received(self, data: bytes) -> None:
            super().data_received(data)
            if self in waiting and not self._body_comes:  # with all of this the head is still not whole
                self._head += len(data)
                if self._head > MAX_HEAD:
                    self.drop()

        def on_headers_complete(self) -> None:
            self._head_came()
            self._body_comes = True
            super().on_headers_complete()

        def on_message_complete(self) -> None:
            self._body_comes = False  # what was answered before it came has been let go of
            self._head = 0
            super().on_message_complete()

        def on_response_complete(self) -> None:
            super().on_response_complete()
            if not self.transport.is_closing():
                self._await_head()

        def drop(self) -> None:
            """Close the connection; what was answered before still goes out, and a sender that sleeps sees the end of it."""
            self._head_came()
            self.transport.close()

        def _await_head(self) -> None:
            self._head_came()
            self._head = 0
            waiting[self] = None
            self._timer = self.loop.call_later(head_seconds, self.drop)

        def _head_came(self) -> None:
            waiting.pop(self, None)
            if self._timer:
                self._timer.cancel()

    return Patient


def log_to(file: Path, level: str) -> dict[str, Any]:
    """For uvicorn and the application alike: one file that is never longer than it may be, and the few before it."""
    handler = RotatingFileHandler(file, maxBytes=LOG_BYTES, backupCount=LOGS_KEPT)
    handler.setFormatter(logging.Formatter("%(message)s"))
    logging.basicConfig(handlers=[handler], level=logging.WARNING, force=True)
    logging.getLogger("upper_compass").setLevel(level.upper())
    return {"version": 1, "disable_existing_loggers": False}


def serve_app(app: FastAPI, port: int, settings: Settings, log: Path | None = None, *, own_port: int | None = None) -> None:
    """Serve until told to stop. With `own_port`, the port is shared with processes that serve the same, and this one alone answers on its own."""
    os.umask(0o077)
    soft, hard = resource.getrlimit(resource.RLIMIT_NOFILE)
    files = min(hard, max(soft, WANTED_FILES)) if hard != resource.RLIM_INFINITY else max(soft, WANTED_FILES)
    resource.setrlimit(resource.RLIMIT_NOFILE, (files, hard))
    most = min(settings.max_connections, files - FILES_BESIDE)
    config = uvicorn.Config(
        app, host=settings.address, port=port, log_level="warning", access_log=False, timeout_graceful_shutdown=5,
        http=protocol(settings.head_seconds, most), forwarded_allow_ips=settings.trusted_proxies, server_header=False,
        log_config=log_to(log, settings.log_level) if log else None,
    )  # fmt: skip
    shared = [_listening(settings.address, port, shared=True), _listening("127.0.0.1", own_port)] if own_port else None
    uvicorn.Server(config).run(shared)


def _listening(address: str, port: int, *, shared: bool = False) -> socket.socket:
    made = socket.socket(socket.AF_INET6 if ":" in address else socket.AF_INET)
    made.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
    if shared:  # whoever connects is handed to one of them
        made.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEPORT, 1)
    made.bind((address, port))
    return made
