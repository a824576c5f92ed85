"""PostgreSQL dies, hangs and comes back: the application says so, loses nothing, and is whole again without being started anew."""

import os
import signal
import time

import httpx2 as httpx
import psycopg
import pytest

from tests.conftest import PASSWORD, Server, a_hit, columns, fill
from tests.service.test_run import state_below
from upper_compass.run import cluster as postgres
from upper_compass.run import instances
from upper_compass.store.database import connect, migrate


@pytest.fixture(scope="module")
def own_state(tmp_path_factory):
    with state_below(tmp_path_factory.mktemp("own")) as state:
        yield state


@pytest.fixture(scope="module")
def away(own_state, tmp_path_factory):
    """(application, its own PostgreSQL), with a session."""
    held = postgres.start_cluster()
    held.ensure_database("away")
    engine = connect(held.url("away"))
    migrate(engine)
    engine.dispose()
    fill(held.url("away"))
    quick = {"ANSWER_SECONDS": "1", "STORE_SECONDS": "1"}
    server = Server(held.url("away"), tmp_path_factory.mktemp("frames"), settings=quick).start()
    with httpx.Client(base_url=server.address, timeout=30) as client:
        signed = client.post("/api/v1/session", json={"email": "owner@mill.example", "password": PASSWORD}).json()
        client.headers["X-CSRF-Token"] = signed["csrf"]
        yield client, held, own_state / "postgres" / "data" / "postmaster.pid"
    server.stop()


def asked(client):
    """The answers of one request of each kind."""
    table = {"period": {"first": "2026-11-01", "last": "2026-11-24"}, "columns": columns("visits")}
    answers = [
        client.get("/health"),
        client.post("/collect?site=mill", json=a_hit(visitor="away")),
        client.get("/api/v1/sites"),
        client.get("/api/v1/sites/mill"),
        client.post("/api/v1/sites/mill/reports/table", json=table),
        client.post("/api/v1/session", json={"email": "owner@mill.example", "password": PASSWORD}),
    ]
    if answers[-1].status_code == 200:  # another session, and so another token
        client.headers["X-CSRF-Token"] = answers[-1].json()["csrf"]
    return answers


def is_well(client):
    for _ in range(600):
        if client.get("/health").status_code == 200:
            return True
        time.sleep(0.1)
    return False


def until_gone(cluster):
    """Wait until nobody is answered there any more."""
    for _ in range(600):
        try:
            psycopg.connect(cluster.url("away").replace("+psycopg", "")).close()
        except psycopg.OperationalError:
            return
        time.sleep(0.05)
    raise AssertionError("the database still answers")


def test_a_database_that_died_comes_back_where_it_was(away):
    client, held, pid_file = away
    assert client.post("/collect?site=mill", json=a_hit(visitor="before")).status_code == 204
    assert client.get("/health").json()["ready"] is True
    os.kill(int(pid_file.read_text().splitlines()[0]), signal.SIGQUIT)
    until_gone(held)
    answers = asked(client)
    assert [(answer.status_code, "Retry-After" in answer.headers) for answer in answers] == [(503, True)] * 6
    again = postgres.start_cluster()
    assert again.port == held.port
    assert is_well(client)
    for _ in range(20):  # a second is little for the first report on a busy machine
        codes = [answer.status_code for answer in asked(client)]
        if 503 not in codes:
            break
    assert codes == [200, 204, 200, 200, 200, 200]


def test_a_database_that_hangs_keeps_nobody_waiting(away):
    client, held, pid_file = away
    with psycopg.connect(held.url("away").replace("+psycopg", "")) as connection:
        pids = [row[0] for row in connection.execute("SELECT pid FROM pg_stat_activity WHERE pid <> pg_backend_pid()").fetchall()]
    pids.append(int(pid_file.read_text().splitlines()[0]))
    for pid in pids:
        os.kill(pid, signal.SIGSTOP)
    try:
        answers = asked(client)
    finally:
        for pid in pids:
            os.kill(pid, signal.SIGCONT)
    assert [(answer.status_code, "Retry-After" in answer.headers) for answer in answers] == [(503, True)] * 6
    assert is_well(client)
    assert client.post("/collect?site=mill", json=a_hit(visitor="after")).status_code == 204


def test_who_starts_again_makes_an_instance_whole_that_lost_its_database(monkeypatch, tmp_path):
    done = []
    whole = iter([False, False, True])
    monkeypatch.setattr(instances, "STATE", tmp_path)
    monkeypatch.setattr(instances, "MEND_SECONDS", 0.2)
    monkeypatch.setattr(instances, "running", lambda _: {"pid": 1, "address": "http://127.0.0.1:1"})
    monkeypatch.setattr(instances, "halt", lambda instance: done.append(f"halted {instance}"))
    monkeypatch.setattr(instances, "_is_whole", lambda *_: next(whole))
    monkeypatch.setattr(instances.subprocess, "Popen", lambda *_, **__: done.append("started") or type("P", (), {"pid": 2, "poll": lambda _: None})())
    instances.launch("main")
    assert done == ["halted main", "started"]
