"""Comparing over HTTP: figures of a site's own, and what is refused."""

import pytest

from tests.conftest import a_hit, collect, period, sign_in

BOOKERS = {"where": {"conditions": [{"kind": "did", "match": {"kind": "event", "names": ["book"]}}]}}
ASKED = {"period": period(), "group": BOOKERS, "dimensions": ["page", "source"]}


@pytest.fixture(scope="module")
def visited(client):
    """Sixty people of whom twenty book; twelve of them and four others saw the flour."""
    hits = []
    for number in range(60):
        who = f"person{number}"
        hits.append(a_hit(visitor=who, url="https://mill.example/"))
        if number < 12 or 20 <= number < 24:
            hits.append(a_hit(visitor=who, url="https://mill.example/flour"))
        if number < 20:
            hits.append(a_hit(visitor=who, kind="event", name="book", url="https://mill.example/"))
    collect(client, hits)
    return client


def ask(client, **changes):
    return client.post("/api/v1/sites/mill/reports/compare", json=ASKED | changes, headers=sign_in(client, "viewer"))


def test_bookers_are_held_against_the_rest(visited):
    found = ask(visited).json()
    assert (found["sizes"], found["units"]) == ({"a": 20, "b": 40, "both": 20, "is_rest": True}, "people")
    assert (found["values"][0], found["a"][0], found["b"][0], found["ratio"][0]) == ("/flour", 12, 4, pytest.approx(6))
    assert found["low"][0] < 6 < found["high"][0]
    assert found["corrected"][0] >= found["p"][0]
    assert (found["count"], found["count_too_few"], found["tested"]) == (3, 0, 3)
    everything = ask(visited, dimensions=[]).json()
    assert {"page", "device", "channel"} <= set(everything["dimensions"])
    assert {"dimension": "event", "value": "book"} in everything["made_of"]


def test_another_period_has_no_common_units(visited):
    before = {"kind": "period", "period": period("2026-01-01", "2026-01-02")}
    found = ask(visited, against=before).json()
    assert (found["sizes"]["b"], found["against"]["first"]) == (0, "2026-01-01")
    assert found["low"] == [None] * found["count"] and found["p"] == [1] * found["count"]


@pytest.mark.parametrize(
    ("changes", "field"),
    [
        ({"dimensions": ["nothing"]}, "dimensions"),
        ({"group": {"where": {"conditions": [{"kind": "dimension", "dimension": "nothing", "test": "is", "values": ["x"]}]}}}, "segment"),
        ({"goal": 999}, "goal"),
        ({"units": "hits"}, "units"),
        ({"limit": 0}, "limit"),
        ({"group": {"where": {"conditions": [{"kind": "dimension", "dimension": "page", "test": "regular expression", "values": ["("]}]}}}, "group"),
    ],
)
def test_what_makes_no_sense_is_a_problem_document(visited, changes, field):
    answer = ask(visited, **changes)
    assert answer.status_code == 422, answer.text
    assert field in answer.json()["errors"][0]["field"]
