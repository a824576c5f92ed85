"""The demo: the same on every run, whole, and what is planted can be found by the reports."""

import re
from collections import Counter
from datetime import timedelta

import orjson
import pytest
from fastapi import FastAPI
from starlette.testclient import TestClient

from tests.conftest import now
from tests.core.asking import ask_table
from upper_compass.collect.checking import check_line
from upper_compass.core.definitions.goals import Goal
from upper_compass.core.definitions.periods import midnight
from upper_compass.core.tag_health import HISTORY, Inspection, look
from upper_compass.demo.history import ZONE, HistoryGenerator
from upper_compass.demo.laying import GOALS, KEY, RULES
from upper_compass.demo.mill import mount
from upper_compass.frames.placing import Places
from upper_compass.frames.reader import ReaderHere
from upper_compass.store import sites

TODAY = now().astimezone(ZONE).date()


def back(days):
    """The day so many days ago."""
    return (TODAY - timedelta(days=days)).isoformat()


LAST_28 = {"first": back(28), "last": back(1)}


@pytest.fixture(scope="module")
def lines():
    return list(HistoryGenerator(TODAY).lines())


@pytest.fixture(scope="module")
def reading(demo_database):
    """The demo as the reports read it."""
    with demo_database.connect() as connection:
        mill = sites.site_by_key(connection, KEY)
    reader = ReaderHere(demo_database.url.render_as_string(hide_password=False), Places(), 2**30)
    yield reader.read(mill, lambda context: context)
    reader.close()


def ask(reading, dimension, goal="Course bookings", period=LAST_28, **more):
    measures = ("visits", "conversions", "conversion_rate")
    asked = {"measures": measures, "dimensions": [dimension], "limit": 500, "versus": "before"} | period | more
    found = ask_table(reading, Goal.model_validate(GOALS[goal]), **asked)
    return {row.keys[0]: row for row in found.rows}, found.total


def test_every_page_of_the_sample_site_has_its_policy_also_one_that_is_not_there():
    app = FastAPI()
    mount(app)
    with TestClient(app) as mill:
        for path, status in (("/mill/", 200), ("/mill/courses", 200), ("/mill/nowhere", 404)):
            answer = mill.get(path)
            assert (answer.status_code, answer.headers["content-security-policy"][:18]) == (status, "default-src 'self'")


def test_the_history_is_the_same_on_every_run_and_ends_yesterday(lines):
    again = HistoryGenerator(TODAY).lines()
    assert [next(again) for _ in range(2000)] == lines[:2000]
    assert orjson.loads(lines[-1])["at"].startswith(back(1))
    assert back(400) <= orjson.loads(lines[0])["at"][:10] <= back(390)
    assert 250_000 < len(lines) < 400_000


def test_every_hit_is_good_and_no_id_comes_twice(lines):
    ids = Counter(check_line(line)[0].id for line in lines[::7])
    assert ids.most_common(1)[0][1] == 1


def test_pinwheels_visitors_book_several_times_as_often(reading):
    rows, total = ask(reading, "source")
    assert rows["pinwheel"].interval["conversion_rate"][0] > 2 * total.values["conversion_rate"]


def test_the_podcast_brings_visits_and_no_booking(reading):
    rows, _ = ask(reading, "channel")
    assert rows["Audio"].values["visits"] > 100
    assert rows["Audio"].values["conversions"] == 0


def test_the_starter_guide_does_better_since_it_was_changed(reading):
    rows, _ = ask(reading, "entry_page")
    assert rows["/guides/starter"].is_significant["conversion_rate"]
    assert rows["/guides/starter"].values["conversion_rate"] > 2 * rows["/guides/starter"].before["conversion_rate"]


def test_many_go_on_to_the_stockists_and_few_enter_there(reading):
    pages, _ = ask(reading, "page", measures=["visits", "entries"])
    assert pages["/stockists"].values["visits"] > 400
    assert pages["/stockists"].values["entries"] == 0


def test_phones_are_lost_on_the_way_to_an_order(reading):
    rows, _ = ask(reading, "device", "Orders", period={"first": back(326), "last": back(1)})
    assert rows["phone"].interval["conversion_rate"][1] < rows["desktop"].interval["conversion_rate"][0]


def test_the_letter_is_spelled_three_ways_and_one_medium_is_unsorted(reading):
    mediums, _ = ask(reading, "medium")
    assert {"email", "e-mail", "newsletter"} <= set(mediums)
    channels, _ = ask(reading, "channel")
    assert channels["Unsorted"].values["visits"] > 0


def test_the_german_part_opened_forty_five_days_ago(reading):
    before, _ = ask(reading, "entry_page", period={"first": back(83), "last": back(46)})
    since, _ = ask(reading, "entry_page", period={"first": back(45), "last": back(1)})
    assert "/de" not in before
    assert since["/de"].values["visits"] > 100


def test_every_page_of_the_sample_site_is_there_and_every_link_leads_to_one():
    app = FastAPI()
    mount(app)
    client = TestClient(app)
    waiting, seen = ["/mill"], set()
    while waiting:
        path = waiting.pop()
        if path in seen:
            continue
        seen.add(path)
        answer = client.get(path)
        assert answer.status_code == 200, path
        if "text/html" in answer.headers["content-type"]:
            assert '/uc.js?site=mill"' in answer.text
            waiting += re.findall(r'(?:href|action)="(/mill[^"?#]*)"', answer.text)
    assert {"/mill/checkout/thanks", "/mill/wholesale", "/mill/de/kurse", "/mill/files/starter-guide.pdf", "/mill/courses/rye-and-seeds/book"} <= seen
    assert client.get("/mill/nothing").status_code == 404
    assert client.get("/mill/files/../places.py").status_code == 404


def test_a_rule_told_who_reads_recipes_since_it_went_live(lines):
    recipes_read = [hit for hit in map(orjson.loads, lines) if hit.get("name") == "recipe read"]
    assert min(hit["at"] for hit in recipes_read) >= back(30)
    assert all(hit["url"].startswith("https://fennmoor-mill.example/recipes/") for hit in recipes_read)
    assert "No knead loaf" in {hit["props"]["recipe"] for hit in recipes_read}


def test_something_of_every_kind_that_tag_health_knows_is_planted(reading):
    midnights = [midnight(TODAY - timedelta(days=ago), reading.zone) for ago in range(HISTORY, -1, -1)]
    goals = [(name, Goal.model_validate(goal)) for name, goal in GOALS.items()]
    found = Counter(one.kind for one in look(Inspection(reading, RULES, midnights, midnights[-1] + 1, goals)))
    assert {kind: found[kind] >= 2 for kind in ("spelling", "unsorted", "referrer", "script error")} == dict.fromkeys(
        ("spelling", "unsorted", "referrer", "script error"), True
    )
    assert found.keys() >= {"silent event", "script missing", "personal data", "repeated orders", "untagged mail", "robots"}
