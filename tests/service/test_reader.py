"""Reports are read in a process of their own: what becomes of collecting, and of who asks, when it is busy, hangs, or dies."""

import os
import signal
import time
from pathlib import Path

import httpx2 as httpx
import pytest

from tests.conftest import PASSWORD, Server, a_hit, columns, fill

TABLE = {"period": {"first": "2026-11-01", "last": "2026-11-25"}, "columns": columns("visits")}


@pytest.fixture(scope="module")
def filled(database):
    """A database with the mill and its people."""
    fill(database)
    return database


@pytest.fixture(scope="module")
def running(filled, tmp_path_factory):
    """(application, a client that is signed in)."""
    server = Server(filled, tmp_path_factory.mktemp("frames"), settings={"ANSWER_SECONDS": "5"}).start()
    with httpx.Client(base_url=server.address, timeout=30) as client:
        client.headers["X-CSRF-Token"] = client.post("/api/v1/session", json={"email": "owner@mill.example", "password": PASSWORD}).json()["csrf"]
        yield server, client
    server.stop()


def reader_of(server):
    """The process that reads."""
    children = [pid for task in Path(f"/proc/{server.process.pid}/task").iterdir() for pid in (task / "children").read_text().split()]
    [pid] = [int(pid) for pid in children if "spawn_main" in Path(f"/proc/{pid}/cmdline").read_text()]
    return pid


def stopped(pid):
    """Whether all threads of a process stand still: a signal is on its way for a while."""
    return all(") T " in (task / "stat").read_text() for task in Path(f"/proc/{pid}/task").iterdir())


def report(client):
    return client.post("/api/v1/sites/mill/reports/table", json=TABLE)


def until(condition):
    for _ in range(600):
        if condition():
            return True
        time.sleep(0.05)
    return False


def collects(client, visitor):
    return client.post("/collect?site=mill", json=a_hit(visitor=visitor)).status_code == 204


def test_collecting_goes_on_while_no_report_is_answered(running):
    server, client = running
    assert report(client).status_code == 200
    pid = reader_of(server)
    os.kill(pid, signal.SIGSTOP)
    try:
        assert until(lambda: stopped(pid))
        late = report(client)
        assert (late.status_code, "Retry-After" in late.headers) == (503, True)
        assert all(collects(client, f"waiting {i}") for i in range(20))
        assert client.get("/health").status_code == client.get("/api/v1/sites/mill").status_code == 200
    finally:
        os.kill(pid, signal.SIGCONT)
    assert until(lambda: report(client).status_code == 200)


def test_a_reader_that_dies_is_started_again_and_reads_the_same(running):
    server, client = running
    assert collects(client, "before")
    table = report(client).json()
    pid = reader_of(server)
    os.kill(pid, signal.SIGKILL)
    assert collects(client, "meanwhile")
    answer = report(client)
    assert answer.status_code == 200 or (answer.status_code == 503 and "Retry-After" in answer.headers)
    assert until(lambda: report(client).status_code == 200)
    again = report(client).json()
    assert reader_of(server) != pid
    assert again["total"] != table["total"]
    assert report(client).json() == again


def test_the_reader_ends_with_the_application_however_that_ends(running):
    server, client = running
    pid = reader_of(server)
    assert report(client).status_code == 200
    server.kill()
    assert until(lambda: not Path(f"/proc/{pid}").exists() or "Z" in Path(f"/proc/{pid}/stat").read_text().rpartition(")")[2])
    server.start()
    assert report(client).status_code == 200
    second = reader_of(server)
    server.stop()
    assert not Path(f"/proc/{second}").exists()
