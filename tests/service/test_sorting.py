"""Aliases and channels over HTTP: tried, kept, looked back on, taken back."""

import uuid

import pytest

from tests.conftest import a_hit, sign_in

SORTING = "/api/v1/sites/mill/sorting"


@pytest.fixture(scope="module")
def collected(client):
    hits = [a_hit(visitor=f"w{i}", url="https://mill.example/?utm_source=fair&utm_medium=stand", id=str(uuid.uuid4())) for i in range(3)]
    assert client.post("/collect?site=mill", json=hits).status_code == 204


def held(client):
    rules = client.get("/api/v1/sites/mill").json()["rules"]
    return {"aliases": rules["aliases"], "channels": rules["channels"]}


ALIAS = {"field": "medium", "this": "stand", "that": "print"}


@pytest.mark.usefixtures("collected")
def test_a_draft_is_tried_kept_and_taken_back_from_the_history(client):
    headers = sign_in(client, "analyst")
    before = held(client)
    draft = before | {"aliases": [ALIAS]}
    found = client.post(f"{SORTING}/preview", json=draft, headers=headers).json()
    assert (found["visits"], found["moved"]) == (3, 3)
    assert [(one["field"], one["was"], one["becomes"], one["visits"]) for one in found["moves"]] == [
        ("channel", "Unsorted", "Print and QR", 3), ("medium", "stand", "print", 3),
    ]  # fmt: skip
    assert held(client) == before
    assert client.put(SORTING, json=draft | {"was": before}, headers=headers).status_code == 200
    fewer = draft | {"channels": draft["channels"][1:]}
    assert client.put(SORTING, json=fewer, headers=headers).status_code == 200
    history = client.get(f"{SORTING}/history").json()
    parts = [(one["by"], *({name: one[when][name] for name in before} for when in ("before", "after"))) for one in history]
    assert parts == [("Analyst", draft, fewer), ("Analyst", before, draft)]
    assert client.put(SORTING, json=before, headers=headers).status_code == 200
    assert held(client) == before


def test_one_spelling_has_one_alias(client):
    headers = sign_in(client, "analyst")
    before = held(client)
    twice = before | {"aliases": [ALIAS, ALIAS | {"this": "Stall"}, ALIAS | {"this": "STAND ", "that": "qr"}]}
    for refused in (client.post(f"{SORTING}/preview", json=twice, headers=headers), client.put(SORTING, json=twice, headers=headers)):
        assert (refused.status_code, refused.json()["errors"]) == (422, [{"field": "aliases.2", "text": "there is an alias of this already"}])
    assert held(client) == before


def test_who_was_slower_is_told_and_nothing_is_lost(client):
    headers = sign_in(client, "analyst")
    seen = held(client)
    faster = seen | {"aliases": [ALIAS | {"this": "faster"}]}
    assert client.put(SORTING, json=faster | {"was": seen}, headers=headers).status_code == 200
    answer = client.put(SORTING, json=seen | {"aliases": [ALIAS], "was": seen}, headers=headers)
    assert answer.status_code == 409
    assert held(client) == faster
    owner = sign_in(client, "owner")
    site = client.get("/api/v1/sites/mill").json()
    stale = {"name": "Mill", "rules": site["rules"] | seen, "tagging": site["tagging"]}
    assert client.put("/api/v1/sites/mill", json=stale, headers=owner).status_code == 200
    assert held(client) == faster


@pytest.mark.parametrize(
    ("change", "field"),
    [
        ({"aliases": [ALIAS | {"this": ""}]}, "aliases.0.this"),
        ({"aliases": [ALIAS | {"field": "smell"}]}, "aliases.0.field"),
        ({"channels": [{"channel": "X", "any_of": []}]}, "channels.0.any_of"),
    ],
)
def test_what_is_wrong_with_a_draft_is_named(client, change, field):
    headers = sign_in(client, "analyst")
    for method, path in (("post", f"{SORTING}/preview"), ("put", SORTING)):
        answer = getattr(client, method)(path, json=held(client) | change, headers=headers)
        assert (answer.status_code, answer.json()["errors"][0]["field"]) == (422, field)
