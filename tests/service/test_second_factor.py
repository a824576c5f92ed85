"""A second factor: codes by time, each once; recovery codes, each once; and nobody is asked who has none."""

from datetime import timedelta

import pyotp
import pytest

from tests.conftest import PASSWORD, now, sign_in
from upper_compass.services import codes

AT = "/api/v1/account/second-factor"


def code(secret, steps=0):
    """What the device shows now, or so many half minutes later."""
    return pyotp.TOTP(secret).at(now() + timedelta(seconds=30 * steps))


def enter(client, given=None, password=PASSWORD):
    client.cookies.clear()
    return client.post("/api/v1/session", json={"email": "analyst@mill.example", "password": password} | ({"code": given} if given is not None else {}))


@pytest.fixture
def device(client):
    """The secret of a second factor that the analyst has, and the recovery codes."""
    headers = sign_in(client, "analyst")
    secret = client.post(AT, json={"password": PASSWORD}, headers=headers).json()["secret"]
    made = client.put(AT, json={"code": code(secret, -1)}, headers=headers)
    assert made.status_code == 200, made.text
    yield secret, made.json()["codes"]
    with client.app.state.services.engine.begin() as connection:
        connection.exec_driver_sql("DELETE FROM second_factors; DELETE FROM recovery_codes")
    client.app.state.services.throttle.__init__()


def test_it_is_begun_with_the_password_and_asked_for_once_a_code_was_given(client):
    headers = sign_in(client, "analyst")
    assert client.post(AT, json={"password": "another one"}, headers=headers).json()["errors"][0]["field"] == "password"
    answer = client.post(AT, json={"password": PASSWORD}, headers=headers)
    assert answer.status_code == 201, answer.text
    begun = answer.json()
    assert begun["svg"].startswith("<svg") and len(begun["secret"]) == 32
    assert enter(client).status_code == 200  # not confirmed yet
    headers = sign_in(client, "analyst")
    for wrong in ("000000" if code(begun["secret"]) != "000000" else "000001", "", "12", "ü" * 6, code(begun["secret"], 3)):
        assert client.put(AT, json={"code": wrong}, headers=headers).status_code == 422
    assert client.get(AT).json()["since"] is None
    shown = client.put(AT, json={"code": f" {code(begun['secret'], -1)[:3]} {code(begun['secret'], -1)[3:]}"}, headers=headers).json()["codes"]
    assert len(set(shown)) == codes.CODES
    assert client.get(AT).json()["codes_left"] == codes.CODES
    for method, body in (("post", {"password": PASSWORD}), ("put", {"code": code(begun["secret"])})):
        assert getattr(client, method)(AT, json=body, headers=headers).status_code == 409
    ended = {"password": PASSWORD, "code": code(begun["secret"])}
    assert client.post(f"{AT}/ended", json=ended | {"code": "nothing"}, headers=headers).status_code == 422
    assert client.post(f"{AT}/ended", json=ended, headers=headers).status_code == 204
    assert client.get(AT).json() == {"since": None, "codes_left": 0}
    assert enter(client).status_code == 200
    told = [one["thing"] for one in client.get("/api/v1/account/changes").json()]
    assert told[:2] == ["second factor", "second factor"]


def test_who_has_one_comes_in_with_a_code_that_works_once(client, device):
    secret, _ = device
    asked = enter(client)
    assert (asked.status_code, asked.json()["errors"][0]["field"]) == (401, "code")
    assert "errors" not in enter(client, password="another one").json() or not enter(client, password="another one").json()["errors"]
    right = code(secret)
    assert enter(client, right).status_code == 200
    again = enter(client, right)
    assert (again.status_code, "once" in again.json()["detail"]) == (401, True)
    assert enter(client, code(secret, -1)).status_code == 401  # older than one that was used
    assert enter(client, code(secret, 5)).status_code == 401


def test_recovery_codes_work_once_each_and_can_be_made_anew(client, device):
    _, shown = device
    assert enter(client, shown[0].upper().replace("-", " ")).status_code == 200
    assert client.get(AT).json()["codes_left"] == codes.CODES - 1
    assert enter(client, shown[0]).status_code == 401
    assert enter(client, shown[1]).status_code == 200
    headers = {"X-CSRF-Token": client.get("/api/v1/session").json()["csrf"]}
    assert client.post(f"{AT}/codes", json={"password": "x"}, headers=headers).status_code == 422
    fresh = client.post(f"{AT}/codes", json={"password": PASSWORD}, headers=headers).json()["codes"]
    assert enter(client, shown[2]).status_code == 401
    assert enter(client, fresh[0]).status_code == 200


def test_codes_are_not_guessed_even_by_who_knows_the_password(client, device):
    secret, _ = device
    tries = [enter(client, f"{number:06}").status_code for number in range(12)]
    assert tries.count(401) == 10 and tries[-1] == 429
    assert enter(client, code(secret)).status_code == 429


def test_without_one_there_is_nothing_to_end_or_to_make_anew(client):
    headers = sign_in(client, "viewer")
    assert client.put(AT, json={"code": "123456"}, headers=headers).status_code == 404
    assert client.post(f"{AT}/codes", json={"password": PASSWORD}, headers=headers).status_code == 404
    assert client.post(f"{AT}/ended", json={"password": PASSWORD, "code": "123456"}, headers=headers).status_code == 422
