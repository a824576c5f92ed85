"""The logbook over HTTP: written, read by days, changed, deleted and brought back; what makes no sense is refused."""

import pytest

from tests.conftest import sign_in
from upper_compass.store import logbook

PATH = "/api/v1/sites/mill/logbook"
ENTRY = {"kind": "change", "first": "2026-11-02", "last": "2026-11-02", "text": "A new <b>cover</b>", "view": "/read/pages?only=channel:Email"}


@pytest.fixture
def analyst(client):
    return sign_in(client, "analyst")


def write(client, headers, **changes):
    return client.post(PATH, json=ENTRY | changes, headers=headers)


def test_an_entry_is_written_changed_deleted_and_brought_back(client, analyst):
    made = write(client, analyst)
    assert made.status_code == 201
    entry = made.json()
    assert (entry["text"], entry["by"], entry["view"]) == ("A new <b>cover</b>", "Analyst", ENTRY["view"])
    one = f"{PATH}/{entry['id']}"
    changed = client.put(one, json=ENTRY | {"text": "Another cover", "last": "2026-11-04"}, headers=analyst).json()
    assert (changed["id"], changed["text"], changed["last"], changed["at"]) == (entry["id"], "Another cover", "2026-11-04", entry["at"])
    assert client.delete(one, headers=analyst).status_code == 204
    assert entry["id"] not in [found["id"] for found in client.get(PATH).json()]
    assert [client.put(one, json=ENTRY, headers=analyst).status_code, client.delete(one, headers=analyst).status_code] == [404, 404]
    assert client.post(f"{one}/restore", headers=analyst).json()["text"] == "Another cover"
    assert client.post(f"{one}/restore", headers=analyst).status_code == 404
    assert entry["id"] in [found["id"] for found in client.get(PATH).json()]


def test_entries_are_read_by_the_days_that_they_touch_the_newest_first(client, analyst):
    for first, last in (("2026-03-01", "2026-03-10"), ("2026-03-05", "2026-03-05"), ("2026-03-20", "2026-03-20")):
        write(client, analyst, first=first, last=last, text=f"From {first}")

    def read(**days):
        return [one["first"] for one in client.get(PATH, params=days).json() if one["first"].startswith("2026-03")]

    assert read() == ["2026-03-20", "2026-03-05", "2026-03-01"]
    assert read(first="2026-03-06", last="2026-03-31") == ["2026-03-20", "2026-03-01"]
    assert read(last="2026-03-04") == ["2026-03-01"]
    assert client.get(PATH, params={"first": "soon"}).status_code == 422


@pytest.mark.parametrize(
    ("changes", "field"),
    [
        ({"text": "  "}, ""),
        ({"text": "x" * 2001}, "text"),
        ({"text": "a\x00b"}, "text"),
        ({"kind": "tide"}, "kind"),
        ({"last": "2026-11-01"}, ""),
        ({"first": "1066-10-14"}, ""),
        ({"first": "yesterday"}, "first"),
        ({"view": "https://elsewhere.example/"}, "view"),
        ({"view": "//elsewhere.example/read/pages"}, "view"),
        ({"view": "/read/pages?a=<script>"}, "view"),
        ({"view": "/read/../../api/v1/session"}, "view"),
    ],
)
def test_what_makes_no_sense_is_refused(client, analyst, changes, field):
    answer = write(client, analyst, **changes)
    assert answer.status_code == 422
    assert field in answer.json()["errors"][0]["field"]


def test_viewers_read_only_and_other_sites_share_nothing(client, analyst):
    entry = write(client, analyst).json()["id"]
    viewer = sign_in(client, "viewer")
    assert client.get(PATH).status_code == 200
    assert [write(client, viewer).status_code, client.delete(f"{PATH}/{entry}", headers=viewer).status_code] == [403, 403]
    stranger = sign_in(client, "stranger")
    assert client.get(PATH).status_code == 404
    assert client.put(f"/api/v1/sites/other/logbook/{entry}", json=ENTRY, headers=stranger).status_code == 404


def test_a_logbook_has_an_end(client, analyst, monkeypatch):
    monkeypatch.setattr(logbook, "MAX_ENTRIES", 0)
    answer = write(client, analyst)
    assert (answer.status_code, answer.json()["detail"].startswith("The logbook holds")) == (409, True)
