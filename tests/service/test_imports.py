"""Files that are imported: looked at before, written down with what became of them, taken back as a whole."""

import base64
import gzip
import json
import threading
import uuid
from datetime import timedelta

import polars as pl
import pytest
import sqlalchemy as sa
from hypothesis import given, settings
from hypothesis import strategies as st

from tests.conftest import a_hit, now, sign_in, stored
from tests.service.test_logs import line, send, table
from upper_compass.collect import importing
from upper_compass.collect.json_hits import JsonHits, Read
from upper_compass.store import imports as store
from upper_compass.store.hits import ROW_SCHEMA

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
    monkeypatch.setattr(importing, "READ_TOGETHER", 50)
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
    try:
        assert begun.wait(30)
        running = client.get(f"{IMPORT}/done", headers=headers).json()[0]
        assert (running["state"], running["name"]) == ("running", "hits.jsonl") and 0 < running["stored"] < 2000
        assert client.delete(f"{IMPORT}/done/{running['id']}", headers=headers).status_code == 409
    finally:
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


TEXTS = st.sampled_from(
    ["", "a", "Ä\u2028b", "ida@mill.example", "call +44 20 7946 0018", 'q"u,o\n\\.\n', "x" * 501, "\x00", "null", 7, True, None, ["a"], {"a": 1}]
)
CHANGES = {
    "id": st.sampled_from(["not one", None, 5, "C112C2C6-2D9B-4247-8A48-95997CB80065", "{c112c2c6-2d9b-4247-8a48-95997cb80066}"]),
    "at": st.sampled_from(["2026-11-20T10:00:00Z", "2026-11-20T10:00:60Z", "2026-11-20T25:00:00Z", "2026-11-20 10:00:00+01:00", "1994-01-01T00:00:00Z", "2026-11-20T10:00:00",
                           "2026-02-30T10:00:00Z", "2099-12-31T23:59:59+00:00", 1763632800, "2026-11-20T10:00:00.1234567Z", "2026-11-20T10:00:00.25-11:30", None]),
    "visitor": TEXTS, "title": TEXTS, "name": TEXTS, "language": TEXTS, "country": st.sampled_from(["IE", "ie", "", None, 5]),
    "kind": st.sampled_from(["view", "event", "order", "engage", "soup", None, 1]),
    "url": st.sampled_from(["https://mill.example/?mail=ida@mill.example", "https://www.MILL.example:8443/a", "https://elsewhere.example/", "mill.example", "", None, 3]),
    "referrer": st.sampled_from(["android-app://x", "nowhere", "", "https://a.example/?phone=1", None, 4]),
    "value": st.sampled_from([1, 1.5, -0.0, 1e13, 2**70, True, "1", None]), "engaged_ms": st.sampled_from([0, 86_400_000, 86_400_001, -1, 1.0, True, None]),
    "currency": st.sampled_from(["EUR", "eur", "", None]), "user_agent": st.sampled_from(["examplebot/1.0", "Mozilla/5.0", None, 5]),
    "props": st.sampled_from([{}, {"a": 1, "b": True, "c": "ida@mill.example"}, {"email": "x"}, {"a": [1]}, {"": 1}, {"a": "y" * 1001}, "a", None, {"a": 1e400}]),
    "fields": st.sampled_from([{}, {"club": "yes"}, {"club": 1}, {"phone": "1"}, None]), "order": st.sampled_from([{"id": "A1", "items": []}, {}, None, 1]), "more": TEXTS,
}  # fmt: skip
LINES = st.lists(
    st.one_of(
        st.lists(st.sampled_from(sorted(CHANGES)), max_size=3, unique=True).flatmap(
            lambda names: st.fixed_dictionaries({name: CHANGES[name] for name in names})
        ),
        st.sampled_from([b"", b"  ", b"[]", b"{", b'{"id": "\\ud800"}', b"\xff", b"null", b'{"id":1}{"id":2}']),
    ),
    max_size=12,
)


@settings(max_examples=60)
@given(LINES)
def test_lines_read_together_are_what_each_is_by_itself(drawn):
    kinds = ("view", "event", "engage")
    basis = [a_hit(kind=kind, **({"name": "n"} if kind == "event" else {"engaged_ms": 5} if kind == "engage" else {})) for kind in kinds]
    lines = [
        one if isinstance(one, bytes) else json.dumps(basis[place % 3] | {"id": str(uuid.UUID(int=place))} | one).encode() for place, one in enumerate(drawn)
    ]
    into = importing.Import(1, frozenset({"mill.example"}), now())
    together = JsonHits(into).read(lines)
    apart = [JsonHits(into).read([one]) for one in lines]
    by_itself = Read(pl.DataFrame(schema=ROW_SCHEMA))
    rows: list = []
    for place, one in enumerate(lines):
        JsonHits(into)._by_itself(place, one, rows, by_itself)
    slow = pl.DataFrame([row for _, row in rows], ROW_SCHEMA, orient="row")
    assert together.hits.equals(slow) and together.hits.equals(pl.concat([one.hits for one in apart]) if apart else slow)
    assert together.refused == by_itself.refused and together.shortened == by_itself.shortened


def test_what_comes_with_a_file_is_stored_as_it_is_whatever_it_holds(client, engine):
    strange = ['a,"b"\n\\.\nc', "\\N", "\\.", "  ", "tab\there", "\u2028\u00e4\U0001f35e", '""', "null"]
    hits = [a_hit(title=text, url=f"https://mill.example/strange/{place}", props={"a": text}, kind="event", name="n") for place, text in enumerate(strange)]
    assert send(client, "\n".join(map(json.dumps, [*hits, *hits])))["stored"] == len(strange)
    with engine.connect() as connection:
        rows = connection.execute(sa.text("SELECT title, props->>'a', import_id FROM hits WHERE url LIKE '%/strange/%' ORDER BY seq")).all()
    assert [(title, prop) for title, prop, _ in rows] == [(text, text) for text in strange]
    assert len({number for _, _, number in rows}) == 1 and rows[0][2] is not None
    new = [a_hit(url="https://mill.example/strange/new") for _ in range(3)]
    again = send(client, "\n".join(map(json.dumps, [hits[0], new[0], hits[1], *new])))
    assert (again["stored"], again["already_there"]) == (3, 3)
