"""Signing in by a provider of identities, against a stand-in for one."""

from urllib.parse import parse_qs, urlsplit

import httpx2 as httpx
import pytest
from starlette.testclient import TestClient

from tests.conftest import fill, now, sign_in
from tests.service import identity_provider
from upper_compass.api.app import create_app
from upper_compass.settings import Settings

MILL = "/api/v1/sites/mill"


@pytest.fixture(scope="module")
def client(database):
    fill(database)
    with identity_provider.running(now) as made:
        app = create_app(Settings(database_url=database, **identity_provider.settings_of(made)))
        app.state.provider = made
        with TestClient(app, raise_server_exceptions=False) as client:
            yield client


@pytest.fixture
def provider(client, engine):
    """The stand-in as it is at first; it has let nobody in yet."""
    client.app.state.provider.__init__(now, client.app.state.provider.issuer)
    client.app.state.services.provider.__post_init__()
    client.cookies.clear()
    with engine.begin() as connection:
        connection.exec_driver_sql("DELETE FROM identities; DELETE FROM users WHERE password_hash IS NULL")
    return client.app.state.provider


def begun(client, invitation=None):
    answer = client.post("/api/v1/openid/begun", json={"invitation": invitation})
    assert answer.status_code == 200, answer.text
    return answer.json()["address"]


def sent_back(address):
    """Where the provider sends a browser that comes with this address: the path and query here."""
    parts = urlsplit(httpx.get(address).headers["location"])
    return f"{parts.path}?{parts.query}"


def come(client, invitation=None):
    """Sign in by the provider; where one ends up."""
    return back(client, sent_back(begun(client, invitation)))


def back(client, address):
    answer = client.get(address, follow_redirects=False)
    assert answer.status_code == 303, answer.text
    return answer.headers["location"]


def invited(client, role="analyst"):
    secret = client.post(f"{MILL}/invitations", json={"role": role, "note": "Ruth"}, headers=sign_in(client, "owner")).json()["secret"]
    client.cookies.clear()
    return secret


def signed_in(client):
    answer = client.get("/api/v1/session")
    return answer.json()["email"] if answer.status_code == 200 else None


def test_the_sign_in_is_told_of_the_provider(client, provider):
    assert client.get("/api/v1/openid").json() == {"name": "Fennmoor ID"}
    asked = parse_qs(urlsplit(begun(client)).query)
    assert (asked["client_id"], asked["code_challenge_method"], asked["response_type"]) == (["compass"], ["S256"], ["code"])
    assert asked["redirect_uri"] == ["http://testserver/api/v1/openid/back"]


def test_whoever_has_an_account_with_the_address_comes_in_and_is_known_from_then_on_whatever_the_address_becomes(client, provider):
    provider.person |= {"email": "Analyst@mill.example"}
    assert (come(client), signed_in(client)) == ("/", "analyst@mill.example")
    assert "sign-in" in [one["thing"] for one in client.get("/api/v1/account/changes").json()]
    client.cookies.clear()
    provider.person |= {"email": "owner@mill.example"}
    assert (come(client), signed_in(client)) == ("/", "analyst@mill.example")


def test_whoever_is_new_needs_a_link_and_has_no_password(client, provider):
    assert (come(client), signed_in(client)) == ("/#unknown", None)
    secret = invited(client)
    assert (come(client, secret), signed_in(client)) == ("/", "ruth@mill.example")
    assert client.get(MILL).json()["role"] == "analyst"
    headers = {"X-CSRF-Token": client.get("/api/v1/session").json()["csrf"]}
    changed = client.put("/api/v1/account/password", json={"now": "x", "then": "seven loaves on a sill"}, headers=headers)
    assert (changed.status_code, changed.json()["errors"][0]["field"]) == (422, "now")
    assert client.post("/api/v1/session", json={"email": "ruth@mill.example", "password": "x"}).status_code == 401
    client.cookies.clear()
    provider.person |= {"sub": "43", "email": "tom@mill.example"}
    assert come(client, secret) == "/#unknown"  # the link was used


def test_an_address_that_the_provider_has_not_made_sure_of_lets_nobody_in(client, provider):
    for verified in (False, "true", None):
        provider.person |= {"email": "owner@mill.example", "email_verified": verified}
        assert (come(client, invited(client)), signed_in(client)) == ("/#unknown", None)


@pytest.mark.parametrize(
    "claims",
    [{"aud": "another"}, {"iss": "https://else.example"}, {"nonce": "another"}, {"nonce": None}, {"exp": 1}, {"sub": None}, {"azp": "another"}],
    ids=str,
)
def test_an_identity_that_is_not_for_here_and_now_lets_nobody_in(client, provider, claims):
    provider.person |= {"email": "analyst@mill.example"}
    provider.claims = claims
    assert (come(client), signed_in(client)) == ("/#away", None)


def test_an_identity_that_is_signed_by_others_lets_nobody_in(client, provider):
    provider.person |= {"email": "analyst@mill.example"}
    provider.forge()
    assert (come(client), signed_in(client)) == ("/#away", None)


def test_keys_may_change(client, provider):
    provider.person |= {"email": "analyst@mill.example"}
    assert come(client) == "/"
    client.cookies.clear()
    provider.turn_keys()
    assert (come(client), signed_in(client)) == ("/", "analyst@mill.example")


def test_what_this_browser_did_not_begin_or_did_not_finish_lets_nobody_in(client, provider):
    provider.person |= {"email": "analyst@mill.example"}
    address = sent_back(begun(client))
    assert back(client, address.replace("state=", "state=x")) == "/#stale"
    assert back(client, address) == "/#stale"  # whatever came back, it is used up
    address = sent_back(begun(client))
    held = client.cookies.get("uc_begun")
    client.cookies.clear()
    assert back(client, address) == "/#stale"  # another browser, to which the address was sent
    state = parse_qs(urlsplit(sent_back(begun(client))).query)["state"][0]
    assert back(client, f"/api/v1/openid/back?error=access_denied&state={state}") == "/#stopped"
    for kept in (held, "zz", "", "7b7d"):
        client.cookies.set("uc_begun", kept)
        for strange in (f"state={state}", "state=%00", f"state={'ü' * 300}", f"code={'x' * 5000}"):
            assert client.get(f"/api/v1/openid/back?{strange}", follow_redirects=False).status_code in (303, 422)
        client.cookies.clear()
    assert signed_in(client) is None
    address = sent_back(begun(client))
    held = client.cookies.get("uc_begun")
    assert back(client, address) == "/"
    client.cookies.clear()
    client.cookies.set("uc_begun", held)
    assert back(client, address) == "/#away"  # the provider takes its code once


def test_a_provider_that_is_away_or_another_is_told(client, provider):
    provider.says_it_is = "https://else.example"
    answer = client.post("/api/v1/openid/begun", json={})
    assert (answer.status_code, "Fennmoor ID does not answer" in answer.json()["detail"]) == (503, True)
    assert client.post("/api/v1/openid/begun", json={"invitation": "short"}).status_code == 422


def test_a_provider_that_goes_away_while_somebody_is_there_is_told(client, provider):
    address = sent_back(begun(client))
    provider.breaks_off = True
    assert (back(client, address), signed_in(client)) == ("/#away", None)


def test_without_one_nobody_signs_in_so(client, database):
    with TestClient(create_app(Settings(database_url=database)), raise_server_exceptions=False) as plain:
        assert plain.get("/api/v1/openid").json() == {"name": None}
        assert plain.post("/api/v1/openid/begun", json={}).status_code == 404
        assert plain.get("/api/v1/openid/back").status_code == 404
