"""The collector over HTTP: what is stored, what is refused and how."""

import json
import uuid
from datetime import timedelta

import pytest

from tests.conftest import a_hit, now, sign_in, stored
from upper_compass.collect.writing import BusyError, NotStoredError
from upper_compass.core.definitions.site_rules import SiteRules
from upper_compass.store import sites


def send(client, body, site="mill", kind="text/plain", query="", **headers):
    content = body if isinstance(body, (str, bytes)) else json.dumps(body)
    return client.post(f"/collect?site={site}{query}", content=content, headers={"Content-Type": kind} | headers)


def ms(moment):
    return round(moment.timestamp() * 1000)


@pytest.mark.parametrize("kind", ["text/plain", "application/json", "text/plain;charset=UTF-8"])
def test_a_hit_that_was_answered_with_204_is_stored(client, engine, kind):
    hit = a_hit()
    assert send(client, hit, kind=kind).status_code == 204
    assert stored(engine, where=f"id = '{hit['id']}' AND visitor = 'v1' AND kind = 1") == 1


def test_the_same_id_is_stored_once_whatever_its_case_and_the_copy_that_came_first_stays(client, engine):
    hit = a_hit(title="first")
    assert send(client, [hit, hit | {"title": "second"}]).status_code == 204
    assert send(client, hit | {"id": hit["id"].upper(), "title": "third"}).status_code == 204
    assert stored(engine, "string_agg(title, ',')", f"id = '{hit['id']}'") == "first"


def test_everything_a_hit_has_is_kept(client, engine):
    order = {"id": "o1", "items": [{"sku": "rye", "quantity": 2, "price": 7.2}], "shipping": 4.9}
    hit = a_hit(
        kind="order", order=order, value=19.3, currency="EUR", language="en-IE", timezone="Europe/Dublin", screen="1x1", fields={"plan": "b"}, props={"a": True}
    )
    assert send(client, hit).status_code == 204
    assert stored(engine, "order_data->'items'->0->>'sku' || order_id || (props->>'a') || (fields->>'plan')", f"id = '{hit['id']}'") == "ryeo1trueb"


@pytest.mark.parametrize(
    ("changes", "field"),
    [
        ({"id": "no uuid"}, "id"),
        ({"at": "yesterday"}, "at"),
        ({"at": "2026-01-01T00:00:00"}, "at"),
        ({"visitor": ""}, "visitor"),
        ({"visitor": "x" * 65}, "visitor"),
        ({"kind": "glance"}, "kind"),
        ({"url": "/courses"}, "url"),
        ({"url": "javascript:alert(1)"}, "url"),
        ({"kind": "event"}, "name"),
        ({"kind": "event", "name": ""}, "name"),
        ({"url": "https://elsewhere.example/"}, "url"),
        ({"url": "https://mill.example@elsewhere.example/"}, "url"),
        ({"kind": "engage"}, "engaged_ms"),
    ],
)
def test_what_is_wrong_is_named_and_nothing_is_stored(client, engine, changes, field):
    before = stored(engine)
    answer = send(client, a_hit(**changes))
    assert answer.status_code == 422
    assert answer.headers["content-type"] == "application/problem+json"
    assert answer.json()["errors"][0]["field"].split(".")[0] == field
    assert stored(engine) == before


ITEM = {"sku": "lamp", "quantity": 1, "price": 5}


@pytest.mark.parametrize(
    ("changes", "column", "kept", "told"),
    [
        ({"name": "x"}, "name", None, ["name"]),
        ({"value": "5"}, "value", 5.0, []),
        ({"value": [5]}, "value", None, ["value"]),
        ({"currency": "euro"}, "currency", None, ["currency"]),
        ({"currency": "sek"}, "currency", "SEK", []),
        ({"props": {f"k{i:02}": 1 for i in range(33)}}, "(props->>'k31') || (props->>'k32')", None, ["props"]),
        ({"props": {"a": [1], "b": "x" * 1001, "c": 2}}, "props->>'c'", "2.0", ["props"]),
        ({"fields": {"plan": 5}}, "fields->>'plan'", "5", []),
        ({"unknown": 1, "url": "https://mill.example/a"}, "url", "https://mill.example/a", ["unknown"]),
        ({"title": "x" * 501}, "title", "x" * 500, ["title"]),
        ({"title": "a\x00b"}, "title", "ab", ["title"]),
        ({"country": "IE"}, "country", None, ["country"]),
        ({"kind": "order", "value": 5, "order": {"id": "o", "items": [{"id": "lamp"}]}}, "order_data->'items'->0->>'sku'", "lamp", []),
        ({"kind": "order", "value": 5, "order": {"id": 17, "items": [{"product_id": 4, "qty": "2", "unit_price": 1.5, "colour": "red"}]}},
         "order_id || (order_data->'items'->0->>'sku') || (order_data->'items'->0->>'quantity') || (order_data->'items'->0->>'price')", "1742.01.5",
         ["order.items.colour"]),
        ({"kind": "order", "value": 5, "order": {"id": "o", "items": [ITEM, "nonsense"], "tax": "much"}}, "order_data->'items'->0->>'sku'", "lamp",
         ["order.items", "order.tax"]),
        ({"kind": "order", "value": 5, "order": {"id": "o", "items": [ITEM] * 201}}, "jsonb_array_length(order_data->'items')", 200, ["order.items"]),
        ({"kind": "order", "value": 5, "order": "o"}, "value", 5.0, ["order"]),
    ],
)  # fmt: skip
def test_what_is_not_understood_is_left_out_and_told_and_the_rest_is_stored(client, engine, changes, column, kept, told):
    hit = a_hit(**{"url": f"https://mill.example/{uuid.uuid4().hex[:8]}"} | changes)
    client.app.state.services.refusals.flush()
    with engine.begin() as connection:
        connection.exec_driver_sql("DELETE FROM refusals")
    assert send(client, hit).status_code == 204
    assert stored(engine, column, f"id = '{hit['id']}'") == kept
    sign_in(client, "viewer")
    found = client.get("/api/v1/sites/mill/refused").json()
    assert sorted(one["field"] for one in found if one["why"] == "shortened") == told
    assert {one["page"] for one in found} <= {hit["url"].removeprefix("https://mill.example")}
    findings = [one for one in client.get("/api/v1/sites/mill/findings").json() if one["kind"] == "shortened hits"]
    assert sorted(one["title"].split(" ")[2] for one in findings) == told


def test_refused_hits_are_told_by_field_and_page(client):
    send(client, a_hit(kind="glance", url="https://mill.example/shop?email=jo@mill.example"))
    sign_in(client, "viewer")
    [finding] = [one for one in client.get("/api/v1/sites/mill/findings").json() if one["kind"] == "refused hits" and "kind" in one["key"]]
    assert (finding["title"], finding["severity"]) == ("Hits are refused for their kind", "high")
    assert "/shop" in finding["examples"]


def test_copies_of_a_hit_keep_the_first_ones_place_in_the_order_of_arrival(client, engine):
    at = (now() - timedelta(seconds=9)).isoformat(timespec="milliseconds")
    first, second = a_hit(at=at, visitor="place", title="first"), a_hit(at=at, visitor="place", title="second")
    assert send(client, [first, second, first | {"title": "first again"}]).status_code == 204
    assert stored(engine, "string_agg(title, ',' ORDER BY seq)", "visitor = 'place'") == "first,second"


def test_of_a_partly_bad_list_the_good_are_stored_and_the_bad_named_by_index(client, engine):
    good = [a_hit(), a_hit()]
    answer = send(client, [good[0], a_hit(kind="glance"), good[1], "nonsense"])
    assert answer.status_code == 422
    assert [error["index"] for error in answer.json()["errors"]] == [1, 3]
    assert stored(engine, where=f"id IN ('{good[0]['id']}', '{good[1]['id']}')") == 2


@pytest.mark.parametrize("body", ["", "{", "[1, 2", "null", "\xff", "[" * 5000, json.dumps([{}] * 101)])
def test_a_body_that_cannot_be_read_is_refused(client, body):
    assert send(client, body).status_code == 422


def test_too_long_a_body_a_wrong_type_and_an_unknown_site_are_refused(client):
    assert send(client, "x" * (64 * 1024 + 1)).status_code == 413
    assert send(client, a_hit(), kind="application/xml").status_code == 415
    answer = send(client, a_hit(), site="nowhere")
    assert (answer.status_code, answer.json()["errors"][0]["field"]) == (404, "site")


def test_absurd_times_are_corrected_by_the_senders_clock_else_refused(client, engine):
    at = now()
    wrong = at + timedelta(days=400)
    ahead = a_hit(at=wrong.isoformat())
    assert send(client, ahead).json()["errors"][0]["field"] == "at"
    assert send(client, ahead, query=f"&sent={ms(wrong + timedelta(seconds=3))}").status_code == 204
    assert abs(stored(engine, "extract(epoch FROM at)::float", f"id = '{ahead['id']}'") - (at.timestamp() - 3)) < 5
    old = a_hit(at=(at - timedelta(days=3)).isoformat())
    assert "a day ago" in send(client, old, query=f"&sent={ms(at)}").json()["errors"][0]["text"]


def test_a_page_of_the_sites_hosts_may_send_and_read_the_answer_and_no_other(client):
    allowed = send(client, a_hit(), Origin="https://www.mill.example:8443")
    assert allowed.headers["access-control-allow-origin"] == "https://www.mill.example:8443"
    assert send(client, a_hit(), Origin="https://evil.example").status_code == 403
    assert send(client, {}, Origin="https://mill.example").headers["access-control-allow-origin"] == "https://mill.example"
    asked = client.options("/collect?site=mill", headers={"Origin": "https://mill.example", "Access-Control-Request-Method": "POST"})
    assert (asked.status_code, asked.headers["access-control-allow-methods"]) == (204, "POST")


def test_robots_are_marked_and_own_traffic_too_and_no_address_is_stored(client, engine):
    with engine.begin() as connection:
        mill = sites.site_by_key(connection, "mill")
        sites.add_site(connection, "Own", SiteRules(hosts=["own.example"], internal_networks=["10.0.0.0/8"]), 1, "own")
    robot, person = a_hit(user_agent="python-requests/2.32.4"), a_hit()
    assert send(client, [robot, person]).status_code == 204
    assert stored(engine, "array_agg(robot ORDER BY robot)", f"id IN ('{robot['id']}', '{person['id']}')") == [False, True]
    assert mill is not None
    columns = stored(engine, "(SELECT string_agg(column_name, ' ') FROM information_schema.columns WHERE table_name = 'hits')", "true LIMIT 1")
    assert "address" not in columns
    assert " ip" not in columns


def test_own_traffic_is_known_by_its_network():
    from upper_compass.collect.marking import is_internal, read_networks

    networks = read_networks(["10.0.0.0/8", "2001:db8::/32", "nonsense"])
    assert [is_internal(address, networks) for address in ("10.1.2.3", "2001:db8::1", "11.0.0.1", None, "testclient")] == [True, True, False, False, False]


@pytest.mark.parametrize("trouble", [BusyError, NotStoredError])
def test_when_hits_cannot_be_stored_the_sender_is_asked_to_wait(client, monkeypatch, trouble):
    async def put(_):
        raise trouble

    monkeypatch.setattr(client.app.state.services.writer, "put", put)
    answer = send(client, a_hit(), Origin="https://mill.example")
    assert (answer.status_code, answer.headers["retry-after"]) == (503, "2")
    assert answer.headers["access-control-allow-origin"] == "https://mill.example"
