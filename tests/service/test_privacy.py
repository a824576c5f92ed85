"""What is stored of visitors, and what is not: the database is read to prove it."""

import json
from datetime import timedelta

import pytest
import sqlalchemy as sa

from tests.conftest import a_hit, columns, now, period, sign_in, stored, values
from upper_compass.collect.tokens import Tokens
from upper_compass.core.definitions.personal_data import MASK, mask_address, mask_text, names_a_person
from upper_compass.services.retention import delete_what_is_over
from upper_compass.store import sites


def collect(client, *hits, query="", headers=None):
    answer = client.post(f"/collect?site=mill{query}", json=list(hits), headers=headers)
    assert answer.status_code == 204, answer.text


def settings(client, **tagging):
    """Change how the site is tagged, for the time of a test."""
    headers = sign_in(client, "owner")
    site = client.get("/api/v1/sites/mill").json()
    body = {"name": site["name"], "rules": site["rules"], "tagging": tagging}
    answer = client.put("/api/v1/sites/mill", json=body, headers=headers)
    assert answer.status_code == 200, answer.text
    return headers


@pytest.mark.parametrize(
    ("text", "masked"),
    [
        ("anna.blum+flour@post.example", MASK),
        ("write to anna@post.example, please", f"write to {MASK}, please"),
        ("anna%40post.example", MASK),
        ("call +353 86 123 4567 now", f"call {MASK} now"),
        ("%2B491701234567", MASK),
        ("bread@home", "bread@home"),
        ("2026-11-22", "2026-11-22"),
        ("flour 1+1", "flour 1+1"),
        ("4006381333931", "4006381333931"),
        ("spring+20261123", "spring+20261123"),
    ],
)
def test_what_looks_like_a_person_is_masked_and_nothing_else(text, masked):
    assert mask_text(text) == masked


@pytest.mark.parametrize(
    ("query", "masked"),
    [
        ("?a=1&email=anna", f"?a=1&email={MASK}"),
        ("?userEmail=anna&b=2#top", f"?userEmail={MASK}&b=2#top"),
        ("?e-mail=x", f"?e-mail={MASK}"),
        ("?phone_no=0861234567", f"?phone_no={MASK}"),
        ("?utm_medium=email&utm_source=letter", "?utm_medium=email&utm_source=letter"),
        ("?email=", "?email="),
        ("?q=anna@post.example", f"?q={MASK}"),
        ("", ""),
    ],
)
def test_addresses_are_masked_by_value_and_by_name_of_the_key(query, masked):
    assert mask_address(f"https://mill.example/a{query}") == f"https://mill.example/a{masked}"


def test_keys_that_only_contain_such_a_word_are_left_alone():
    assert [key for key in ("mailbox", "hotel", "automobile", "telling", "emailing", "Tel", "mobilePhone") if names_a_person(key)] == ["Tel", "mobilePhone"]


def test_nothing_personal_reaches_the_store(client, engine):
    hit = a_hit(
        visitor="masked", kind="event", name="asked anna@post.example", title="For anna@post.example",
        url="https://mill.example/thanks/anna@post.example?email=anna&n=1", referrer="https://mill.example/?mail=anna@post.example",
        props={"email": "anna", "text": "call +353861234567", "count": 3, "sure": True}, fields={"phone": "0861234567"},
    )  # fmt: skip
    collect(client, hit)
    with engine.connect() as connection:
        row = connection.execute(sa.text("SELECT to_jsonb(hits) FROM hits WHERE visitor = 'masked'")).scalar_one()
    assert "anna" not in str(row)
    assert "86" not in str(row["props"]) + str(row["fields"])
    assert row["url"] == f"https://mill.example/thanks/{MASK}?email={MASK}&n=1"
    assert row["props"] == {"email": MASK, "text": f"call {MASK}", "count": 3, "sure": True}


def test_without_a_cookie_a_visitor_is_a_pseudonym_of_the_day_and_the_salt_of_yesterday_is_gone(client, engine, monkeypatch):
    settings(client, cookie=False)
    services = client.app.state.services
    agents = ["Mozilla/5.0 (X11; Linux x86_64) Firefox/139.0", "Mozilla/5.0 (X11; Linux x86_64) Chrome/137.0.0.0"]

    def today(url):
        for agent in (*agents, agents[0]):
            collect(
                client, a_hit(url=url, visitor="what it says", user_agent=agent, at=(services.now() - timedelta(seconds=5)).isoformat(timespec="milliseconds"))
            )
        with engine.connect() as connection:
            return list(connection.execute(sa.text("SELECT visitor FROM hits WHERE url = :url ORDER BY seq"), {"url": url}).scalars())

    first = today("https://mill.example/day-one")
    assert first[0] == first[2] != first[1]
    assert all(len(one) == 32 and "says" not in one for one in first)
    with engine.connect() as connection:
        salts = connection.execute(sa.text("SELECT salt FROM salts")).scalars().all()
    later = services.now() + timedelta(days=1)
    monkeypatch.setattr(services, "now", lambda: later)
    assert not set(today("https://mill.example/day-two")) & set(first)
    with engine.connect() as connection:
        assert connection.execute(sa.text("SELECT salt FROM salts")).scalars().all() != salts
        assert connection.execute(sa.text("SELECT count(*) FROM salts")).scalar() == 1
    monkeypatch.setattr(services, "now", now)
    settings(client)


def test_who_asks_for_nothing_to_be_kept_is_heard(client, engine):
    collect(client, a_hit(visitor="gpc"), headers={"Sec-GPC": "1"})
    assert stored(engine, where="visitor = 'gpc'") == 0


def test_a_browser_can_say_that_it_is_one_of_the_sites_own(client, engine):
    headers = sign_in(client, "viewer")
    token = client.post("/api/v1/sites/mill/own-browsers", headers=headers).json()["token"]
    collect(client, a_hit(visitor="own one"), query=f"&own={token}")
    assert stored(engine, "bool_and(internal)", "visitor = 'own one'") is True
    other = client.post("/api/v1/sites/mill/followed", headers=headers).json()["token"]
    for made_up in ("1", "on", token[:-1], other):  # whom nobody gave a token, and a token for something else
        collect(client, a_hit(visitor="no own one"), query=f"&own={made_up}")
    assert stored(engine, "bool_or(internal)", "visitor = 'no own one'") is False


def test_a_token_of_a_browser_ends(client, engine, monkeypatch):
    services = client.app.state.services
    issued = services.now() - timedelta(days=365, seconds=1)
    with engine.connect() as connection:
        mill = sites.site_by_key(connection, "mill")
    ended = Tokens(lambda: issued).issue(mill, "own")
    collect(client, a_hit(visitor="late"), query=f"&own={ended}")
    assert stored(engine, "bool_or(internal)", "visitor = 'late'") is False


def test_a_link_with_a_token_tells_who_opened_it(client):
    headers = sign_in(client, "viewer")
    token = client.post("/api/v1/sites/mill/followed", headers=headers).json()["token"]
    assert client.get(f"/api/v1/sites/mill/followed/{token}").json() == {"visitor": None}
    collect(client, a_hit(visitor="checker"), query=f"&follow={token}")
    assert client.get(f"/api/v1/sites/mill/followed/{token}", headers=headers).json() == {"visitor": "checker"}
    assert client.get(f"/api/v1/sites/other/followed/{token}").status_code == 404
    made_up = "a-token-of-some-length"
    collect(client, a_hit(visitor="anybody"), query=f"&follow={made_up}")
    assert client.get(f"/api/v1/sites/mill/followed/{made_up}", headers=headers).json() == {"visitor": None}


def test_a_visitor_is_handed_out_and_forgotten_everywhere(client, engine):
    hits = [a_hit(visitor="leaver", title="Bread"), a_hit(visitor="leaver", kind="order", value=9.5, order={"id": "o1", "items": [{"sku": "f1"}]})]
    collect(client, *hits)
    headers = sign_in(client, "owner")
    asked = {"period": period(), "columns": columns("visitors"), "versus": "none"}

    def visitors():
        return values(client.post("/api/v1/sites/mill/reports/table", json=asked, headers=headers).json(), of="total")["visitors"]

    before = visitors()
    exported = client.get("/api/v1/sites/mill/visitors/export", params={"visitor": "leaver"})
    assert "attachment" in exported.headers["content-disposition"]
    again = client.post("/api/v1/sites/mill/import/hits", content=exported.content, headers=headers).json()
    assert (again["lines"], again["already_there"], again["bad"]) == (2, 2, 0)
    sign_in(client, "analyst")
    assert client.get("/api/v1/sites/mill/visitors/export", params={"visitor": "leaver"}).status_code == 403
    headers = sign_in(client, "owner")
    assert client.delete("/api/v1/sites/mill/visitors", params={"visitor": "leaver"}, headers=headers).json() == {"hits": 2}
    assert stored(engine, where="visitor = 'leaver'") == 0
    with engine.connect() as connection:
        assert connection.execute(sa.text("SELECT count(*) FROM hit_ids WHERE id = ANY(:ids)"), {"ids": [hit["id"] for hit in hits]}).scalar() == 0
    assert visitors() == before - 1
    assert client.get("/api/v1/sites/mill/now", params={"visitor": "leaver"}).json()["arrived"] == []
    assert client.delete("/api/v1/sites/mill/visitors", params={"visitor": "leaver"}, headers=headers).status_code == 404


def test_hits_are_kept_as_long_as_the_site_says(client, engine):
    headers = settings(client, keep_days=30)
    at = now()
    old = [a_hit(visitor="old", at=(at - timedelta(days=days)).isoformat(timespec="milliseconds")) for days in (29, 32, 400)]
    lines = "\n".join(json.dumps(hit) for hit in old)
    assert client.post("/api/v1/sites/mill/import/hits", content=lines, headers=headers).json()["stored"] == 3
    assert delete_what_is_over(engine, None, at) == 2
    assert stored(engine, where="visitor = 'old'") == 1
    assert delete_what_is_over(engine, None, at) == 0
    settings(client)
    wrong = client.put(
        "/api/v1/sites/mill", json={"name": "Mill", "rules": {"hosts": ["mill.example"]}, "tagging": {"keep_days": 3}}, headers=sign_in(client, "owner")
    )
    assert (wrong.status_code, wrong.json()["errors"][0]) == (422, {"field": "tagging.keep_days", "text": "this must be 30 or more"})


def test_what_was_turned_away_is_told_to_those_whom_it_concerns(client):
    sign_in(client, "viewer")
    assert client.post("/collect?site=mill", json=a_hit(), headers={"Origin": "https://www.elsewhere.example"}).status_code == 403
    assert client.post("/collect?site=mil", json=a_hit(), headers={"Origin": "https://mill.example"}).status_code == 404
    assert client.post("/collect?site=mil", json=a_hit(), headers={"Origin": "https://stranger.example"}).status_code == 404
    found = client.get("/api/v1/sites/mill/refused").json()
    assert [(one["host"], one["key"], one["why"], one["times"]) for one in found] == [
        ("mill.example", "mil", "unknown key", 1),
        ("elsewhere.example", "mill", "unknown host", 1),
    ]


def test_a_network_that_is_none_is_refused_beside_its_field(client):
    headers = sign_in(client, "owner")
    rules = {"hosts": ["mill.example"], "internal_networks": ["192.0.2.0/24", "our office"]}
    wrong = client.put("/api/v1/sites/mill", json={"name": "Mill", "rules": rules}, headers=headers)
    assert (wrong.status_code, wrong.json()["errors"][0]["field"]) == (422, "rules.internal_networks.1")
    assert "such as 192.0.2.0/24" in wrong.json()["errors"][0]["text"]
