"""People are invited, given roles and let go; everybody has their password, sessions and tokens in their own hands; what was changed is told."""

import csv
import io
import json
import re
from datetime import timedelta

import pytest

from tests.conftest import PASSWORD, a_hit, now, period, sign_in
from upper_compass.services import passwords
from upper_compass.services.history import MAX_FIELDS, MAX_TEXT, Difference, differences
from upper_compass.services.retention import purge_what_was_deleted
from upper_compass.store import tokens

MILL = "/api/v1/sites/mill"
TABLE = {"period": period(), "versus": "none", "dimensions": ["channel"], "columns": [{"id": "visits", "measure": "visits"}]}
FIREFOX = "Mozilla/5.0 (X11; Linux x86_64; rv:140.0) Gecko/20100101 Firefox/140.0"


def invited(client, role="viewer", note="Somebody", by="owner"):
    made = client.post(f"{MILL}/invitations", json={"role": role, "note": note}, headers=sign_in(client, by))
    assert made.status_code == 201, made.text
    client.cookies.clear()
    return made.json()


def joined(client, name, role="viewer"):
    """Somebody new, who came in by a link and is signed in; the headers for requests that change something."""
    body = {"secret": invited(client, role)["secret"], "email": f"{name}@mill.example", "name": name.title(), "password": PASSWORD}
    answer = client.post("/api/v1/invitations/joined", json=body)
    assert answer.status_code == 201, answer.text
    return {"X-CSRF-Token": answer.json()["csrf"]}


def members(client):
    return {one["name"]: one for one in client.get(f"{MILL}/members").json()}


def test_somebody_new_comes_in_by_a_link_that_works_once(client):
    made = invited(client, "analyst", "Ruth of the shop")
    told = client.post("/api/v1/invitations/looked-up", json={"secret": made["secret"]}).json()
    assert (told["site"], told["role"], told["by"]) == ("Mill", "analyst", "Owner")
    body = {"secret": made["secret"], "email": "Ruth@mill.example", "name": "Ruth", "password": "short"}
    short = client.post("/api/v1/invitations/joined", json=body)
    assert (short.status_code, short.json()["errors"][0]["field"]) == (422, "password")
    taken = client.post("/api/v1/invitations/joined", json=body | {"email": "owner@mill.example", "password": PASSWORD})
    assert (taken.status_code, "Sign in" in taken.json()["detail"]) == (409, True)
    assert client.post("/api/v1/invitations/joined", json=body | {"password": PASSWORD}).status_code == 201
    assert [one["role"] for one in client.get("/api/v1/sites").json()] == ["analyst"]
    for again in (body | {"email": "other@mill.example", "password": PASSWORD}, None):
        path, sent = ("joined", again) if again else ("looked-up", {"secret": made["secret"]})
        assert client.post(f"/api/v1/invitations/{path}", json=sent).status_code == 404
    sign_in(client, "owner")
    assert members(client)["Ruth"] | {"id": 0} == {"id": 0, "name": "Ruth", "email": "ruth@mill.example", "role": "analyst", "you": False}
    assert "Ruth of the shop" not in [one["note"] for one in client.get(f"{MILL}/invitations").json()]


def test_who_has_an_account_comes_in_with_it_and_keeps_what_they_may(client):
    secret = invited(client, "viewer")["secret"]
    headers = sign_in(client, "stranger")
    assert client.get(MILL).status_code == 404
    assert client.post("/api/v1/invitations/accepted", json={"secret": secret}, headers=headers).json() == {"key": "mill"}
    assert client.get(MILL).json()["role"] == "viewer"
    secret = invited(client, "viewer")["secret"]
    headers = sign_in(client, "analyst")
    assert client.post("/api/v1/invitations/accepted", json={"secret": secret}, headers=headers).status_code == 200
    assert client.get(MILL).json()["role"] == "analyst"
    assert client.post("/api/v1/invitations/accepted", json={"secret": secret}, headers=headers).status_code == 404
    assert client.delete(f"{MILL}/members/me", headers=sign_in(client, "stranger")).status_code == 204
    assert client.get(MILL).status_code == 404


def test_a_link_that_was_taken_back_or_has_ended_lets_nobody_in(client, engine):
    back, ended = invited(client), invited(client)
    headers = sign_in(client, "owner")
    assert client.delete(f"{MILL}/invitations/{back['id']}", headers=headers).status_code == 204
    assert client.delete(f"{MILL}/invitations/{back['id']}", headers=headers).status_code == 404
    with engine.begin() as connection:
        connection.exec_driver_sql("UPDATE invitations SET expires_at = now() - interval '1 minute' WHERE id = %(id)s", {"id": ended["id"]})
    assert ended["id"] not in [one["id"] for one in client.get(f"{MILL}/invitations").json()]
    for one in (back, ended):
        assert client.post("/api/v1/invitations/accepted", json={"secret": one["secret"]}, headers=headers).status_code == 404


def test_the_last_owner_can_neither_go_nor_become_less(client):
    headers = sign_in(client, "owner")
    me = next(one["id"] for one in members(client).values() if one["you"])
    for answer in (
        client.put(f"{MILL}/members/{me}", json={"role": "analyst"}, headers=headers),
        client.delete(f"{MILL}/members/{me}", headers=headers),
        client.delete(f"{MILL}/members/me", headers=headers),
    ):
        assert (answer.status_code, "needs an owner" in answer.json()["detail"]) == (409, True)
    joined(client, "second", "owner")
    headers = sign_in(client, "owner")
    other = members(client)["Second"]["id"]
    assert client.put(f"{MILL}/members/{other}", json={"role": "viewer"}, headers=headers).json()["role"] == "viewer"
    assert client.delete(f"{MILL}/members/{other}", headers=headers).status_code == 204
    assert client.delete(f"{MILL}/members/{other}", headers=headers).status_code == 404
    assert client.put(f"{MILL}/members/{other}", json={"role": "viewer"}, headers=headers).status_code == 404


@pytest.mark.parametrize(
    ("password", "fits"),
    [
        ("nine char", False), ("password123", False), ("Manchester", False), ("aaaaaaaaaaaa", False), ("sundaysunday", False),
        ("ida@mill.example", False), ("seven loaves on a sill", True), ("日本語のパスワードです", True),
    ],
)  # fmt: skip
def test_a_password_is_long_enough_and_not_everybodys(password, fits):
    assert (passwords.fault(password, "ida@mill.example", "Ida") is None) == fits


def test_another_password_ends_every_other_session(client):
    headers = joined(client, "pia")
    client.cookies.clear()
    signed = {"email": "pia@mill.example", "password": PASSWORD}
    headers = {"X-CSRF-Token": client.post("/api/v1/session", json=signed, headers={"User-Agent": FIREFOX}).json()["csrf"]}
    found = client.get("/api/v1/account/sessions").json()
    assert (found[0]["browser"], found[0]["own"]) == ("Firefox on Linux", True)
    assert len(found) == 2
    for body, field in (({"now": "not it at all", "then": "seven loaves on a sill"}, "now"), ({"now": PASSWORD, "then": "qwertyuiop"}, "then")):
        refused = client.put("/api/v1/account/password", json=body, headers=headers)
        assert (refused.status_code, refused.json()["errors"][0]["field"]) == (422, field)
    assert client.put("/api/v1/account/password", json={"now": PASSWORD, "then": "seven loaves on a sill"}, headers=headers).status_code == 204
    assert [one["own"] for one in client.get("/api/v1/account/sessions").json()] == [True]
    client.cookies.clear()
    assert client.post("/api/v1/session", json=signed).status_code == 401
    assert client.post("/api/v1/session", json=signed | {"password": "seven loaves on a sill"}).status_code == 200


def test_sessions_are_ended_one_by_one_or_all_but_ones_own(client):
    joined(client, "max")
    first = dict(client.cookies)
    for _ in range(2):
        client.cookies.clear()
        headers = {"X-CSRF-Token": client.post("/api/v1/session", json={"email": "max@mill.example", "password": PASSWORD}).json()["csrf"]}
    others = [one["id"] for one in client.get("/api/v1/account/sessions").json() if not one["own"]]
    assert client.delete(f"/api/v1/account/sessions/{others[0]}", headers=headers).status_code == 204
    assert client.delete(f"/api/v1/account/sessions/{others[0]}", headers=headers).status_code == 404
    assert client.delete("/api/v1/account/sessions", headers=headers).status_code == 204
    assert [one["own"] for one in client.get("/api/v1/account/sessions").json()] == [True]
    theirs = sign_in(client, "owner")
    assert client.delete(f"/api/v1/account/sessions/{others[1]}", headers=theirs).status_code == 404
    client.cookies.clear()
    client.cookies.update(first)
    assert client.get("/api/v1/session").status_code == 401


def test_a_name_is_changed_and_may_not_be_empty(client):
    headers = joined(client, "uma")
    assert client.put("/api/v1/account", json={"name": "  Uma Thorne "}, headers=headers).json()["name"] == "Uma Thorne"
    assert client.get("/api/v1/session").json()["name"] == "Uma Thorne"
    for wrong in ("", "   ", "a\x00b", "x" * 101):
        assert client.put("/api/v1/account", json={"name": wrong}, headers=headers).status_code == 422


def token(client, headers, **more):
    made = client.post("/api/v1/account/tokens", json={"name": "t", "scope": "read"} | more, headers=headers)
    assert made.status_code == 201, made.text
    return {"Authorization": f"Bearer {made.json()['secret']}"}


def test_a_token_does_what_its_scope_says_and_no_more(client):
    headers = sign_in(client, "owner")
    may = {scope: token(client, headers, scope=scope) for scope in ("read", "write", "import")}
    client.cookies.clear()
    calls = {
        "read": [("GET", "/api/v1/sites", None), ("GET", MILL, None), ("POST", f"{MILL}/reports/table", TABLE)],
        "write": [("PUT", f"{MILL}/goals/99", {"name": "x", "goal": {"match": {"kind": "order"}}}), ("POST", "/api/v1/sites", {})],
        "import": [("POST", f"{MILL}/import/hits", json.dumps(a_hit())), ("POST", f"{MILL}/import/preview", "x")],
        "person": [("GET", f"{MILL}/members", None), ("POST", f"{MILL}/invitations", {"role": "viewer"}), ("GET", "/api/v1/account/tokens", None)],
    }
    granted = {"read": {"read"}, "write": {"read", "write", "import"}, "import": {"import"}}
    for scope, bearer in may.items():
        for asked, them in calls.items():
            for method, path, body in them:
                sent = {"content": body} if isinstance(body, str) else {"json": body} if body is not None else {}
                answer = client.request(method, path, headers=bearer, **sent)
                assert (answer.status_code == 403) == (asked not in granted[scope]), (scope, method, path, answer.text)


def test_every_endpoint_says_which_tokens_may_call_it_and_keeps_others_out(client):
    headers = sign_in(client, "owner")
    may = {scope: token(client, headers, scope=scope) for scope in ("read", "write", "import")}
    client.cookies.clear()
    granted = {"read": {"read"}, "write": {"read", "write", "import"}, "import": {"import"}}
    refused = 0
    for path, methods in client.get("/api/v1/openapi.json").json()["paths"].items():
        for method, operation in methods.items():
            asked = operation.get("x-scope")
            assert (asked is None) == operation["x-role"].startswith("anyone"), (method, path)
            where = re.sub(r"\{\w+\}", "1", path.replace("{site}", "mill"))
            for scope, bearer in may.items():
                if asked is None or where.endswith("/stream"):
                    continue
                if asked not in granted[scope]:
                    assert client.request(method, where, headers=bearer).status_code == 403, (scope, method, path)
                    refused += 1
                elif method == "get":
                    assert client.get(where, headers=bearer).status_code != 403, (scope, path)
    assert refused > 100


def test_a_token_is_for_one_site_has_an_end_and_says_when_it_was_used(client, engine):
    headers = sign_in(client, "owner")
    own = client.post("/api/v1/sites", json={"name": "Second", "rules": {"hosts": ["second.example"]}}, headers=headers).json()["key"]
    bearer = token(client, headers, site="mill", scope="write", days=30, name="one site")
    everywhere = token(client, headers)
    refused = client.post("/api/v1/account/tokens", json={"name": "t", "scope": "read", "site": "other"}, headers=headers)
    assert (refused.status_code, refused.json()["errors"][0]["field"]) == (422, "site")
    for wrong in ({"days": 0}, {"days": 10**9}, {"scope": "all"}, {"name": ""}):
        assert client.post("/api/v1/account/tokens", json={"name": "t", "scope": "read"} | wrong, headers=headers).status_code == 422
    client.cookies.clear()
    assert client.get(f"/api/v1/sites/{own}", headers=everywhere).status_code == 200
    assert client.get(f"/api/v1/sites/{own}", headers=bearer).status_code == 404
    assert [one["key"] for one in client.get("/api/v1/sites", headers=bearer).json()] == ["mill"]
    assert client.post("/api/v1/sites", json={"name": "Third", "rules": {"hosts": ["third.example"]}}, headers=bearer).status_code == 403
    headers = sign_in(client, "owner")
    told = next(one for one in client.get("/api/v1/account/tokens").json() if one["name"] == "one site")
    assert (told["site"], told["scope"], told["used"] is None, told["until"] is None) == ("mill", "write", False, False)
    with engine.begin() as connection:
        connection.exec_driver_sql("UPDATE api_tokens SET expires_at = now() - interval '1 minute' WHERE id = %(id)s", {"id": told["id"]})
    assert client.get(MILL, headers=bearer).status_code == 401
    assert client.delete(f"/api/v1/account/tokens/{told['id']}", headers=headers).status_code == 204
    assert client.delete(f"/api/v1/account/tokens/{told['id']}", headers=headers).status_code == 404
    assert "one site" not in [one["name"] for one in client.get("/api/v1/account/tokens").json()]


def test_nobody_has_more_tokens_than_they_oversee(client, engine):
    headers = joined(client, "tom")
    with engine.begin() as connection:
        number = connection.exec_driver_sql("SELECT id FROM users WHERE email = 'tom@mill.example'").scalar_one()
        for _ in range(tokens.MAX_TOKENS):
            tokens.add_token(connection, number, "many")
    assert client.post("/api/v1/account/tokens", json={"name": "t", "scope": "read"}, headers=headers).status_code == 409


def test_what_was_changed_is_told_looked_for_and_taken_away_as_a_file(client):
    headers = sign_in(client, "owner")
    goal = client.post(f"{MILL}/goals", json={"name": "=Guides", "goal": {"match": {"kind": "order"}}}, headers=headers).json()
    client.put(f"{MILL}/goals/{goal['id']}", json={"name": "=Guides", "goal": {"match": {"kind": "order"}, "counts": "every time"}}, headers=headers)
    newest = client.get(f"{MILL}/changes").json()["changes"][0]
    assert (newest["by"], newest["thing"], newest["name"]) == ("Owner", "goal", "=Guides")
    assert newest["fields"] == [{"field": "definition.counts", "before": "once a visit", "after": "every time"}]
    assert newest["definition"]["kind"] == "goal"
    assert [newest["definition"][state]["counts"] for state in ("before", "after")] == ["once a visit", "every time"]
    found = client.get(f"{MILL}/changes", params={"text": "EVERY time"}).json()
    assert found["changes"][0] == newest
    assert {"Bookings", "=Guides"} >= {one["name"] for one in found["changes"]}
    assert not found["more"]
    for odd in ("100%", "_", "\\", "'; --"):
        assert client.get(f"{MILL}/changes", params={"text": odd}).status_code == 200
    assert client.get(f"{MILL}/changes", params={"before": newest["id"]}).json()["changes"][0]["id"] < newest["id"]
    file = client.get(f"{MILL}/changes/file", params={"format": "csv", "text": "every time"})
    row = next(csv.DictReader(io.StringIO(file.text.lstrip("\ufeff"))))
    assert (row["name"], row["field"], row["before"], row["after"]) == ("'=Guides", "definition.counts", "once a visit", "every time")
    for name in ("analyst", "viewer"):
        sign_in(client, name)
        assert client.get(f"{MILL}/changes").status_code == 403


def test_what_a_change_defined_is_told_whole_as_far_as_it_can_be_read(client, engine):
    headers = sign_in(client, "owner")
    steps = [{"kind": "view"}, {"kind": "order"}]
    funnel = client.post(f"{MILL}/funnels", json={"name": "Buying", "funnel": {"steps": steps}}, headers=headers).json()
    segment = {"of": "people", "where": {"conditions": [{"kind": "did", "match": {"kind": "order"}}]}}

    client.post(f"{MILL}/segments", json={"name": "Buyers", "segment": segment}, headers=headers)
    client.put(f"{MILL}/funnels/{funnel['id']}", json={"name": "Bought", "funnel": {"steps": steps}}, headers=headers)
    pages = {"kind": "dimension", "dimension": "page", "test": "one of", "values": [f"/{number:0199}" for number in range(50)]}
    made = client.post(f"{MILL}/segments", json={"name": "Long", "segment": {"where": {"conditions": [pages]}}}, headers=headers)
    assert made.status_code == 201, made.text

    def newest():
        return [one["definition"] for one in client.get(f"{MILL}/changes").json()["changes"][:4]]

    long, renamed, made, begun = newest()
    assert (long, renamed) == (None, None)
    assert (made["kind"], made["before"], made["after"]["of"]) == ("segment", None, "people")
    assert (begun["kind"], begun["before"], [one["kind"] for one in begun["after"]["steps"]]) == ("funnel", None, ["view", "order"])
    with engine.begin() as connection:
        connection.exec_driver_sql("UPDATE changes SET after = jsonb_set(after, '{definition}', %(odd)s) WHERE thing = 'segment'", {"odd": '{"of": "cats"}'})
        connection.exec_driver_sql("UPDATE changes SET after = %(odd)s WHERE thing = 'funnel'", {"odd": '{"definition": [1]}'})
    assert newest() == [None] * 4


def test_people_and_links_are_among_the_changes(client):
    joined(client, "vera", "analyst")
    headers = sign_in(client, "owner")
    vera = members(client)["Vera"]["id"]
    client.put(f"{MILL}/members/{vera}", json={"role": "viewer"}, headers=headers)
    client.delete(f"{MILL}/members/{vera}", headers=headers)
    told = [
        (one["by"], one["thing"], [(two["field"], two["before"], two["after"]) for two in one["fields"]])
        for one in client.get(f"{MILL}/changes").json()["changes"][:4]
    ]
    assert told[0][:2] == ("Owner", "person")
    assert ("role", "viewer", None) in told[0][2]
    assert told[1] == ("Owner", "person", [("role", "analyst", "viewer")])
    assert told[2][:2] == ("Vera", "person")
    assert told[3][:2] == ("Owner", "invitation")


@pytest.mark.parametrize(
    ("before", "after", "told"),
    [
        (None, {"a": 1, "b": ""}, [("a", None, "1")]),
        ({"a": {"b": [1, 2]}}, {"a": {"b": [2, 3]}}, [("a.b", "1", None), ("a.b", None, "3")]),
        ({"a": [1, 2]}, {"a": [2, 1]}, [("a", "1; 2", "2; 1")]),
        ({"a": True}, None, [("a", "yes", None)]),
        ({"a": {}}, {"a": 3}, [("a", None, "3")]),
        ({"a": []}, {"a": [{"kind": "view", "page": {"test": "is", "value": "/x"}, "props": [], "own_visits": False}]}, [
            ("a", None, "kind view, page test is, value /x, own visits no"),
        ]),
        ({}, {}, []),
    ],
)  # fmt: skip
def test_a_change_is_told_field_by_field(before, after, told):
    assert differences(before, after) == [Difference(*one) for one in told]


def test_a_change_of_very_much_is_told_in_short():
    found = differences({}, {str(i): "x" * 10_000 for i in range(5_000)})
    assert len(found) == MAX_FIELDS
    assert all(len(one.after) == MAX_TEXT + 1 for one in found)


def test_a_site_is_deleted_by_its_name_brought_back_and_after_a_month_gone_for_good(client, engine):
    headers = sign_in(client, "owner")
    key = client.post("/api/v1/sites", json={"name": "Short-lived", "rules": {"hosts": ["short.example"]}}, headers=headers).json()["key"]
    site = f"/api/v1/sites/{key}"
    for n in range(3):
        assert client.post(f"{site}/import/hits", content=json.dumps(a_hit(url=f"https://short.example/{n}")), headers=headers).status_code == 200
    wrong = client.post(f"{site}/deleted", json={"name": "short-lived"}, headers=headers)
    assert (wrong.status_code, wrong.json()["errors"][0]["field"]) == (422, "name")
    told = client.post(f"{site}/deleted", json={"name": " Short-lived "}, headers=headers).json()
    assert client.get(site).status_code == 404
    assert client.post(f"/collect?site={key}", json=[a_hit(url="https://short.example/late")]).status_code == 404
    assert [one["key"] for one in client.get("/api/v1/deleted-sites").json()] == [key]
    theirs = sign_in(client, "stranger")
    assert client.get("/api/v1/deleted-sites").json() == []
    assert client.post(f"/api/v1/deleted-sites/{key}/restored", headers=theirs).status_code == 404
    headers = sign_in(client, "owner")
    assert client.post(f"/api/v1/deleted-sites/{key}/restored", headers=headers).json() == {"key": key}
    assert client.post(f"/api/v1/deleted-sites/{key}/restored", headers=headers).status_code == 404
    assert client.get(site).json()["name"] == "Short-lived"
    assert [one["fields"][0]["after"] for one in client.get(f"{site}/changes").json()["changes"][:2]] == ["no", "yes"]
    client.post(f"{site}/deleted", json={"name": told["name"]}, headers=headers)
    with engine.connect() as connection:
        number, count = connection.exec_driver_sql(
            "SELECT s.id, count(*) FROM sites s JOIN hits h ON h.site_id = s.id WHERE s.key = %(k)s GROUP BY s.id", {"k": key}
        ).one()
    reader = client.app.state.services.reader
    assert (count, purge_what_was_deleted(engine, reader, now() + timedelta(days=29))) == (3, 0)
    assert purge_what_was_deleted(engine, reader, now() + timedelta(days=31)) == 3
    with engine.connect() as connection:
        for table, column in (("hits", "site_id"), ("hit_ids", "site_id"), ("sites", "id"), ("changes", "site_id")):
            assert connection.exec_driver_sql(f"SELECT count(*) FROM {table} WHERE {column} = {number}").scalar_one() == 0
    assert client.get("/api/v1/deleted-sites").json() == []
    assert purge_what_was_deleted(engine, reader, now() + timedelta(days=31)) == 0
