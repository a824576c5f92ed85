"""Tag health over HTTP: found, mended, accepted, and who may."""

import uuid

import pytest

from tests.conftest import a_hit, sign_in

FINDINGS = "/api/v1/sites/mill/findings"


@pytest.fixture(scope="module")
def collected(client):
    medium = [a_hit(visitor=f"f{i}", url="https://mill.example/?utm_source=fair&utm_medium=stand", id=str(uuid.uuid4())) for i in range(5)]
    own = [a_hit(visitor=f"o{i}", url="https://mill.example/", referrer="https://tickets.mill.example/", id=str(uuid.uuid4())) for i in range(4)]
    assert client.post("/collect?site=mill", json=medium + own).status_code == 204


def keys(client, role="viewer"):
    answer = client.get(FINDINGS, headers=sign_in(client, role))
    assert answer.status_code == 200, answer.text
    return {one["key"]: one for one in answer.json()}


@pytest.mark.usefixtures("collected")
def test_a_finding_is_mended_and_taken_back(client):
    assert set(keys(client)) == {"unsorted stand", "referrer tickets.mill.example"}
    headers = sign_in(client, "analyst")
    fix = {"kind": "channel", "medium": "stand", "channel": "Fairs"}
    found = client.post(f"{FINDINGS}/fix/preview", json={"fix": fix}, headers=headers).json()
    assert [(one["field"], one["was"], one["becomes"], one["visits"]) for one in found["moves"]] == [("channel", "Unsorted", "Fairs", 5)]
    assert client.get(f"{FINDINGS}/fixed").json() == []
    assert client.post(f"{FINDINGS}/fix", json={"fix": fix}, headers=headers).status_code == 204
    assert set(keys(client)) == {"referrer tickets.mill.example"}
    history = client.get("/api/v1/sites/mill/sorting/history").json()
    assert history[0]["after"]["channels"][-1]["channel"] == "Fairs"
    assert [(one["fix"], one["by"]) for one in client.get(f"{FINDINGS}/fixed").json()] == [(fix, "Analyst")]
    headers = sign_in(client, "analyst")
    assert client.post(f"{FINDINGS}/fix", json={"fix": fix, "undo": True}, headers=headers).status_code == 204
    assert set(keys(client)) == {"unsorted stand", "referrer tickets.mill.example"}
    assert client.get(f"{FINDINGS}/fixed").json() == []


@pytest.mark.usefixtures("collected")
def test_which_hosts_are_no_source_is_for_owners(client):
    fix = {"fix": keys(client)["referrer tickets.mill.example"]["fix"]}
    assert client.post(f"{FINDINGS}/fix", json=fix, headers=sign_in(client, "analyst")).status_code == 403
    assert client.post(f"{FINDINGS}/fix", json=fix, headers=sign_in(client, "owner")).status_code == 204
    assert client.get("/api/v1/sites/mill").json()["rules"]["ignored_hosts"] == ["tickets.mill.example"]
    newest = client.get("/api/v1/sites/mill/sorting/history").json()[0]
    assert (newest["before"]["ignored_hosts"], newest["after"]["ignored_hosts"]) == ([], ["tickets.mill.example"])
    assert [one["fix"]["host"] for one in client.get(f"{FINDINGS}/fixed").json()] == ["tickets.mill.example"]
    site = client.get("/api/v1/sites/mill").json()
    settings = {"name": "Mill", "rules": site["rules"] | {"ignored_hosts": []}, "tagging": site["tagging"]}
    assert client.put("/api/v1/sites/mill", json=settings, headers=sign_in(client, "owner")).status_code == 200
    assert client.get(f"{FINDINGS}/fixed").json() == []
    assert client.get("/api/v1/sites/mill/sorting/history").json()[0]["after"]["ignored_hosts"] == []
    assert client.post(f"{FINDINGS}/fix", json=fix | {"undo": True}, headers=sign_in(client, "owner")).status_code == 204


@pytest.mark.usefixtures("collected")
def test_a_finding_is_accepted_with_a_reason_and_looked_at_again(client):
    headers = sign_in(client, "analyst")
    for reason in ("The village fair", "The county fair"):
        assert client.put(f"{FINDINGS}/accepted", json={"key": "unsorted stand", "reason": reason}, headers=headers).status_code == 204
    accepted = keys(client)["unsorted stand"]["accepted"]
    assert (accepted["reason"], accepted["by"]) == ("The county fair", "Analyst")
    assert client.put(f"{FINDINGS}/accepted", json={"key": "x", "reason": ""}, headers=sign_in(client, "analyst")).status_code == 422
    headers = sign_in(client, "analyst")
    assert client.delete(f"{FINDINGS}/accepted?key=unsorted+stand", headers=headers).status_code == 204
    assert client.delete(f"{FINDINGS}/accepted?key=unsorted+stand", headers=headers).status_code == 404
    assert keys(client)["unsorted stand"]["accepted"] is None


def test_pages_of_a_host_that_is_turned_away_are_told(client):
    client.post("/collect?site=mill", json=a_hit(), headers={"Origin": "https://copy.example"})
    found = keys(client)["refused copy.example"]
    assert (found["kind"], found["count"]) == ("refused", 1)
