"""What runs for years: logs have an end, what fails is tried again, installations side by side leave each other alone."""

import asyncio
import json
import logging
import socket
import urllib.request
from types import SimpleNamespace

import polars as pl
import pytest
from starlette.requests import Request

from tests.conftest import IN_ONE, Server, a_hit, in_a_loop
from upper_compass.api.access import cookie_of
from upper_compass.core.dataset.traffic_sources import split_addresses
from upper_compass.core.definitions.hits import Hit
from upper_compass.run import serving
from upper_compass.services import retention


def test_logs_have_an_end(tmp_path, monkeypatch):
    root = logging.getLogger()
    before, level = root.handlers[:], root.level
    monkeypatch.setattr(serving, "LOG_BYTES", 2_000)
    try:
        serving.log_to(tmp_path / "main.log", "warning")
        for i in range(2_000):
            logging.getLogger("upper_compass.test").warning("line %s", i)
    finally:
        for handler in root.handlers:
            handler.close()
        root.handlers[:] = before
        root.setLevel(level)
    files = sorted(tmp_path.iterdir())
    assert len(files) == 1 + serving.LOGS_KEPT
    assert all(file.stat().st_size <= 2_000 for file in files)
    assert "line 1999" in (tmp_path / "main.log").read_text()


def test_deleting_what_is_over_goes_on_whatever_happens(monkeypatch):
    tried = []

    def fails(*_):
        tried.append(1)
        raise RuntimeError("something nobody thought of")

    async def run():
        task = asyncio.create_task(retention.run_retention(retention.Retention(None, None, None, None), lambda: None))
        for _ in range(500):
            if len(tried) > 2:
                break
            await asyncio.sleep(0.01)
        assert not task.done()
        task.cancel()

    monkeypatch.setattr(retention, "EVERY", 0.001)
    monkeypatch.setattr(retention, "delete_what_is_over", fails)
    in_a_loop(run)
    assert len(tried) > 2


@pytest.mark.parametrize(
    ("host", "name"),
    [("127.0.0.1:7300", "uc_session_7300"), ("127.0.0.1:7400", "uc_session_7400"), ("compass.example", "uc_session"), ("[::1]:7300", "uc_session_7300")],
)
def test_installations_on_two_ports_of_a_host_have_cookies_of_their_own(host, name):
    assert cookie_of(Request({"type": "http", "headers": [(b"host", host.encode())]}), "uc_session") == name


def test_an_address_may_be_written_in_capitals():
    hit = Hit.model_validate_json(json.dumps(a_hit(url="HTTPS://Mill.Example/courses")))
    read = split_addresses(pl.Series([hit.url])).row(0, named=True)
    assert (read["host"], read["path"]) == ("mill.example", "/courses")


def test_a_writer_outlives_any_exception(monkeypatch):
    from upper_compass.collect import writing

    async def run():
        failing = [KeyError("odd"), MemoryError(), None]
        stored = []

        def store(rows):
            fault = failing.pop(0)
            if fault:
                raise fault
            stored.extend(rows)

        monkeypatch.setattr(writing, "HitWriter", lambda _: SimpleNamespace(store=store, close=lambda: None))
        writer = writing.GroupWriter(lambda: None)
        writer.start()
        for _ in range(2):
            with pytest.raises(writing.NotStoredError):
                await writer.put([("row",)])
        await writer.put([("row",)])
        writer.stop()
        assert stored == [("row",)]

    in_a_loop(run)


def test_uploads_that_break_off_leave_no_traceback(database, tmp_path, capfd):
    server = Server(database, tmp_path / "frames", settings=IN_ONE).start()
    try:
        for _ in range(5):
            with socket.create_connection(("127.0.0.1", server.port)) as caller:
                caller.sendall(b"POST /collect?site=mill HTTP/1.1\r\nHost: a\r\nContent-Type: text/plain\r\nContent-Length: 5000\r\n\r\n[{")
        with urllib.request.urlopen(f"{server.address}/health", timeout=10) as answer:
            assert answer.status == 200
    finally:
        server.stop()
    assert "Traceback" not in capfd.readouterr().err
