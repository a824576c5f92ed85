"""Funnels over HTTP: figures of a site's own, narrowed by a saved segment, and what is refused."""

import pytest

from tests.conftest import a_hit, period, sign_in

HOME, FLOUR = ({"kind": "view", "page": {"test": "is", "value": page}} for page in ("/", "/flour"))
BOOKED = {"kind": "event", "names": ["book"]}
ASKED = {"period": period(), "funnel": {"steps": [HOME, FLOUR, BOOKED]}}


@pytest.fixture(scope="module")
def visited(client):
    """Sixty people who see the home page; thirty go on to the flour, of whom ten book; ten others book at once."""
    hits = []
    for number in range(60):
        who = f"person{number}"
        pages = ["", "flour"] if number < 30 else [""]
        hits += [a_hit(visitor=who, url=f"https://mill.example/{page}", language="de" if number % 2 else "en") for page in pages]
        if number < 10 or number >= 50:
            hits.append(a_hit(visitor=who, kind="event", name="book", url="https://mill.example/"))
    for start in range(0, len(hits), 50):
        assert client.post("/collect?site=mill", json=hits[start : start + 50]).status_code == 204
    return client


def ask(client, **changes):
    return client.post("/api/v1/sites/mill/reports/funnel", json=ASKED | changes, headers=sign_in(client, "viewer"))


def test_steps_are_counted_and_broken_down(visited):
    found = ask(visited, dimension="language").json()
    assert (found["whole"]["reached"], found["whole"]["lost"], found["whole"]["before"]) == ([60, 30, 10], [None, 30, 20], [0, 0, 0])
    assert found["whole"]["of_previous"] == [None, 0.5, pytest.approx(1 / 3)]
    assert (found["values"], found["count"]) == (["de", "en"], 2)
    assert [row["reached"] for row in found["rows"]] == [[30, 15, 5], [30, 15, 5]]
    assert ask(visited, funnel={"steps": [HOME, BOOKED], "directly_next": True}).json()["whole"]["reached"] == [60, 10]


def test_the_course_and_a_suggestion_are_of_the_same_hits(visited):
    headers = sign_in(visited, "viewer")
    course = visited.post("/api/v1/sites/mill/reports/funnel-series", json={"period": period(), "funnel": ASKED["funnel"]}, headers=headers).json()
    assert [sum(step) for step in course["reached"]] == [60, 30, 10] and len(course["at"]) == len(course["reached"][0])
    suggested = visited.post("/api/v1/sites/mill/reports/funnel-suggestion", json={"period": period(), "last": BOOKED}, headers=headers).json()
    assert suggested == {"steps": [], "visits": 20}  # all who book saw the home page, but so did all others
    fine = {"period": {"first": "2016-01-01", "last": "2026-01-01"}, "funnel": ASKED["funnel"], "bucket": "hour"}
    refused = visited.post("/api/v1/sites/mill/reports/funnel-series", json=fine, headers=headers)
    assert refused.status_code == 422 and "too long a period" in refused.text


def test_a_saved_segment_narrows_it(visited):
    segment = {"of": "visits", "where": {"conditions": [{"kind": "dimension", "dimension": "language", "test": "is", "values": ["de"]}]}}
    headers = sign_in(visited, "analyst")
    made = visited.post("/api/v1/sites/mill/segments", json={"name": "German", "note": "", "segment": segment}, headers=headers).json()
    narrowed = {"where": {"conditions": [{"kind": "saved", "id": made["id"]}]}}
    assert ask(visited, segment=narrowed).json()["whole"]["reached"] == [30, 15, 5]


@pytest.mark.parametrize(
    ("changes", "field"),
    [
        ({"dimension": "nothing"}, "dimension"),
        ({"funnel": {"steps": [HOME]}}, "funnel.steps"),
        ({"funnel": {"steps": [HOME, {"kind": "event"}]}}, "funnel.steps.1"),
        ({"funnel": {"steps": [HOME, {"kind": "view", "page": {"test": "regular expression", "value": "("}}]}}, "funnel.steps.1.page"),
        ({"funnel": {"steps": [HOME, FLOUR], "window_minutes": -1}}, "funnel.window_minutes"),
        ({"limit": 0}, "limit"),
    ],
)
def test_what_makes_no_sense_is_said_beside_its_field(visited, changes, field):
    answer = ask(visited, **changes)
    assert answer.status_code == 422
    assert field in [one["field"] for one in answer.json()["errors"]]


PATH = "/api/v1/sites/mill/funnels"
FUNNEL = {"steps": [HOME, FLOUR, BOOKED], "units": "people", "window_minutes": 60}


def test_a_funnel_is_saved_changed_archived_and_restored(client):
    headers = sign_in(client, "analyst")
    made = client.post(PATH, json={"name": " To flour ", "funnel": FUNNEL, "dimension": "device"}, headers=headers)
    assert made.status_code == 201
    one = made.json()
    assert (one["name"], one["by"], one["archived"], one["dimension"], len(one["funnel"]["steps"])) == ("To flour", "Analyst", False, "device", 3)
    taken = client.post(PATH, json={"name": "TO FLOUR", "funnel": FUNNEL}, headers=headers)
    assert taken.status_code == 409 and taken.json()["errors"] == [{"field": "name", "text": "another funnel has this name"}]
    changed = client.put(f"{PATH}/{one['id']}", json={"name": "To booking", "funnel": FUNNEL | {"units": "visits"}}, headers=headers).json()
    assert (changed["name"], changed["funnel"]["units"], changed["dimension"]) == ("To booking", "visits", None)
    assert client.post(f"{PATH}/{one['id']}/archive", headers=headers).json()["archived"]
    other = client.post(PATH, json={"name": "To booking", "funnel": FUNNEL}, headers=headers).json()
    assert client.post(f"{PATH}/{one['id']}/restore", headers=headers).status_code == 409
    client.post(f"{PATH}/{other['id']}/archive", headers=headers)
    assert not client.post(f"{PATH}/{one['id']}/restore", headers=headers).json()["archived"]
    assert [(found["name"], found["archived"]) for found in client.get(PATH, headers=sign_in(client, "viewer")).json()] == [
        ("To booking", False),
        ("To booking", True),
    ]


def test_funnels_are_refused_where_they_make_no_sense_and_to_whom_they_are_none_of(client):
    headers = sign_in(client, "analyst")
    assert client.post(PATH, json={"name": " ", "funnel": FUNNEL}, headers=headers).json()["errors"][0]["field"] == "name"
    assert client.post(PATH, json={"name": "x", "funnel": {"steps": [HOME]}}, headers=headers).status_code == 422
    assert client.put(f"{PATH}/999", json={"name": "x", "funnel": FUNNEL}, headers=headers).status_code == 404
    assert client.post(PATH, json={"name": "x", "funnel": FUNNEL}, headers=sign_in(client, "viewer")).status_code == 403


def test_paths_from_a_page_are_those_of_the_same_hits(visited):
    asked = {"period": period(), "centre": {"dimension": "page", "value": "/"}}
    headers = sign_in(visited, "viewer")
    found = visited.post("/api/v1/sites/mill/reports/paths", json=asked, headers=headers).json()
    assert (found["centre"]["visits"], found["forward"][0]["ended"]["visits"]) == (60, 30)
    assert [(one["step"]["value"], one["visits"]) for one in found["forward"][0]["nodes"]] == [("/flour", 30)]
    refused = visited.post("/api/v1/sites/mill/reports/paths", json=asked | {"centre": {"dimension": "nothing", "value": "/"}}, headers=headers)
    assert refused.status_code == 422 and refused.json()["errors"][0]["field"] == "centre.dimension"
