"""A visitor is handed on from host to host by a token: of the site, for two minutes, once."""

from datetime import timedelta

import pytest

from upper_compass.collect.tokens import LASTS
from upper_compass.store import sites

PAGE = {"Origin": "https://mill.example"}


def token_for(client, visitor="k3v9a0b1c2", site="mill", **headers):
    return client.post(f"/collect/handover?site={site}", json={"visitor": visitor}, headers=PAGE | headers)


def arrive(client, token, site="mill", **headers):
    return client.post(f"/collect/arrival?site={site}", json={"token": token}, headers=PAGE | headers)


def test_a_token_hands_its_visitor_on_once(client):
    token = token_for(client).json()["token"]
    first = arrive(client, token)
    assert (first.status_code, first.json()) == (200, {"visitor": "k3v9a0b1c2"})
    assert first.headers["access-control-allow-origin"] == "https://mill.example"
    assert arrive(client, token).status_code == 404


def test_it_is_the_sites_and_of_its_pages(client, engine):
    token = token_for(client).json()["token"]
    assert arrive(client, token, site="other", Origin="https://other.example").status_code == 404
    assert arrive(client, token, Origin="https://elsewhere.example").status_code == 403
    assert token_for(client, Origin="https://elsewhere.example").status_code == 403
    with engine.connect() as connection:
        followed = client.app.state.services.tokens.issue(sites.site_by_key(connection, "mill"), "follow")
    for made_up in (followed, token[:-2], "x" * 40, ""):
        assert arrive(client, made_up).status_code == 404
    assert arrive(client, token).status_code == 200


def test_it_ends_after_two_minutes(client, monkeypatch):
    token = token_for(client).json()["token"]
    tokens = client.app.state.services.tokens
    real = tokens._now
    monkeypatch.setattr(tokens, "_now", lambda: real() + LASTS["handover"] + timedelta(seconds=2))
    assert arrive(client, token).status_code == 404


@pytest.mark.parametrize("visitor", ["", "a b c d e f", "x" * 65, "jo@mill.example", 5])
def test_what_is_no_pseudonym_is_not_handed_on(client, visitor):
    answer = token_for(client, visitor)
    assert (answer.status_code, answer.json()["errors"][0]["field"]) == (422, "visitor")
