"""Collecting and reading at once: 200 hits a second beside three readers for 30 seconds, then 1,000 requests at once. Run: ./compass bench together.

The server stands on the demo's history, with reports in its own process and with reports in one of their own, in turn; senders and readers are others; all share this machine's cores with PostgreSQL. Requests are sent when
their time has come, whatever became of those before, and waited for from then on.
"""

from __future__ import annotations

import asyncio
import http.client
import json
import multiprocessing
import os
import statistics
import subprocess
import sys
import tempfile
import time
from datetime import date, timedelta
from itertools import count
from multiprocessing.queues import Queue
from multiprocessing.synchronize import Event, Semaphore

import uvloop

from bench.collect import free_port, request_of, wait_for
from bench.laid import laid_demo
from upper_compass.demo.laying import ACCOUNT, PASSWORD

ROUNDS, SECONDS, HITS_A_SECOND, READERS, AT_ONCE, CONNECTIONS = 2, 30, 200, 3, 1000, 200
HOST = "fennmoor-mill.example"
SERVER = (
    "import sys\nfrom pathlib import Path\nfrom upper_compass.api.app import create_app\nfrom upper_compass.run.serving import serve_app\n"
    "from upper_compass.settings import Settings\nheld = Settings(database_url=sys.argv[1], storage=sys.argv[3], instance='bench')\n"
    "serve_app(create_app(held), int(sys.argv[2]), held)\n"
)


def _reads(port: int, begun: Semaphore, enough: Event, told: Queue[tuple[list[float], int]]) -> None:
    """What the Overview asks, over and over. A process takes its time to start, so the first round tells that it has begun, and is not measured."""
    connection = http.client.HTTPConnection("127.0.0.1", port, timeout=60)
    connection.request("POST", "/api/v1/session", json.dumps({"email": ACCOUNT, "password": PASSWORD}), {"Content-Type": "application/json"})
    answer = connection.getresponse()
    headers = {"Cookie": "; ".join(one.partition(";")[0] for one in answer.headers.get_all("Set-Cookie", [])), "Content-Type": "application/json"}
    headers["X-CSRF-Token"] = json.loads(answer.read())["csrf"]
    yesterday = date.today() - timedelta(days=1)
    period = {"first": str(yesterday - timedelta(days=27)), "last": str(yesterday)}
    asked = {"period": period, "goal": 1, "columns": [{"id": one, "measure": one} for one in ("visits", "conversions", "conversion_rate", "value")]}
    bodies = [("table", asked | {"dimensions": [name]}) for name in ("channel", "entry_page", "page")]
    bodies += [("series", asked), ("answer", {"period": period, "goal": 1})]
    took: list[float] = []
    faults = 0
    for turn in count():
        for report, body in bodies:
            began = time.perf_counter()
            connection.request("POST", f"/api/v1/sites/mill/reports/{report}", json.dumps(body), headers)
            answer = connection.getresponse()
            answer.read()
            faults += answer.status != 200
            took.append(time.perf_counter() - began)
        if turn == 0:
            took = []
            begun.release()
        if enough.is_set():
            break
    told.put((took, faults))


async def _sends(port: int, times: list[float]) -> tuple[list[float], int]:
    """(seconds that each request took from its time on, how many were not answered 204)."""
    pool: asyncio.Queue[tuple[asyncio.StreamReader, asyncio.StreamWriter]] = asyncio.Queue()
    for _ in range(CONNECTIONS):
        pool.put_nowait(await asyncio.open_connection("127.0.0.1", port))
    begins = time.perf_counter() + 0.2
    took: list[float] = []
    faults = 0

    async def one(after: float) -> None:
        nonlocal faults
        await asyncio.sleep(begins + after - time.perf_counter())
        request = request_of("/collect", 1, HOST)
        held = await pool.get()
        try:
            held[1].write(request)
            head = await held[0].readuntil(b"\r\n\r\n")
            faults += not head.startswith(b"HTTP/1.1 204")
        except (OSError, asyncio.IncompleteReadError):
            faults += 1
            held = await asyncio.open_connection("127.0.0.1", port)
        took.append(time.perf_counter() - begins - after)
        pool.put_nowait(held)

    await asyncio.gather(*(one(after) for after in times))
    return took, faults


def _summary(took: list[float], faults: int) -> dict[str, float]:
    ordered = sorted(took)
    return {
        "requests": len(took), "faults": faults, "p50_ms": round(1000 * statistics.median(ordered)), "p99_ms": round(1000 * ordered[int(len(ordered) * 0.99)]),
        "max_ms": round(1000 * ordered[-1]),
    }  # fmt: skip


def _beside(port: int, readers: int) -> dict[str, dict[str, float]]:
    spawn = multiprocessing.get_context("spawn")
    told: Queue[tuple[list[float], int]] = spawn.Queue()
    begun, enough = spawn.Semaphore(0), spawn.Event()
    reading = [spawn.Process(target=_reads, args=(port, begun, enough, told)) for _ in range(readers)]
    for one in reading:
        one.start()
    for _ in reading:
        begun.acquire()
    found = {"collecting": _summary(*uvloop.run(_sends(port, [i / HITS_A_SECOND for i in range(SECONDS * HITS_A_SECOND)])))}
    enough.set()
    parts = [told.get() for _ in reading]
    for one in reading:
        one.join()
    if parts:
        found["reading"] = _summary([second for took, _ in parts for second in took], sum(faults for _, faults in parts))
    return found


def main() -> None:
    """Measure both ways of reading in turn, round after round, on the same history."""
    with laid_demo() as url:
        for _ in range(ROUNDS):
            for apart in ("false", "true"):
                with tempfile.TemporaryDirectory() as folder:
                    _measure(url, folder, apart)


def _measure(url: str, folder: str, apart: str) -> None:
    port = free_port()
    server = subprocess.Popen([sys.executable, "-c", SERVER, url, str(port), folder], env=os.environ | {"COMPASS_READING_APART": apart})
    try:
        wait_for(port)
        found: dict[str, object] = {"reading_apart": apart}
        for what, readers in (("alone", 0), ("beside three readers", READERS)):
            found[what] = _beside(port, readers)
        found[f"{AT_ONCE} at once"] = _summary(*uvloop.run(_sends(port, [0.0] * AT_ONCE)))
        print(json.dumps(found), flush=True)
    finally:
        server.terminate()
        server.wait()


if __name__ == "__main__":
    main()
