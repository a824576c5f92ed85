"""Saved segments over HTTP: saved, used anywhere by reference, changed in one place, archived while used nowhere; what makes no sense is refused."""

import pytest

from tests.conftest import a_hit, period, sign_in

PATH = "/api/v1/sites/mill/segments"
BY_MAIL = {"of": "visits", "where": {"of": "all", "conditions": [{"kind": "dimension", "dimension": "channel", "test": "is", "values": ["Email"]}]}}
PERIOD = period()


def saved(number):
    return {"of": "visits", "where": {"of": "all", "conditions": [{"kind": "saved", "id": number}]}}


@pytest.fixture(scope="module")
def visited(client):
    """Six people, two of them by a letter."""
    for number in range(6):
        tags = "?utm_source=letter&utm_medium=email" if number < 2 else ""
        assert client.post("/collect?site=mill", json=[a_hit(visitor=f"person{number}", url=f"https://mill.example/{tags}")]).status_code == 204
    return client


@pytest.fixture
def analyst(client):
    return sign_in(client, "analyst")


def save(client, headers, name, segment=BY_MAIL, **more):
    return client.post(PATH, json={"name": name, "segment": segment} | more, headers=headers)


def table(client, headers, segment, **more):
    asked = {"period": PERIOD, "columns": [{"id": "visits", "measure": "visits"}], "segment": segment} | more
    return client.post("/api/v1/sites/mill/reports/table", json=asked, headers=headers)


def visits(client, headers, segment, **more):
    return table(client, headers, segment, **more).json()["total"][0]["values"][0]


def test_a_segment_is_saved_and_used_wherever_one_is_asked_for(client, visited, analyst):
    made = save(client, analyst, "By mail", note="The letter")
    assert made.status_code == 201
    one = made.json()
    assert (one["name"], one["note"], one["by"], one["archived"], one["used_in"]) == ("By mail", "The letter", "Analyst", False, [])
    plain, by_reference = visits(client, analyst, BY_MAIL), visits(client, analyst, saved(one["id"]))
    assert 0 < plain == by_reference < visits(client, analyst, None)
    columns = [{"id": "mail", "measure": "visits", "segment": saved(one["id"])}]
    assert visits(client, analyst, None, columns=columns) == plain
    asked = {"period": PERIOD, "segment": saved(one["id"])}
    assert client.post("/api/v1/sites/mill/visits", json=asked, headers=analyst).json()["count"] == plain
    compared = {"period": PERIOD, "group": saved(one["id"]), "units": "visits", "dimensions": ["device"]}
    assert client.post("/api/v1/sites/mill/reports/compare", json=compared, headers=analyst).json()["sizes"]["a"] == plain
    assert client.post("/api/v1/sites/mill/events", json=asked, headers=analyst).status_code == 200
    rows = client.post("/api/v1/sites/mill/exports/table?format=csv", json={"period": PERIOD, "columns": columns, "dimensions": ["channel"]}, headers=analyst)
    assert rows.status_code == 200


def test_it_is_changed_in_one_place_and_archived_while_used_nowhere(client, visited, analyst):
    inner = save(client, analyst, "Inner").json()["id"]
    outer = save(client, analyst, "Outer", saved(inner)).json()["id"]
    before = visits(client, analyst, saved(outer))
    nobody = {"where": {"of": "any", "conditions": []}}
    changed = client.put(f"{PATH}/{inner}", json={"name": "Inner", "segment": nobody}, headers=analyst).json()
    assert changed["used_in"] == [{"kind": "segment", "id": outer, "name": "Outer"}]
    assert (visits(client, analyst, saved(outer)), before > 0) == (0, True)
    refused = client.post(f"{PATH}/{inner}/archive", headers=analyst)
    assert (refused.status_code, refused.json()["detail"]) == (409, "It is used in the segment “Outer”; take it out there first.")
    entry = {"first": "2026-11-02", "last": "2026-11-02", "text": "Odd", "view": f"/read/overview?segment={outer}"}
    noted = client.post("/api/v1/sites/mill/logbook", json=entry, headers=analyst).json()["id"]
    assert "the logbook’s “Odd”" in client.post(f"{PATH}/{outer}/archive", headers=analyst).json()["detail"]
    client.delete(f"/api/v1/sites/mill/logbook/{noted}", headers=analyst)
    assert client.post(f"{PATH}/{outer}/archive", headers=analyst).json()["archived"] is True
    assert client.post(f"{PATH}/{inner}/archive", headers=analyst).status_code == 200
    assert save(client, analyst, "inner").status_code == 201
    assert client.post(f"{PATH}/{inner}/restore", headers=analyst).status_code == 409
    assert client.post(f"{PATH}/{outer}/restore", headers=analyst).json()["archived"] is False
    assert visits(client, analyst, saved(outer)) == 0


def test_what_each_condition_leaves_is_told_while_it_is_written(client, visited, analyst):
    found = client.post(f"{PATH}/size", json={"period": PERIOD, "segment": BY_MAIL}, headers=analyst).json()
    assert found["held"]["visits"] == visits(client, analyst, BY_MAIL)
    assert found["all"]["visits"] == visits(client, analyst, None)
    assert found["conditions"] == [{"left": found["held"]["visits"], "alone": found["held"]["visits"], "without": found["all"]["visits"]}]
    assert (len(found["course"]), sum(found["course"])) == (len(found["at"]), found["held"]["visits"])


def test_names_differ_and_no_segment_is_used_in_itself(client, analyst):
    one = save(client, analyst, "Only once").json()["id"]
    again = save(client, analyst, " only ONCE ")
    assert (again.status_code, again.json()["errors"][0]["field"]) == (409, "name")
    other = save(client, analyst, "Another", saved(one)).json()["id"]
    for target in (one, other):
        refused = client.put(f"{PATH}/{one}", json={"name": "Only once", "segment": saved(target)}, headers=analyst)
        assert (refused.status_code, refused.json()["detail"]) == (422, "A segment cannot be used in itself.")
    assert client.put(f"{PATH}/{other}", json={"name": "Only once", "segment": BY_MAIL}, headers=analyst).status_code == 409


@pytest.mark.parametrize(
    "given",
    [
        {"name": "  ", "segment": BY_MAIL},
        {"name": "x" * 101, "segment": BY_MAIL},
        {"name": "x", "segment": {"where": {"conditions": [{"kind": "tide"}]}}},
        {"name": "x", "segment": saved(2**31 - 1)},
        {"name": "x", "segment": {"where": {"conditions": [{"kind": "saved", "id": "one"}]}}},
        {"name": "x\x00", "segment": BY_MAIL},
    ],
)
def test_what_makes_no_sense_is_refused(client, analyst, given):
    assert client.post(PATH, json=given, headers=analyst).status_code == 422


def test_a_dimension_that_there_is_not_is_told_by_its_name(client, visited, analyst):
    tide = {
        "where": {"conditions": [{"kind": "segment", "segment": {"where": {"conditions": [{"kind": "dimension", "dimension": "tide", "test": "is empty"}]}}}]}
    }
    refused = table(client, analyst, tide)
    assert refused.status_code == 422
    assert "there is no dimension 'tide'" in refused.json()["errors"][0]["text"]
    assert table(client, analyst, saved(2**31 - 1)).status_code == 422


def test_viewers_read_only_and_other_sites_share_nothing(client, analyst):
    one = save(client, analyst, "Ours").json()["id"]
    viewer = sign_in(client, "viewer")
    assert "Ours" in [found["name"] for found in client.get(PATH).json()]
    assert [save(client, viewer, "Mine").status_code, client.post(f"{PATH}/{one}/archive", headers=viewer).status_code] == [403, 403]
    stranger = sign_in(client, "stranger")
    assert client.get(PATH).status_code == 404
    other = "/api/v1/sites/other"
    assert client.put(f"{other}/segments/{one}", json={"name": "x", "segment": BY_MAIL}, headers=stranger).status_code == 404
    asked = {"period": PERIOD, "columns": [{"id": "visits", "measure": "visits"}], "segment": saved(one)}
    assert client.post(f"{other}/reports/table", json=asked, headers=stranger).status_code == 422
