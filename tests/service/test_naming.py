"""Over HTTP: what is said of events, what goals would count, site fields."""

import uuid

import pytest

from tests.conftest import a_hit, columns, period, sign_in, values

EVENTS = "/api/v1/sites/mill/events"
PERIOD = {"period": period()}


@pytest.fixture(scope="module")
def collected(client):
    more = [
        a_hit(fields={"author": "Orla"}),
        a_hit(kind="event", name="book", value=4, props={"bread": "rye"}, id=str(uuid.uuid4())),
        a_hit(kind="event", name="old book", value=6, id=str(uuid.uuid4())),
    ]
    assert client.post("/collect?site=mill", json=more).status_code == 204


def names(client):
    answer = client.post(EVENTS, json=PERIOD, headers=sign_in(client, "viewer"))
    assert answer.status_code == 200, answer.text
    return {one["name"]: (one["times"], one["value"], one["description"], one["hidden"]) for one in answer.json()}


@pytest.mark.usefixtures("collected")
def test_an_event_is_described_renamed_and_taken_back(client):
    assert names(client) == {"book": (1, 4, "", False), "old book": (1, 6, "", False)}
    headers = sign_in(client, "analyst")
    note = {"name": "old book", "shown_as": "book", "description": "From the old page"}
    assert client.put(EVENTS, json=note, headers=headers).status_code == 200
    assert names(client) == {"book": (2, 10, "From the old page", False)}
    headers = sign_in(client, "analyst")
    assert client.put(EVENTS, json={"name": "old book"}, headers=headers).status_code == 200
    assert set(names(client)) == {"book", "old book"}
    assert client.get("/api/v1/sites/mill").json()["rules"]["events"] == []


def test_a_viewer_may_not_say_anything_of_events(client):
    headers = sign_in(client, "viewer")
    assert client.put(EVENTS, json={"name": "book", "hidden": True}, headers=headers).status_code == 403


@pytest.mark.usefixtures("collected")
def test_a_goal_is_previewed_without_being_kept(client):
    headers = sign_in(client, "viewer")
    goal = {"match": {"kind": "event", "names": ["book"]}, "value": {"kind": "hit"}}
    found = client.post("/api/v1/sites/mill/goals/preview", json={"goal": goal}, headers=headers).json()
    assert (found["conversions"], found["value"], found["pages"]) == (1, 4, [{"value": "/courses", "times": 1}])
    wrong = {"match": {"kind": "view", "page": {"test": "regular expression", "value": "("}}}
    answer = client.post("/api/v1/sites/mill/goals/preview", json={"goal": wrong}, headers=headers)
    assert (answer.status_code, answer.json()["errors"][0]["field"]) == (422, "goal.match.page")


@pytest.mark.usefixtures("collected")
def test_a_field_is_kept_read_and_taken_away(client):
    headers = sign_in(client, "analyst")
    fields = "/api/v1/sites/mill/fields"
    seen = client.get(f"{fields}/seen", headers=headers).json()
    assert [(one["key"], one["values"]) for one in seen] == [("author", [{"value": "Orla", "times": 1}])]
    assert client.put(f"{fields}/author", json={"key": "author", "title": "Author"}, headers=headers).status_code == 200
    registry = client.get("/api/v1/sites/mill/registry").json()
    assert registry["dimensions"][-1] | {"meaning": ""} == {"name": "field.author", "title": "Author", "of": "hit", "family": "own", "meaning": ""}
    table = {**PERIOD, "columns": columns("views"), "dimensions": ["field.author"]}
    rows = client.post("/api/v1/sites/mill/reports/table", json=table, headers=headers).json()
    assert (rows["rows"], values(rows)) == ([["Orla"]], {"views": 1})
    assert client.put(f"{fields}/author", json={"key": "other", "title": "x"}, headers=headers).status_code == 422
    assert client.delete(f"{fields}/author", headers=headers).status_code == 204
    assert client.delete(f"{fields}/author", headers=headers).status_code == 404
    answer = client.post("/api/v1/sites/mill/reports/table", json=table, headers=headers)
    assert (answer.status_code, answer.json()["errors"][0]["field"]) == (422, "dimensions")


def test_more_fields_than_a_site_can_have_are_a_sentence(client):
    headers = sign_in(client, "analyst")
    for number in range(51):
        answer = client.put(f"/api/v1/sites/mill/fields/f{number}", json={"key": f"f{number}", "title": "x"}, headers=headers)
    assert (answer.status_code, answer.json()["errors"][0]["field"]) == (422, "fields")
    assert len(client.get("/api/v1/sites/mill").json()["rules"]["fields"]) == 50


@pytest.mark.usefixtures("collected")
def test_every_goal_says_what_it_counted(client):
    headers = sign_in(client, "viewer")
    goals = client.get("/api/v1/sites/mill/goals", headers=headers).json()
    assert client.get("/api/v1/sites/mill/goals/counted", headers=headers).json() == [{"id": goals[0]["id"], "conversions": 1, "value": 4}]
