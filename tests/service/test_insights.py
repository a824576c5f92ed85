"""Worth a look and the expected band over HTTP: told, dismissed for a while, told again; and what is refused."""

from datetime import date, timedelta

import pytest

from tests.conftest import a_hit, period, sign_in

PATH = "/api/v1/sites/mill"


@pytest.fixture(scope="module")
def visited(client):
    """120 people of whom twenty book; sixteen of those came by a letter, as did twenty others."""
    for number in range(120):
        tags = "?utm_source=letter&utm_medium=email" if number < 16 or number >= 100 else ""
        hits = [a_hit(visitor=f"person{number}", url=f"https://mill.example/{tags}")]
        if number < 20:
            hits.append(a_hit(visitor=f"person{number}", kind="event", name="book", url="https://mill.example/"))
        assert client.post("/collect?site=mill", json=hits).status_code == 204
    return client


@pytest.fixture(scope="module")
def goal(client):
    given = {"name": "Booked", "goal": {"match": {"kind": "event", "names": ["book"]}}}
    return client.post(f"{PATH}/goals", json=given, headers=sign_in(client, "analyst")).json()["id"]


def ask(client, headers, **more):
    return client.post(f"{PATH}/reports/insights", json={"period": period()} | more, headers=headers)


def keys(answer):
    return [one["key"] for one in answer.json()["insights"]]


def test_what_stands_out_is_told_dismissed_for_a_while_and_told_again(visited, goal):
    analyst = sign_in(visited, "analyst")
    told = ask(visited, analyst, goal=goal)
    assert told.status_code == 200
    [first] = [one for one in told.json()["insights"] if one["kind"] == "converters"]
    assert (first["a"], first["a_of"], first["b"], first["b_of"]) == (16, 20, 20, 100)
    given = {"key": first["key"], "last": period()["last"]}
    dismissal = visited.post(f"{PATH}/insights/dismissed", json=given, headers=analyst).json()["id"]
    assert first["key"] not in keys(ask(visited, analyst, goal=goal))
    viewer = sign_in(visited, "viewer")
    assert visited.post(f"{PATH}/insights/dismissed", json=given, headers=viewer).status_code == 403
    assert visited.delete(f"{PATH}/insights/dismissed/{dismissal}", headers=viewer).status_code == 403
    analyst = sign_in(visited, "analyst")
    assert visited.delete(f"{PATH}/insights/dismissed/{dismissal}", headers=analyst).status_code == 204
    assert visited.delete(f"{PATH}/insights/dismissed/{dismissal}", headers=analyst).status_code == 404
    assert first["key"] in keys(ask(visited, analyst, goal=goal))
    long_ago = str(date.fromisoformat(period()["last"]) - timedelta(days=29))
    visited.post(f"{PATH}/insights/dismissed", json=given | {"last": long_ago}, headers=analyst)
    assert first["key"] in keys(ask(visited, analyst, goal=goal))


@pytest.mark.parametrize(
    ("path", "given"),
    [
        ("reports/insights", {"goal": 2**31 - 1}),
        ("reports/insights", {"limit": 0}),
        ("reports/insights", {"limit": 1001}),
        ("reports/insights", {"segment": {"where": {"conditions": [{"kind": "dimension", "dimension": "tide", "test": "is empty"}]}}}),
        ("reports/expected", {"measure": "tide"}),
        ("reports/expected", {"measure": ""}),
        ("insights/dismissed", {"key": "x" * 4201, "last": "2026-11-01"}),
        ("insights/dismissed", {"key": "grew:source:\x00", "last": "2026-11-01"}),
    ],
)
def test_what_makes_no_sense_is_refused(visited, path, given):
    asked = given if path.startswith("insights") else {"period": period()} | given
    assert visited.post(f"{PATH}/{path}", json=asked, headers=sign_in(visited, "analyst")).status_code == 422


def test_a_band_needs_days_to_expect_from_and_sites_share_nothing(visited):
    viewer = sign_in(visited, "viewer")
    found = visited.post(f"{PATH}/reports/expected", json={"period": period(), "measure": "visits"}, headers=viewer).json()
    assert (found["at"], found["low"], found["days"]) == ([], [], 0)
    stranger = sign_in(visited, "stranger")
    assert [
        visited.post(f"{PATH}/{path}", json={"period": period(), "measure": "visits"}, headers=stranger).status_code
        for path in ("reports/insights", "reports/expected")
    ] == [404, 404]
