"""Watching over HTTP: the newest hits, the stream of them, single visits."""

import json
import urllib.error
import urllib.request

import psycopg
import pytest

from tests.conftest import IN_ONE, PASSWORD, Server, a_hit, period, sign_in
from upper_compass.store import sites


def collect(client, *hits):
    answer = client.post("/collect?site=mill", json=list(hits))
    assert answer.status_code == 204, answer.text


@pytest.fixture
def viewer(client):
    return sign_in(client, "viewer")


def test_now_tells_the_newest_hits_also_own_ones(client, viewer):
    collect(client, a_hit(visitor="w1"), a_hit(visitor="w1", kind="event", name="tasted", props={"bread": "<i>rye</i>"}))
    collect(client, a_hit(visitor="w2", user_agent="Mozilla/5.0 (compatible; Googlebot/2.1)"))
    live = client.get("/api/v1/sites/mill/now").json()
    robot, event, view = live["arrived"][:3]
    assert (robot["visitor"], robot["robot"]) == ("w2", True)
    assert (event["kind"], event["name"], event["props"], event["source"]) == ("event", "tasted", {"bread": "<i>rye</i>"}, "card")
    assert (view["page"], view["visit"], view["seq"]) == ("/courses", 1, event["seq"] - 1)
    assert live["present"]["thirty"] >= 1
    assert [one["visitor"] for one in client.get("/api/v1/sites/mill/now", params={"visitor": "w1"}).json()["arrived"]] == ["w1", "w1"]
    assert client.get("/api/v1/sites/mill/now", params={"after": live["seq"]}).json()["arrived"] == []
    assert client.get("/api/v1/sites/other/now").status_code == 404


def test_visits_newest_first_and_one_opened(client, viewer):
    asked = {"period": period(), "goal": 1}
    collect(
        client, a_hit(visitor="s1", url="https://mill.example/a?utm_source=Letter&utm_medium=E-mail"), a_hit(visitor="s1", kind="event", name="book", value=12)
    )
    found = client.post("/api/v1/sites/mill/visits", json=asked, headers=viewer).json()
    newest = found["visits"][0]
    assert (newest["visitor"], newest["channel"], newest["conversions"], newest["value"]) == ("s1", "Email", 1, 12)
    one = client.post("/api/v1/sites/mill/visits", json=asked | {"limit": 1}, headers=viewer).json()
    rest = client.post("/api/v1/sites/mill/visits", json=asked | {"after": one["next"]}, headers=viewer).json()
    assert one["visits"] + rest["visits"] == found["visits"]
    visit_detail = client.get("/api/v1/sites/mill/visits/detail", params={"visitor": "s1", "number": 1, "goal": 1}).json()
    assert [hit["kind"] for hit in visit_detail["hits"]] == ["view", "event"]
    assert list(visit_detail["conversions"].values()) == [12]
    assert visit_detail["why"]["spellings"][1] == {"field": "medium", "given": "E-mail", "tidied": "e-mail", "used": "e-mail"}
    assert client.get("/api/v1/sites/mill/visits/detail", params={"visitor": "s1", "number": 2}).status_code == 404
    assert client.get("/api/v1/sites/mill/visits/detail", params={"visitor": "nobody", "number": 1}).status_code == 404
    wrong = client.post("/api/v1/sites/mill/visits", json=asked | {"after": "never"}, headers=viewer)
    assert (wrong.status_code, wrong.json()["errors"][0]["field"]) == (422, "after")


def test_the_stream_tells_hits_as_they_arrive_and_goes_on_where_it_broke(database, client, tmp_path):
    server = Server(database, tmp_path, settings=IN_ONE).start()
    browser = urllib.request.build_opener(urllib.request.HTTPCookieProcessor())

    def post(path, body):
        request = urllib.request.Request(f"{server.address}{path}", json.dumps(body).encode(), {"Content-Type": "application/json"})
        return browser.open(request, timeout=30)

    def stream(**headers):
        return browser.open(urllib.request.Request(f"{server.address}/api/v1/sites/mill/now/stream", headers=headers), timeout=30)

    try:
        with pytest.raises(urllib.error.HTTPError, match="401"):
            stream()
        post("/collect?site=mill", a_hit(visitor="before")).close()
        post("/api/v1/session", {"email": "viewer@mill.example", "password": PASSWORD}).close()
        with stream() as answer:
            assert answer.headers["content-type"].startswith("text/event-stream")
            events = updates(answer)
            first = next(events)
            assert first["arrived"][0]["visitor"] == "before"
            post("/collect?site=mill", [a_hit(visitor=f"n{i}") for i in range(3)]).close()
            found = []
            while len(found) < 3:
                found = next(events)["arrived"] + found
            assert [hit["visitor"] for hit in found] == ["n2", "n1", "n0"]
        with stream(**{"Last-Event-ID": str(first["seq"])}) as answer:
            assert [hit["visitor"] for hit in next(updates(answer))["arrived"]] == ["n2", "n1", "n0"]
    finally:
        server.stop()


def test_who_watches_goes_on_watching_when_the_database_was_away(client, monkeypatch):
    live_feed = client.app.state.services.live_feed
    look_again, failed = live_feed._look_again, []

    def away_once(key, after):
        if not failed:
            failed.append(key)
            raise psycopg.OperationalError("the server is away")
        return look_again(key, after)

    monkeypatch.setattr(live_feed, "_look_again", away_once)
    with client.app.state.services.engine.connect() as connection:
        mill = sites.site_by_key(connection, "mill")

    async def two():
        live_update = live_feed.live_update(mill, None)
        try:
            return [await anext(live_update), await anext(live_update)]
        finally:
            await live_update.aclose()

    first, second = client.portal.call(two)
    assert failed == ["mill"]
    assert second.at > first.at


def updates(answer):
    for line in answer:
        if line.startswith(b"data: "):
            yield json.loads(line.removeprefix(b"data: "))
