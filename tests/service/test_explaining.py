"""Funnels, paths and credits over HTTP: figures of a site's own, narrowed by a saved segment, and what is refused."""

import json

import pytest

from tests.conftest import a_hit, collect, period, sign_in

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
    collect(client, hits)
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


CENTRE = {"dimension": "page", "value": "/"}


def paths(client, **changes):
    asked = {"period": period(), "centre": CENTRE} | changes
    return client.post("/api/v1/sites/mill/reports/paths", json=asked, headers=sign_in(client, "viewer"))


def test_ways_are_narrowed_and_open_where_it_is_asked(visited):
    german = {"where": {"conditions": [{"kind": "dimension", "dimension": "language", "test": "is", "values": ["de"]}]}}
    narrowed = paths(visited, segment=german, steps="pages and events").json()
    assert narrowed["centre"]["visits"] == 30
    [first] = [one for one in narrowed["forward"] if one["chain"] == []]
    assert {(one["step"]["of"], one["step"]["value"]): one["visits"] for one in first["nodes"]} == {("page", "/flour"): 15, ("event", "book"): 5}
    asked = [{"chain": []}, {"chain": [{"value": "/flour"}]}, {"chain": [{"value": "/nowhere"}]}]
    opened = paths(visited, forward=asked, backward=[]).json()
    assert [one["ended"]["visits"] for one in opened["forward"]] == [30, 30, 0] and opened["backward"] == []
    # The visits of a way, as a segment of any report.
    way = {"kind": "way", "centre": CENTRE, "forward": [{"value": "/flour"}], "left": True}
    assert ask(visited, segment={"where": {"conditions": [way]}}).json()["whole"]["reached"][0] == 30


@pytest.mark.parametrize(
    ("changes", "field"),
    [
        ({"centre": {"dimension": "page", "value": ""}}, "centre.value"),
        ({"steps": "everything"}, "steps"),
        ({"forward": [{"chain": [{"of": "visit", "value": "x"}]}]}, "forward.0.chain.0.of"),
        ({"forward": [{"chain": [{"value": "/"}] * 13}]}, "forward.0.chain"),
        ({"backward": [{"most": 201}]}, "backward.0.most"),
        ({"forward": [{}] * 61}, "forward"),
        ({"goal": 999}, "goal"),
    ],
)
def test_what_are_no_paths_is_said_beside_its_field(visited, changes, field):
    answer = paths(visited, **changes)
    assert answer.status_code == 422
    assert field in [one["field"] for one in answer.json()["errors"]]


def goal_of_bookings(client):
    made = client.post(
        "/api/v1/sites/mill/goals", json={"name": "Booked", "goal": {"match": BOOKED, "counts": "every time"}}, headers=sign_in(client, "analyst")
    )
    found = client.get("/api/v1/sites/mill/goals", headers=sign_in(client, "viewer")).json()
    return made.json()["id"] if made.status_code == 201 else next(one["id"] for one in found if one["name"] == "Booked")


def test_a_credit_is_opened_into_its_conversions_and_their_touches(visited):
    goal = goal_of_bookings(visited)
    column = {"id": "c", "measure": "conversions", "model": "linear"}
    headers = sign_in(visited, "viewer")
    table = visited.post(
        "/api/v1/sites/mill/reports/table", json={"period": period(), "goal": goal, "dimensions": ["page"], "columns": [column]}, headers=headers
    ).json()
    credit = dict(zip([key for [key] in table["rows"]], table["columns"][0]["values"], strict=True))
    assert credit == {"/": pytest.approx(16.6667, abs=0.001), "/flour": pytest.approx(3.3333, abs=0.001)}
    asked = {"period": period(), "goal": goal, "column": column, "dimensions": ["page"], "values": ["/flour"], "limit": 50}
    found = visited.post("/api/v1/sites/mill/reports/credited", json=asked, headers=headers).json()
    assert (found["count"], len(found["conversions"])) == (10, 10)
    assert sum(one["credit"] for one in found["conversions"]) == pytest.approx(credit["/flour"])
    first = found["conversions"][0]
    # From the home page to the flour, and back where they book.
    assert [(touch["value"], touch["own"]) for touch in first["told"]] == [("/", False), ("/flour", True), ("/", False)]
    assert first["visitor"].startswith("person") and first["number"] == 1
    few = visited.post("/api/v1/sites/mill/reports/credited", json=asked | {"limit": 3}, headers=headers).json()
    assert (few["count"], [one["visitor"] for one in few["conversions"]]) == (10, [one["visitor"] for one in found["conversions"][:3]])


@pytest.mark.parametrize(
    ("changes", "says"),
    [
        ({"column": {"id": "c", "measure": "conversions"}}, "without a model"),
        ({"column": {"id": "c", "measure": "visits", "model": "linear"}}, "not credited by a model"),
        ({"values": ["/flour", "x"]}, "a value of each dimension"),
        ({"dimensions": ["page", "page"], "values": ["/", "/"]}, "asked for twice"),
        ({"dimensions": ["nothing"]}, "nothing"),
        ({"limit": 101}, "100"),
    ],
)
def test_what_has_no_credit_is_refused_in_words(visited, changes, says):
    column = {"id": "c", "measure": "conversions", "model": "linear"}
    asked = {"period": period(), "goal": goal_of_bookings(visited), "column": column, "dimensions": ["page"], "values": ["/flour"]}
    answer = visited.post("/api/v1/sites/mill/reports/credited", json=asked | changes, headers=sign_in(visited, "viewer"))
    assert (answer.status_code, says in answer.text) == (422, True)


def drivers(client, **changes):
    asked = {"period": period(), "goal": goal_of_bookings(client)} | changes
    return client.post("/api/v1/sites/mill/reports/drivers", json=asked, headers=sign_in(client, "viewer"))


def test_what_drives_bookings_is_told_of_channels_and_of_pages(visited):
    found = drivers(visited).json()
    assert (found["visits"], found["converting"], found["page_count"]) == (60, 20, 2)
    home, flour = found["pages"]
    assert (home["page"], home["seen"], home["converting"], home["without"], home["difference"], home["few"]) == ("/", 60, 20, None, None, True)
    assert (flour["page"], flour["seen"], flour["converting"], flour["entries"]) == ("/flour", 30, 10, 0)
    # All came by the same channel: of those who saw it a third booked, and of the others too.
    assert (flour["rate"], flour["without"], flour["difference"]) == (pytest.approx(1 / 3), pytest.approx(1 / 3), pytest.approx(0, abs=1e-9))
    assert flour["low"] < 0 < flour["high"] and not flour["few"]
    [part] = flour["channels"]
    assert (part["seen"], part["converting"], part["others"], part["others_converting"]) == (30, 10, 30, 10)
    columns = {one["id"]: one["values"] for one in found["channels"]["columns"]}
    assert [sum(columns[name]) for name in ("visits", "conversions", "first", "linear", "last")] == [60, 20, 20, 20, 20]
    assert [one["page"] for one in drivers(visited, pages=1).json()["pages"]] == ["/"]


def test_what_drives_is_narrowed_and_without_a_goal_nothing(visited):
    segment = {"where": {"conditions": [{"kind": "dimension", "dimension": "language", "test": "is", "values": ["de"]}]}}
    narrowed = drivers(visited, segment=segment).json()
    assert (narrowed["visits"], narrowed["converting"]) == (30, 10)
    nothing = drivers(visited, goal=None).json()
    assert (nothing["converting"], nothing["pages"]) == (0, [])
    before = {"first": "2020-01-01", "last": "2020-01-02"}
    assert drivers(visited, period=before).json()["pages"] == []


@pytest.mark.parametrize(
    ("changes", "status", "says"),
    [
        ({"goal": 99_999}, 404, "goal"),
        ({"pages": 0}, 422, "pages"),
        ({"channels": 201}, 422, "channels"),
        ({"segment": {"where": {"conditions": [{"kind": "dimension", "dimension": "nothing", "test": "is", "values": ["x"]}]}}}, 422, "nothing"),
        ({"by": "channel"}, 422, "by"),
    ],
)
def test_what_drives_nothing_is_refused_in_words(visited, changes, status, says):
    answer = drivers(visited, **changes)
    assert (answer.status_code in (status, 422), says in answer.text) == (True, True)


def credit_table(client, column, **changes):
    asked = {"period": period(), "goal": goal_of_bookings(client), "dimensions": ["page"], "columns": [{"id": "c", "measure": "conversions"} | column]}
    return client.post("/api/v1/sites/mill/reports/table", json=asked | changes, headers=sign_in(client, "viewer"))


def test_the_removal_effect_says_on_what_it_rests(visited):
    found = credit_table(visited, {"model": "removal effect"}).json()
    [column] = found["columns"]
    by = {key: place for place, [key] in enumerate(found["rows"])}
    assert sum(column["values"]) == pytest.approx(20)
    assert column["effect"][by["/"]] == pytest.approx(1)  # each way begins on the home page
    assert column["touches"][by["/flour"]] == 30 and column["few"][by["/flour"]] is False
    behind = {"period": period(), "goal": goal_of_bookings(visited), "dimensions": ["page"], "values": ["/flour"]}
    behind["column"] = {"id": "c", "measure": "conversions", "model": "removal effect"}
    told = visited.post("/api/v1/sites/mill/reports/credited", json=behind, headers=sign_in(visited, "viewer")).json()
    assert told["count"] == 10 and all(one["credit"] == 0 for one in told["conversions"])


def test_a_file_of_removal_effects_says_on_what_they_rest(visited):
    asked = {"period": period(), "versus": "before", "goal": goal_of_bookings(visited), "dimensions": ["page"]}
    asked["columns"] = [{"id": "c", "measure": "conversions", "model": "removal effect"}]
    headers = sign_in(visited, "viewer")
    [table] = visited.post("/api/v1/sites/mill/reports/table", json=asked, headers=headers).json()["columns"]
    answer = visited.post("/api/v1/sites/mill/exports/table", params={"format": "jsonl"}, json=asked, headers=headers)
    lines = [json.loads(line) for line in answer.text.splitlines()]
    assert [(line["c"], line["c_touches"], line["c_effect"]) for line in lines] == list(zip(table["values"], table["touches"], table["effect"], strict=True))
    assert {"c_before", "page"} < set(lines[0])


def test_a_share_has_an_interval_where_it_is_asked_for(visited):
    asked = {"model": "linear", "with_interval": True}
    [column] = credit_table(visited, asked).json()["columns"]
    assert [low <= value / 20 <= high for low, value, high in zip(column["share_low"], column["values"], column["share_high"], strict=True)] == [True, True]
    assert credit_table(visited, asked).json()["columns"][0]["share_low"] == column["share_low"]
    [plain] = credit_table(visited, {"model": "linear"}).json()["columns"]
    assert plain["share_low"] is None and plain["touches"] is None


def test_a_file_of_credits_has_the_intervals_that_are_seen(visited):
    columns = [{"id": "c", "measure": "conversions", "model": "linear", "with_interval": True}, {"id": "d", "measure": "conversions", "model": "last touch"}]
    asked = {"period": period(), "versus": "none", "goal": goal_of_bookings(visited), "dimensions": ["page"], "columns": columns}
    headers = sign_in(visited, "viewer")
    [table, _] = visited.post("/api/v1/sites/mill/reports/table", json=asked, headers=headers).json()["columns"]

    def lines(file_format, **changes):
        params = {"format": file_format, "rows": "shown"}
        return visited.post("/api/v1/sites/mill/exports/table", params=params, json=asked | changes, headers=headers).text.splitlines()

    told = [json.loads(line) for line in lines("jsonl")]
    assert [(one["c"], one["c_share_low"], one["c_share_high"]) for one in told] == list(
        zip(table["values"], table["share_low"], table["share_high"], strict=True)
    )
    assert set(told[0]) == {"page", "c", "c_share_low", "c_share_high", "d"}
    assert lines("csv")[0].split(",")[1:4] == ["Conversions", '"Conversions', ' share from"']
    assert [json.loads(line) for line in lines("jsonl", offset=1)] == told[1:]
    assert len(lines("jsonl", dimensions=[])) == 1


@pytest.mark.parametrize(
    ("column", "says"),
    [
        ({"with_interval": True}, "goes with a model"),
        ({"measure": "value", "model": "linear", "with_interval": True}, "share of conversions"),
        ({"model": "removal effect", "with_interval": True}, "removal effect"),
        ({"measure": "visits", "model": "removal effect"}, "not credited by a model"),
    ],
)
def test_intervals_and_effects_of_what_has_none_are_refused(visited, column, says):
    answer = credit_table(visited, column)
    assert (answer.status_code, says in answer.text) == (422, True)


def test_a_course_of_removal_effects_is_refused(visited):
    asked = {"period": period(), "goal": goal_of_bookings(visited), "bucket": "day", "dimensions": ["page"], "rows": [["/"]]}
    asked["columns"] = [{"id": "c", "measure": "conversions", "model": "removal effect"}]
    answer = visited.post("/api/v1/sites/mill/reports/series", json=asked, headers=sign_in(visited, "viewer"))
    assert (answer.status_code, "no course" in answer.text) == (422, True)
