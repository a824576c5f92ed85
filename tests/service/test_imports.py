"""Files that are imported: looked at before, written down with what became of them, taken back as a whole."""

import base64
import gzip
import json
import threading
from datetime import timedelta

import pytest
import sqlalchemy as sa

from tests.conftest import a_hit, now, sign_in, stored
from tests.service.test_logs import line, send, table
from upper_compass.collect import importing
from upper_compass.store import imports as store

IMPORT = "/api/v1/sites/mill/import"
VHOST = 'mill.example:443 203.0.113.{} - - [20/Nov/2026:10:00:00 +0000] "GET /hosted/{} HTTP/1.1" 200 5 "-" "A browser"'


def preview(client, text, reading=None, whole=True, status=200):
    body = {"head": base64.b64encode(text if isinstance(text, bytes) else text.encode()).decode(), "whole": whole, "reading": reading}
    answer = client.post(f"{IMPORT}/preview", json=body, headers=sign_in(client, "owner"))
    assert answer.status_code == status, answer.text
    return answer.json()


def becomes(found):
    return [one["becomes"] for one in found["lines"]]


def usual(client, **changes):
    return client.get(f"{IMPORT}/reading", headers=sign_in(client, "owner")).json()["usual"] | changes


def listed(client):
    return client.get(f"{IMPORT}/done", headers=sign_in(client, "viewer")).json()


def undo(client, number, who="owner"):
    return client.delete(f"{IMPORT}/done/{number}", headers=sign_in(client, who))


def test_what_lines_become_is_seen_before_anything_is_stored(client, engine):
    lines = [line("/a"), line("/a.css"), line("/b.pdf"), line("/c", agent="Mozilla/5.0 (compatible; examplebot/2.1)"), "broken", line("/d", status=404)]
    found = preview(client, "\n".join(lines))
    assert (found["format"], becomes(found)) == ("ncsa", ["page", "nothing", "file", "page", "refused", "nothing"])
    assert [one["robot"] for one in found["lines"]] == [False, False, False, True, False, False]
    assert found["lines"][0]["what"] == "https://mill.example/a" and found["lines"][4]["why"]
    hits = [a_hit(), a_hit(kind="event", name="guide opened"), {"id": "no"}, a_hit(url="https://elsewhere.example/")]
    found = preview(client, "\n".join(json.dumps(hit) for hit in hits))
    assert (found["format"], becomes(found)) == ("json lines", ["page", "event", "refused", "refused"])
    assert stored(engine) == 0 and listed(client) == []


def test_only_the_beginning_of_a_file_is_looked_at_packed_or_not(client):
    text = "".join(f"{line(f'/{place}')}\n" for place in range(3000))
    assert len(preview(client, text[:50_000], whole=False)["lines"]) == 100
    packed = gzip.compress(text.encode())
    assert len(preview(client, packed[: len(packed) // 2], whole=False)["lines"]) == 100
    cut = preview(client, text[: len(line("/0")) + 30], whole=False)
    assert becomes(cut) == ["page"]  # of the second line only a part is there
    assert preview(client, b"\x1f\x8bnothing")["lines"] == []
    assert preview(client, "")["lines"] == []
    bomb = gzip.compress(b"x" * 50_000_000)
    assert len(preview(client, bomb[:90_000], whole=False)["lines"]) <= 1
    assert preview(client, "\x00" * 5000 + "\n\udcff".encode("utf-8", "surrogatepass").decode("latin1"))["lines"][0]["becomes"] == "refused"
    wrong = client.post(f"{IMPORT}/preview", json={"head": "no base64!"}, headers=sign_in(client, "owner"))
    assert wrong.status_code == 422 and wrong.json()["errors"][0]["field"] == "head"


def test_a_log_that_calls_its_fields_otherwise_is_read_once_they_are_named(client):
    text = "#Fields: date x-time x-page c-ip\n2026-11-20 10:00:00 /named 192.0.2.1\n2026-11-20 10:01:00 /named/too 192.0.2.1\n"
    found = preview(client, text)
    assert "x-time" not in found["trouble"] and becomes(found) == ["refused"] * 3
    assert {one["name"]: one["meaning"] for one in found["fields"]} == {"date": "date", "x-time": "nothing", "x-page": "nothing", "c-ip": "address"}
    named = usual(client, fields={"x-time": "time", "x-page": "stem"})
    assert becomes(preview(client, text, named)) == ["nothing", "page", "page"]
    assert client.put(f"{IMPORT}/reading", json=named, headers=sign_in(client, "owner")).status_code == 200
    assert send(client, text)["stored"] == 2
    assert client.get(f"{IMPORT}/reading", headers=sign_in(client, "viewer")).json()["reading"] == named
    assert client.put(f"{IMPORT}/reading", json=usual(client), headers=sign_in(client, "owner")).json()["reading"] == usual(client)


def test_a_log_whose_lines_begin_with_the_host_is_told_and_read(client):
    text = "\n".join(VHOST.format(place, place) for place in range(4))
    found = preview(client, text)
    assert found["begins_with_host"]
    found = preview(client, text, usual(client, first_word="host"))
    assert [one["what"] for one in found["lines"]] == [f"https://mill.example/hosted/{place}" for place in range(4)]
    assert not preview(client, line("/a"))["begins_with_host"]
    assert client.put(f"{IMPORT}/reading", json=usual(client, first_word="host"), headers=sign_in(client, "owner")).status_code == 200
    assert send(client, text)["stored"] == 4
    client.put(f"{IMPORT}/reading", json=usual(client), headers=sign_in(client, "owner"))
    day = {"period": {"first": "2026-11-20", "last": "2026-11-20"}}
    assert table(client, "page", "visitors", **day)["/hosted/0"] == 1
    assert sum(value for page, value in table(client, "page", "visitors", **day).items() if page.startswith("/hosted")) == 4


@pytest.mark.parametrize(
    ("changes", "field"),
    [
        ({"host": "elsewhere.example"}, "host"), ({"host": "no host"}, "reading.host"), ({"pages": ["a b"]}, "reading.pages.0"),
        ({"pages": ["x"] * 101}, "reading.pages"), ({"fields": {"a b": "time"}}, "reading.fields"), ({"fields": {"a": "soup"}}, "reading.fields.a"),
    ],
)  # fmt: skip
def test_what_is_wrong_with_how_logs_are_read_is_said_of_its_field(client, changes, field):
    found = preview(client, line("/a"), usual(client, **changes), status=422)
    assert found["errors"][0]["field"].startswith(field)


def test_an_import_is_listed_with_what_became_of_it_and_taken_back_as_a_whole(client, engine):
    before = stored(engine)
    assert client.post("/collect?site=mill", json=a_hit(visitor="sent")).status_code == 204
    report = send(client, "\n".join([*(line(f"/undone/{place}") for place in range(20)), "broken"]))
    newest = listed(client)[0]
    assert newest["id"] == report["id"]
    told = {"state": "done", "stored": 20, "bad": 1, "lines": 21, "format": "ncsa", "by": "Owner"}
    assert {name: newest[name] for name in told} == told and newest["read"] == newest["size"] > 0
    one = client.get(f"{IMPORT}/done/{report['id']}", headers=sign_in(client, "viewer")).json()
    assert one["refused"] == [{"line": 21, "field": "", "text": "this is no line of such a log"}]
    assert len([page for page in table(client, "page", "views") if page.startswith("/undone")]) == 20
    assert undo(client, report["id"], "analyst").status_code == 403
    assert undo(client, report["id"]).json()["state"] == "undone"
    assert not [page for page in table(client, "page", "views") if page.startswith("/undone")]
    assert stored(engine) == before + 1  # what the site sent meanwhile stays
    assert undo(client, report["id"]).json()["state"] == "undone"
    assert send(client, "\n".join(line(f"/undone/{place}") for place in range(20)))["stored"] == 20
    assert undo(client, 2**31 - 1).status_code == 404
    other = client.get(f"/api/v1/sites/other/import/done/{report['id']}", headers=sign_in(client, "stranger"))
    assert other.status_code == 404


def test_how_far_an_import_is_can_be_seen_while_it_runs_and_it_cannot_be_taken_back_then(client, monkeypatch):
    monkeypatch.setattr(importing, "TOGETHER", 50)
    monkeypatch.setattr("upper_compass.services.imports.EVERY", 0)
    begun, go_on = threading.Event(), threading.Event()
    whole = importing.Storing.finish

    def held(self):
        whole(self)
        if self._report.stored >= 500 and not begun.is_set():
            begun.set()
            go_on.wait(30)

    monkeypatch.setattr(importing.Storing, "finish", held)
    headers = sign_in(client, "owner")
    text = "\n".join(json.dumps(a_hit(at=(now() - timedelta(minutes=5)).isoformat())) for _ in range(2000))
    sending = threading.Thread(target=lambda: client.post(f"{IMPORT}/hits?name=hits.jsonl", content=text, headers=headers))
    sending.start()
    assert begun.wait(30)
    running = client.get(f"{IMPORT}/done", headers=headers).json()[0]
    assert (running["state"], running["name"]) == ("running", "hits.jsonl") and 0 < running["stored"] < 2000
    assert client.delete(f"{IMPORT}/done/{running['id']}", headers=headers).status_code == 409
    go_on.set()
    sending.join()
    assert listed(client)[0]["state"] == "done" and listed(client)[0]["stored"] == 2000


def test_whoever_stopped_reading_without_a_word_holds_nothing_up(client, engine):
    report = send(client, line("/stopped"))
    with engine.begin() as connection:
        connection.execute(
            sa.text("UPDATE imports SET finished_at = NULL, until_seq = NULL, told_at = now() - :for WHERE id = :id"), {"for": store.SILENT, "id": report["id"]}
        )
    assert listed(client)[0]["state"] == "stopped"
    assert undo(client, report["id"]).json()["state"] == "undone"
    assert "/stopped" not in table(client, "page", "views")
