"""The API: signing in, who may do what, sites, goals, reports, imports."""

import gzip
import json
import os
import re
from pathlib import Path
from unittest.mock import patch

import pytest
from starlette.testclient import TestClient

from tests.conftest import PASSWORD, a_hit, columns, period, sign_in, stored, values
from upper_compass.api import reports
from upper_compass.api.app import create_app
from upper_compass.frames import queries
from upper_compass.settings import Settings
from upper_compass.store import accounts, tokens
from upper_compass.store.record import newest

TABLE = {"period": period(), "columns": columns("visits")}
SITE = {"name": "New", "rules": {"hosts": ["new.example"]}}
GOAL = {"name": "Orders", "goal": {"match": {"kind": "order"}, "value": {"kind": "order"}}}


def test_signing_in_and_out(client):
    headers = sign_in(client, "viewer")
    cookie = next(iter(client.cookies.jar))
    assert (cookie.name, cookie.has_nonstandard_attr("HttpOnly")) == ("uc_session", True)
    assert client.get("/api/v1/session").json()["email"] == "viewer@mill.example"
    assert client.delete("/api/v1/session").status_code == 403
    assert client.delete("/api/v1/session", headers=headers).status_code == 204
    client.cookies.set("uc_session", cookie.value)
    assert client.get("/api/v1/session").status_code == 401


def test_a_wrong_password_is_refused_and_many_of_them_have_to_wait(client):
    client.cookies.clear()
    wrong = {"email": "nobody@mill.example", "password": "guess"}
    statuses = [client.post("/api/v1/session", json=wrong).status_code for _ in range(11)]
    assert statuses == [401] * 10 + [429]


def test_secrets_are_kept_as_hashes_only(client, engine):
    sign_in(client, "owner")
    with engine.begin() as connection:
        token = tokens.add_token(connection, 1, "t")
        kept = connection.exec_driver_sql("SELECT password_hash FROM users").scalars().all()
        hashes = connection.exec_driver_sql("SELECT token_hash FROM api_tokens UNION SELECT token_hash FROM sessions").scalars().all()
    assert all(text.startswith("$argon2id$") for text in kept)
    assert token.encode() not in hashes
    assert client.cookies["uc_session"].encode() not in hashes


def test_a_bearer_token_needs_no_token_against_forged_requests(client, engine):
    client.cookies.clear()
    with engine.begin() as connection:
        owner = accounts.user_by_email(connection, "owner@mill.example")
        token = tokens.add_token(connection, owner.id, "t")
    headers = {"Authorization": f"Bearer {token}"}
    assert client.post("/api/v1/sites/mill/reports/table", json=TABLE, headers=headers).status_code == 200
    assert client.post("/api/v1/sites/mill/reports/table", json=TABLE, headers={"Authorization": "Bearer no"}).status_code == 401


def _calls(client):
    """Every endpoint of the document: (role, method, path, body)."""
    bodies = {"SiteIn": SITE, "GoalIn": GOAL, "TableRequest": TABLE, "SeriesRequest": TABLE, "AnswerRequest": {"period": period(), "goal": 1}}
    document = client.get("/api/v1/openapi.json").json()
    for path, methods in document["paths"].items():
        for method, operation in methods.items():
            schema = operation.get("requestBody", {}).get("content", {}).get("application/json", {}).get("schema", {})
            name = schema.get("$ref", "").rpartition("/")[2]
            yield operation["x-role"], method.upper(), path, bodies.get(name)


def test_every_endpoint_says_who_may_call_it_and_keeps_others_out(client):
    calls = [call for call in _calls(client) if "{site}" in call[2]]
    assert len(calls) > 10
    ranks = {"viewer": 0, "analyst": 1, "owner": 2}
    for role, method, path, body in calls:
        where = path.replace("{site}", "mill").replace("{goal}", "1").replace("{link}", "1")
        client.cookies.clear()
        assert client.request(method, where, json=body).status_code == 401, where
        headers = sign_in(client, "stranger")
        assert client.request(method, where, json=body, headers=headers).status_code == 404, where
        for other in [name for name, rank in ranks.items() if rank < ranks[role]]:
            headers = sign_in(client, other)
            assert client.request(method, where, json=body, headers=headers).status_code == 403, (where, other)
        if method != "GET":
            sign_in(client, "owner")
            assert client.request(method, where, json=body).status_code == 403, where


def test_the_lists_of_one_user_hold_nothing_of_another(client):
    sign_in(client, "stranger")
    assert [site["key"] for site in client.get("/api/v1/sites").json()] == ["other"]
    assert client.get("/api/v1/sites/other/goals").json() == []


def test_a_site_is_added_and_changed_with_clear_errors(client, engine):
    headers = sign_in(client, "analyst")
    made = client.post("/api/v1/sites", json=SITE, headers=headers)
    assert made.status_code == 201
    key = made.json()["key"]
    wrong = SITE | {"rules": {"hosts": [], "timezone": "Nowhere"}}
    fields = [error["field"] for error in client.post("/api/v1/sites", json=wrong, headers=headers).json()["errors"]]
    assert fields == ["rules.hosts", "rules.timezone"]
    broken = SITE | {"rules": {"hosts": ["x.example"], "page_groups": [{"name": "x", "test": "regular expression", "pattern": "("}]}}
    assert "cannot be read from character 1" in client.post("/api/v1/sites", json=broken, headers=headers).json()["detail"]
    changed = client.put(f"/api/v1/sites/{key}", json=SITE | {"name": "Newer"}, headers=headers)
    assert changed.json()["name"] == "Newer"
    with engine.connect() as connection:
        history = connection.exec_driver_sql("SELECT before->>'name', after->>'name' FROM changes WHERE thing = 'site' ORDER BY id DESC LIMIT 1").one()
    assert tuple(history) == ("New", "Newer")


def test_a_goal_is_made_changed_put_away_and_brought_back(client):
    headers = sign_in(client, "analyst")
    made = client.post("/api/v1/sites/mill/goals", json=GOAL, headers=headers).json()
    where = f"/api/v1/sites/mill/goals/{made['id']}"
    assert client.put(where, json=GOAL | {"name": "Purchases"}, headers=headers).json()["name"] == "Purchases"
    assert client.delete(where, headers=headers).status_code == 204
    assert made["id"] not in [goal["id"] for goal in client.get("/api/v1/sites/mill/goals").json()]
    assert client.post("/api/v1/sites/mill/reports/table", json=TABLE | {"goal": made["id"]}, headers=headers).status_code == 422
    archived = where.rpartition("/")[0] + "/archived"
    assert [one["name"] for one in client.get(archived, headers=headers).json()] == ["Purchases"]
    assert client.post(f"{where}/restore", headers=headers).json()["name"] == "Purchases"
    assert client.get(archived, headers=headers).json() == []
    assert client.post(f"{where}/restore", headers=headers).status_code == 404


def test_a_hit_is_in_the_reports_as_soon_as_it_was_answered(client):
    headers = sign_in(client, "viewer")
    hits = [a_hit(visitor="fresh"), a_hit(visitor="fresh", kind="event", name="book", value=30)]
    assert client.post("/collect?site=mill", content=json.dumps(hits)).status_code == 204
    goal = client.get("/api/v1/sites/mill/goals").json()[0]["id"]
    asked = TABLE | {
        "goal": goal,
        "dimensions": ["source"],
        "columns": columns("visits", "conversions", "value"),
        "segment": {"where": {"conditions": [{"kind": "did", "match": {"kind": "event", "names": ["book"]}}]}},
    }
    found = client.post("/api/v1/sites/mill/reports/table", json=asked, headers=headers).json()
    assert (found["rows"], values(found)) == ([["card"]], {"visits": 1, "conversions": 1, "value": 30})
    course = client.post(
        "/api/v1/sites/mill/reports/series", json={"period": period(), "columns": columns("conversions"), "goal": goal}, headers=headers
    ).json()
    assert course["columns"][0]["values"] == [1]
    said = client.post("/api/v1/sites/mill/reports/answer", json={"period": period(), "goal": goal}, headers=headers).json()
    assert "".join(phrase["text"] for phrase in said["phrases"]) == "Bookings: 1 on this day, too few to say what drives them."


SERIES = {"period": period(), "columns": columns("visits"), "bucket": "hour"}
EXPECTED = {"period": SERIES["period"], "measure": "visits"}
TOGETHER = [
    {"report": "table", "request": TABLE}, {"report": "series", "request": SERIES}, {"report": "table", "request": TABLE | {"dimensions": ["device"]}},
    {"report": "expected", "request": EXPECTED},
]  # fmt: skip


def ask_together(client, asked, **changes):
    return client.post("/api/v1/sites/mill/reports/together", json={"asked": asked} | changes, headers=sign_in(client, "viewer"))


def test_what_is_asked_for_together_is_what_is_asked_for_alone(client):
    headers = sign_in(client, "viewer")
    goal = client.get("/api/v1/sites/mill/goals", headers=headers).json()[0]["id"]
    asked = [*TOGETHER, {"report": "answer", "request": {"period": TABLE["period"], "goal": goal}}]
    alone = [client.post(f"/api/v1/sites/mill/reports/{one['report']}", json=one["request"], headers=headers).json() for one in asked]
    assert alone[-1]["phrases"][0]["text"]
    with patch.object(reports, "TOGETHER_SECONDS", 60):
        assert ask_together(client, asked).json()["answers"] == alone


def test_what_there_is_no_time_for_is_left_to_be_asked_for_alone(client):
    with patch.object(reports, "TOGETHER_SECONDS", 0):
        [only] = ask_together(client, TOGETHER).json()["answers"]
    assert only["columns"] == client.post("/api/v1/sites/mill/reports/table", json=TABLE, headers=sign_in(client, "viewer")).json()["columns"]


@pytest.mark.parametrize(
    ("asked", "field"),
    [
        ([], "asked"),
        (TOGETHER[:1] * 17, "asked"),
        ([{"report": "paths", "request": TABLE}], "asked.0"),
        ([*TOGETHER, {"report": "table", "request": TABLE | {"limit": 0}}], "asked.4.table.request.limit"),
        ([*TOGETHER, {"report": "answer", "request": {"period": TABLE["period"]}}], "asked.4.answer.request.goal"),
        ([*TOGETHER, {"report": "expected", "request": EXPECTED | {"measure": "nothing"}}], "columns"),
        ([*TOGETHER, {"report": "table", "request": TABLE | {"dimensions": ["nothing"]}}], "dimensions"),
        ([*TOGETHER, {"report": "table", "request": TABLE | {"goal": 999_999}}], "columns"),
    ],
)
def test_one_that_cannot_be_answered_is_a_problem_of_all(client, asked, field):
    answer = ask_together(client, asked)
    assert (answer.status_code, [one["field"] for one in answer.json()["errors"]]) == (422, [field])


def test_orders_count_by_the_products_they_hold(client):
    headers = sign_in(client, "viewer")
    lines = [{"sku": "rye", "quantity": 2, "price": 4}, {"name": "Oven", "price": 90}]
    orders = [a_hit(visitor="buyer", kind="order", value=100 + number, order={"items": lines[number:]}) for number in (0, 1)]
    assert client.post("/collect?site=mill", content=json.dumps([a_hit(visitor="buyer"), *orders])).status_code == 204
    asked = [{"id": f"{product} {measure}", "measure": measure, "product": product} for product in ("rye", "Oven") for measure in ("conversions", "value")]
    answer = client.post("/api/v1/sites/mill/reports/table", json=TABLE | {"columns": asked}, headers=headers).json()
    assert [one["values"][0] for one in answer["total"]] == [1, 8, 2, 180]


@pytest.mark.parametrize(
    ("changes", "field"),
    [
        ({"columns": columns("visitz")}, "columns"),
        ({"columns": [{"id": "x", "measure": "conversions", "product": "rye", "goal": 1}]}, "columns"),
        ({"columns": [{"id": "x", "measure": "visits", "model": "on the spot"}]}, "columns"),
        ({"columns": []}, "columns"),
        ({"dimensions": ["x"]}, "dimensions"),
        ({"period": {"first": "2026-02-30", "last": "2026-03-01"}}, "period"),
        ({"period": {"first": "2026-03-02", "last": "2026-03-01"}}, "period"),
        ({"goal": 999}, "goal"),
        ({"segment": {"where": {"conditions": [{"kind": "dimension", "dimension": "x", "test": "is", "values": ["y"]}]}}}, "segment"),
        ({"limit": 0}, "limit"),
    ],
)
def test_what_is_wrong_with_a_question_is_named(client, changes, field):
    headers = sign_in(client, "viewer")
    answer = client.post("/api/v1/sites/mill/reports/table", json=TABLE | changes, headers=headers)
    assert answer.status_code == 422
    assert answer.json()["errors"][0]["field"].split(".")[0] == field


def test_the_registry_explains_every_measure_and_dimension(client):
    sign_in(client, "viewer")
    found = client.get("/api/v1/sites/mill/registry").json()
    assert all(measure["meaning"] and measure["formula"] and measure["unit"] for measure in found["measures"])
    assert {"channel", "page"} <= {dimension["name"] for dimension in found["dimensions"]}
    assert [measure["name"] for measure in found["measures"] if measure["hidden"]] == ["spend"]  # of which there is no record yet


@pytest.mark.parametrize("packed", [False, True])
def test_a_file_is_imported_once_with_its_bad_lines_told_by_number(client, engine, packed):
    headers = sign_in(client, "owner")
    at = "2025-03-01T10:00:00.000Z"
    lines = [json.dumps(a_hit(at=at, country="FR")), "", "{not json", json.dumps(a_hit(at=at, kind="glance")), json.dumps(a_hit(at=at)), "x" * 300_000]
    body = "\n".join(lines).encode()
    body = gzip.compress(body) if packed else body
    before = stored(engine)
    first = client.post("/api/v1/sites/mill/import/hits", content=body, headers=headers).json()
    assert (first["lines"], first["stored"], first["bad"]) == (6, 2, 3)
    assert [(line["line"], line["field"]) for line in first["refused"]] == [(3, ""), (4, "kind"), (6, "")]
    again = client.post("/api/v1/sites/mill/import/hits", content=body, headers=headers).json()
    assert (again["stored"], again["already_there"]) == (0, 2)
    assert stored(engine) == before + 2


def test_a_file_that_breaks_off_keeps_what_was_read_and_says_so(client):
    headers = sign_in(client, "owner")
    lines = [json.dumps(a_hit(title=str(i))) for i in range(3000)]
    body = gzip.compress("\n".join(lines).encode())
    found = client.post("/api/v1/sites/mill/import/hits", content=body[: len(body) // 2], headers=headers).json()
    assert 0 < found["stored"] < 3000
    assert re.match(r"The file breaks off after line \d+", found["broken_off"])


@pytest.mark.skipif(os.environ.get("COMPASS_RUNNER") == "ray", reason="parts have snapshots of their own: tests/scale")
def test_a_restart_reads_the_snapshot_and_what_came_since(client, database):
    from upper_compass.services.application import Services

    services = client.app.state.services
    sign_in(client, "viewer")
    client.get("/api/v1/sites/mill")
    with services.engine.connect() as connection:
        from upper_compass.store import sites

        mill = sites.site_by_key(connection, "mill")
    assert client.post("/collect?site=mill", content=json.dumps(a_hit(visitor="before"))).status_code == 204
    number, count = services.reader.read(mill, _read)
    services.reader.close()
    [written] = Path(services.settings.storage).glob(f"shards/*/{mill.id}")
    about = json.loads((written / "about.json").read_text())
    assert (about["seq"], about["shards"], len(list(written.glob("*/hits-*.arrow")))) == (number, 8, 8)  # however few hits there are
    again = Services.of(services.settings)
    assert client.post("/collect?site=mill", content=json.dumps(a_hit(visitor="later"))).status_code == 204
    assert again.reader.read(mill, _read)[1] == count + 1
    with services.engine.connect() as connection:
        assert again.reader.read(mill, _read)[0] == newest(connection.connection.driver_connection, mill.id)[0]
    again.reader.close()
    again.engine.dispose()


def _read(reading):
    """(number of the newest hit, how many hits there are)."""
    return queries.newest(reading), sum(len(shard.hits) for shard in reading.shards.valid)


def test_the_tables_are_those_of_the_migrations(engine):
    from alembic.autogenerate import compare_metadata
    from alembic.migration import MigrationContext

    from upper_compass.store.tables import metadata

    with engine.connect() as connection:
        own = {"include_name": lambda name, kind, _: kind != "table" or not re.fullmatch(r"hits_(\d{4}_\d\d|older)", name)}
        assert compare_metadata(MigrationContext.configure(connection, opts=own), metadata) == []


def test_an_address_with_nul_is_refused_with_a_sentence(client):
    headers = sign_in(client, "analyst")
    for path in ("/api/v1/sites/mill/findings/accepted?key=a%00b", "/api/v1/sites/a%00b", "/collect?site=a%00b"):
        answer = client.delete(path, headers=headers)
        assert (answer.status_code, answer.headers["content-type"]) == (422, "application/problem+json")


def test_unknown_addresses_are_problem_documents(client):
    answer = client.get("/api/v1/nothing")
    assert (answer.status_code, answer.headers["content-type"]) == (404, "application/problem+json")
    assert PASSWORD not in answer.text


def test_files_of_the_screens_come_compressed_to_whoever_can_read_that(database, tmp_path):
    text = "export const answer = 42;\n" * 500
    (tmp_path / "assets").mkdir()
    (tmp_path / "assets" / "a-1.js").write_text(text)
    (tmp_path / "index.html").write_text("<html><head><script>its own</script></head><body><script>not its own</script></body></html>")
    with TestClient(create_app(Settings(database_url=database, web=tmp_path))) as screens:
        for accepted, sent_as in (("gzip", "gzip"), ("identity", None)):
            answer = screens.get("/assets/a-1.js", headers={"Accept-Encoding": accepted})
            assert (answer.text, answer.headers.get("content-encoding")) == (text, sent_as)
            assert answer.headers["content-type"].startswith("text/javascript")
            assert "immutable" in answer.headers["cache-control"]
        assert screens.head("/assets/a-1.js").text == ""
        assert screens.get("/assets/a-1.js", headers={"Range": "bytes=0-5"}).text == "export"
        assert screens.get("/assets/none.js").status_code == 404
        page = screens.get("/read/overview")
        [given] = re.findall(r"script-src 'self' 'nonce-([^']+)'", page.headers["content-security-policy"])
        # Its first script runs; another that found its way into the page does not.
        assert f'<script nonce="{given}">its own' in page.text and "<script>not its own" in page.text
        assert f'<script nonce="{given}">' not in screens.get("/read/overview").text
