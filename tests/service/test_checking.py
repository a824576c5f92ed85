"""Checking hits, without a server: times, bodies, marks."""

import json
import uuid
from datetime import UTC, datetime, timedelta

import pytest
from hypothesis import given
from hypothesis import strategies as st

from upper_compass.collect.checking import UnreadableError, as_rows, check_body, read_sent
from upper_compass.collect.marking import Countries, are_robots
from upper_compass.core.dataset.user_agents import read_agent
from upper_compass.reference import shipped
from upper_compass.run.places import ROOT
from upper_compass.store.hits import ROW

NOW = datetime(2026, 11, 23, 12, tzinfo=UTC)
HOUR = timedelta(hours=1)
# The same for reports and for what the site script finds by itself, see tests/web/conditions.test.ts.
DEVICES = ROOT / "tests" / "devices.json"


def body(*changes):
    base = {"at": NOW.isoformat(), "visitor": "v", "kind": "view", "url": "https://mill.example/"}
    return json.dumps([base | {"id": str(uuid.uuid4())} | change for change in changes]).encode()


@pytest.mark.parametrize(
    ("happened", "sent", "stored"),
    [
        (NOW - HOUR, None, NOW - HOUR),
        (NOW - HOUR, NOW + 99 * HOUR, NOW - HOUR),  # plausible times stay as they are
        (NOW + timedelta(seconds=50), None, NOW + timedelta(seconds=50)),
        (NOW + HOUR, None, None),
        (NOW + HOUR, NOW + HOUR + timedelta(minutes=2), NOW - timedelta(minutes=2)),
        (NOW - 1000 * HOUR, NOW - 999 * HOUR, NOW - HOUR),
        (NOW - 1000 * HOUR, NOW, None),
        (NOW - 25 * HOUR, None, None),
        (NOW - 24 * HOUR, None, NOW - 24 * HOUR),
    ],
)
def test_times(happened, sent, stored):
    checked = check_body(body({"at": happened.isoformat()}), NOW, sent)
    assert [hit.at for hit in checked.hits] == ([stored] if stored else [])
    assert [one.field for one in checked.refused] == ([] if stored else ["at"])


@pytest.mark.parametrize(("text", "expected"), [("1795435200000", NOW), ("-5", None), ("soon", None), ("9" * 16, None), (None, None), ("", None)])
def test_the_senders_clock_is_read_or_counts_as_not_given(text, expected):
    assert read_sent(text) == expected


@given(st.lists(st.booleans(), min_size=1, max_size=20))
def test_good_and_bad_are_told_apart_whatever_their_order(goodness):
    sent = body(*({} if good else {"kind": "glance"} for good in goodness))
    checked = check_body(sent, NOW, None)
    assert len(checked.hits) == sum(goodness)
    assert [one.index for one in checked.refused] == [i for i, fine in enumerate(goodness) if not fine]


@given(st.binary(max_size=60))
def test_no_body_whatever_breaks_the_reading(content):
    try:
        checked = check_body(content, NOW, None)
    except UnreadableError:
        return
    assert len(checked.hits) + len(checked.refused) <= 100


@given(st.recursive(st.none() | st.booleans() | st.floats() | st.text(), lambda inner: st.lists(inner) | st.dictionaries(st.text(), inner), max_leaves=12))
def test_no_json_whatever_breaks_the_reading(value):
    try:
        checked = check_body(json.dumps(value).encode(), NOW, None)
    except UnreadableError:
        return
    assert checked.hits == []


def test_half_of_a_pair_of_surrogates_costs_no_hit():
    whole, half = body({"title": "whole"}).decode(), body({"title": "HALF"}).decode().replace("HALF", "cut\\ud83d")
    checked = check_body(f"[{whole[1:-1]},{half[1:-1]}]".encode(), NOW, None)
    assert [hit.title for hit in checked.hits] == ["whole", "cut?"]
    assert checked.refused == []


def test_rows_have_the_columns_of_the_store():
    good = check_body(body({"kind": "order", "value": 5, "order": {"id": "o", "items": [{"sku": "a"}]}, "props": {"é": "ß"}}), NOW, None).hits
    [row] = as_rows(7, good, country="IE", internal=True)
    named = dict(zip(ROW, row, strict=True))
    assert (named["site_id"], named["kind"], named["order_id"], named["country"], named["internal"], named["robot"]) == (7, 3, "o", "IE", True, False)
    assert json.loads(named["props"]) == {"é": "ß"}
    assert json.loads(named["order_data"])["items"][0]["sku"] == "a"


def test_robots_say_so():
    robots = ["curl/8.5.0", "Example-Bot/1.0 (+https://a.example)", "examplebot", "My own crawler", "SPIDER 2", "Headless thing"]
    people = [
        None,
        "",
        "Mozilla/5.0 (Windows NT 10.0; Win64; x64; rv:139.0) Gecko/20100101 Firefox/139.0",
        "Mozilla/5.0 (Linux; Android 9; CUBOT_P40)",
        "Botany",
    ]
    assert are_robots(robots) == [True] * len(robots)
    assert are_robots(people) == [False] * len(people)


def test_without_a_country_file_no_country_is_looked_up():
    assert Countries(None).of("192.0.2.1") is None


@pytest.mark.parametrize(("agent", "device"), [*json.loads(DEVICES.read_text()).items(), ("", "")])
def test_devices(agent, device):
    assert read_agent(agent)[0] == device


def test_the_lists_that_ship_are_whole():
    lists = shipped()
    assert {known.kind for known in lists.hosts.values()} <= {"search", "social", "mail", "video", "assistant", ""}
    assert not any(host.startswith("www.") or host != host.lower() for host in lists.hosts)
    assert len({key for key, _ in lists.click_ids}) == len(lists.click_ids)
    assert (lists.zone_countries["Europe/Dublin"], lists.zone_countries["Asia/Calcutta"], lists.zone_countries.get("Etc/UTC")) == ("IE", "IN", None)
