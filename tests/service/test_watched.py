"""What an instance tells whoever watches over it: an id for each request, whether it lives and is ready, and its figures."""

import json
import logging

import pytest
from starlette.testclient import TestClient

from tests.conftest import a_hit, now, period, sign_in
from upper_compass.services.metrics import Metrics, Sources, lies_in
from upper_compass.services.retention import Retention

TABLE = {"period": period(), "versus": "none", "dimensions": ["channel"], "columns": [{"id": "visits", "measure": "visits"}]}


@pytest.fixture
def near(client):
    """The same application, asked from the machine itself."""
    return TestClient(client.app, client=("127.0.0.1", 50_000), raise_server_exceptions=False)


def lines(caplog):
    return [json.loads(record.getMessage()) for record in caplog.records if record.name.startswith("upper_compass")]


def test_a_problem_bears_the_id_under_which_the_log_knows_its_request(client, caplog):
    caplog.set_level(logging.INFO, logger="upper_compass")
    sign_in(client, "viewer")
    answer = client.get("/api/v1/sites/nobodys?secret=of+a+visitor")
    number = answer.headers["x-request-id"]
    assert answer.json()["request"] == number
    [line] = [one for one in lines(caplog) if one.get("request") == number]
    assert line | {"ms": 0, "timestamp": ""} == {
        "event": "request", "level": "info", "request": number, "method": "GET", "path": "/api/v1/sites/nobodys", "status": 404, "ms": 0, "timestamp": "",
    }  # fmt: skip
    assert "secret" not in caplog.text
    assert client.get("/api/v1/sites").headers["x-request-id"] != number


def test_a_fault_of_ours_is_found_in_the_log_by_its_id(client, caplog, monkeypatch):
    monkeypatch.setattr(client.app.state.services.reader, "read_json", lambda *_: 1 / 0)
    answer = client.post("/api/v1/sites/mill/reports/table", json=TABLE, headers=sign_in(client, "viewer"))
    assert answer.status_code == 500
    [line] = [one for one in lines(caplog) if one["event"] == "unforeseen"]
    assert line["request"] == answer.json()["request"]
    assert "ZeroDivisionError" in line["exception"]


def test_hits_are_counted_and_not_written_down_one_by_one(client, near, caplog):
    caplog.set_level(logging.INFO, logger="upper_compass")
    before = figures(near)["compass_hits_stored_total"]
    assert client.post("/collect?site=mill", json=[a_hit(), a_hit()]).status_code == 204
    assert "/collect" not in [one.get("path") for one in lines(caplog)]
    assert figures(near)["compass_hits_stored_total"] == before + 2


def figures(near):
    text = near.get("/metrics").text
    return {line.rpartition(" ")[0]: float(line.rpartition(" ")[2]) for line in text.splitlines() if not line.startswith("#")}


def test_figures_are_told_of_requests_memory_and_work(client, near):
    headers = sign_in(client, "viewer")
    client.post("/collect?site=mill", json=[a_hit()])
    for _ in range(3):
        client.post("/api/v1/sites/mill/reports/table", json=TABLE, headers=headers)
    found = figures(near)
    route = "/api/v1/sites/{site}/reports/table"
    assert found[f'compass_requests_total{{method="POST",route="{route}",status="200"}}'] >= 3
    assert found[f'compass_request_seconds_count{{route="{route}"}}'] >= 3
    assert max(value for name, value in found.items() if name.startswith("compass_site_memory_bytes")) > 0
    assert found["compass_advances_total"] >= 1
    assert found["compass_advance_seconds_total"] > 0
    assert found['compass_hits_behind{site="1"}'] == 0
    client.post("/collect?site=mill", json=[a_hit(), a_hit()])
    assert figures(near)['compass_hits_behind{site="1"}'] == 2  # until somebody asks
    client.post("/api/v1/sites/mill/reports/table", json=TABLE, headers=headers)
    assert figures(near)['compass_hits_behind{site="1"}'] == 0
    assert (found["compass_hits_waiting"], found["compass_imports_running"], found["compass_hits_not_stored_total"]) == (0, 0, 0)


def test_what_is_done_once_an_hour_tells_how_it_went(client, near, monkeypatch):
    services, retention = client.app.state.services, Retention(client.app.state.services.engine, None, None, None)
    retention.once(now())
    monkeypatch.setattr("upper_compass.services.retention.delete_what_is_over", lambda *_: 1 / 0)
    retention.once(now())
    held = retention.jobs["delete hits whose time is over"]
    assert (held.done, held.failed, held.last > 0) == (1, 1, True)
    text = Metrics(Sources(services.engine, services.reader, services.writer, retention.jobs)).text().decode()
    assert 'compass_jobs_total{ended="failed",job="delete hits whose time is over"} 1.0' in text
    assert 'compass_job_seconds_total{job="purge deleted sites"}' in text
    found = figures(near)  # of the application itself, which did it when it started
    assert found['compass_jobs_total{ended="done",job="tidy the storage"}'] >= 1


@pytest.mark.parametrize("method", ["GET", "BREW"])
def test_odd_requests_make_no_figures_of_their_own(client, near, method):
    for n in range(20):
        client.request(method, f"/nothing/{n}")
    assert not [name for name in figures(near) if "nothing" in name or "BREW" in name]


def test_strangers_are_told_no_figures(client, near):
    assert client.get("/metrics").status_code == 404
    assert near.get("/metrics", headers={"X-Forwarded-For": "127.0.0.1"}).status_code == 404
    far = TestClient(client.app, client=("203.0.113.9", 50_000))
    assert far.get("/metrics").status_code == 404


@pytest.mark.parametrize(
    ("address", "networks", "inside"),
    [
        ("10.1.2.3", "10.0.0.0/8", True), ("10.1.2.3", "192.0.2.1, 10.1.2.3", True), ("::1", "127.0.0.0/8, ::1/128", True), ("11.0.0.1", "10.0.0.0/8", False),
        ("::1", "10.0.0.0/8", False), ("testclient", "0.0.0.0/0", False), ("", "0.0.0.0/0", False), ("10.0.0.1", "", False),
    ],
)  # fmt: skip
def test_an_address_lies_in_a_network(address, networks, inside):
    assert lies_in(address, networks) == inside


def test_it_lives_and_is_ready(client):
    client.app.state.services.ready.wait(30)
    assert client.get("/health/live").json() == {"status": "ok"}
    assert client.get("/health/ready").json()["ready"] is True
    client.app.state.services.ready.clear()
    try:
        assert client.get("/health/ready").status_code == 503
        assert (client.get("/health/live").status_code, client.get("/health").status_code) == (200, 200)
    finally:
        client.app.state.services.ready.set()
