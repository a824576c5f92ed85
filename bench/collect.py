"""Durable throughput of /collect against an endpoint on the same server that checks the same body and writes nothing. Run: ./compass bench collect.

The server is one process, the sender another, over loopback; both share this machine's cores with PostgreSQL. Rounds alternate; medians count.
"""

from __future__ import annotations

import asyncio
import json
import multiprocessing
import secrets
import socket
import statistics
import sys
import tempfile
import time
import urllib.request
import uuid
from datetime import UTC, datetime

import psycopg
import uvloop
from anyio import to_thread
from fastapi import Request, Response

from upper_compass.api.access import ServicesHere
from upper_compass.api.app import create_app
from upper_compass.api.collector import _body
from upper_compass.collect.checking import check_body, read_sent
from upper_compass.core.definitions.site_rules import SiteRules
from upper_compass.run.cluster import start_cluster
from upper_compass.run.serving import serve_app
from upper_compass.settings import Settings
from upper_compass.store import accounts, sites
from upper_compass.store.database import connect, migrate

CONNECTIONS = 128
ROUNDS = 3
REQUESTS = 3_000


def _serve(url: str, port: int, folder: str) -> None:
    unlimited = 10**12
    settings = Settings(database_url=url, storage=folder, instance="bench", hits_per_network=unlimited, hits_per_site=unlimited)
    app = create_app(settings)

    @app.post("/bench/checked", status_code=204)
    async def checked(request: Request, services: ServicesHere, site: str, sent: str | None = None) -> Response:
        found = await services.directory.find(site)
        assert found is not None
        await to_thread.run_sync(check_body, await _body(request), services.now(), read_sent(sent), found.hosts, limiter=services.collecting)
        return Response(status_code=204)

    serve_app(app, port, settings)


def request_of(path: str, hits: int, host: str = "mill.example") -> bytes:
    """A whole request of so many hits."""
    at = datetime.now(UTC).isoformat(timespec="milliseconds")
    body = json.dumps([
        {
            "id": str(uuid.uuid4()), "at": at, "visitor": secrets.token_hex(16), "kind": "view", "url": f"https://{host}/courses/sourdough?via=card",
            "title": "Sourdough", "referrer": f"https://{host}/courses", "language": "en-IE", "timezone": "Europe/Dublin", "screen": "1440x900",
            "user_agent": "Mozilla/5.0 (Windows NT 10.0; Win64; x64; rv:139.0) Gecko/20100101 Firefox/139.0",
        }
        for _ in range(hits)
    ]).encode()  # fmt: skip
    return b"POST %s?site=mill&sent=1 HTTP/1.1\r\nHost: b\r\nContent-Type: text/plain\r\nContent-Length: %d\r\n\r\n" % (path.encode(), len(body)) + body


async def _send(port: int, requests: list[bytes]) -> float:
    waiting = iter(requests)

    async def one() -> None:
        reader, writer = await asyncio.open_connection("127.0.0.1", port)
        for request in waiting:
            writer.write(request)
            head = await reader.readuntil(b"\r\n\r\n")
            assert head.startswith(b"HTTP/1.1 204"), head
        writer.close()

    began = time.perf_counter()
    await asyncio.gather(*(one() for _ in range(CONNECTIONS)))
    return len(requests) / (time.perf_counter() - began)


def free_port() -> int:
    """A free port of the loopback address."""
    with socket.socket() as probe:
        probe.bind(("127.0.0.1", 0))
        return int(probe.getsockname()[1])


def wait_for(port: int) -> None:
    """Wait until a server answers that it is well and has read its frames."""
    for _ in range(1200):
        try:
            with urllib.request.urlopen(f"http://127.0.0.1:{port}/health", timeout=5) as answer:
                if json.load(answer)["ready"]:
                    return
        except OSError:
            pass
        time.sleep(0.05)


def measure(hits: int) -> dict[str, object]:
    """Requests a second on both endpoints, with so many hits in a body."""
    cluster = start_cluster()
    name = f"compass_bench_{secrets.token_hex(4)}"
    cluster.ensure_database(name)
    engine = connect(cluster.url(name))
    migrate(engine)
    with engine.begin() as connection:
        owner = accounts.add_user(connection, "owner@mill.example", "Owner", secrets.token_hex(8))
        sites.add_site(connection, "Mill", SiteRules(hosts=["mill.example"]), owner.id, "mill")
    engine.dispose()
    port = free_port()
    with tempfile.TemporaryDirectory() as folder:
        server = multiprocessing.get_context("spawn").Process(target=_serve, args=(cluster.url(name), port, folder), daemon=False)
        server.start()
        try:
            wait_for(port)
            rates: dict[str, list[float]] = {"/collect": [], "/bench/checked": []}
            for turn in range(ROUNDS + 1):  # the first is for warming up
                for path, found in rates.items():
                    rate = uvloop.run(_send(port, [request_of(path, hits) for _ in range(REQUESTS)]))
                    if turn:
                        found.append(rate)
            with psycopg.connect(cluster.url(name).replace("+psycopg", "")) as connection:
                stored = connection.execute("SELECT count(*) FROM hits").fetchone()
            assert stored == ((ROUNDS + 1) * REQUESTS * hits,), stored
        finally:
            server.terminate()
            server.join()
            cluster.drop_database(name)
    collect, checked = (statistics.median(found) for found in rates.values())
    return {"hits_a_body": hits, "collect_per_s": round(collect), "checked_per_s": round(checked), "ratio": round(collect / checked, 2)}


def main() -> None:
    """Measure with one hit a body, and with ten."""
    for hits in [int(one) for one in sys.argv[1:]] or [1, 10]:
        print(json.dumps(measure(hits)), flush=True)


if __name__ == "__main__":
    main()
