"""Tag rules over HTTP: the draft, trials, versions, who may do what, and what reaches the site script."""

import json

import pytest
import sqlalchemy as sa
from starlette.testclient import TestClient

from tests.conftest import fill, sign_in
from upper_compass.api.app import create_app
from upper_compass.core.definitions.script_settings import PART_FILES
from upper_compass.settings import Settings

RULES = "/api/v1/sites/mill/rules"
READ = {"id": "readings", "name": "Read", "when": {"kind": "page shown"}, "then": [{"kind": "event", "name": "read"}]}
HELLO = {"id": "greeting", "name": "Hello", "when": {"kind": "leaving"}, "then": [{"kind": "html", "html": "<p>Hello</p>", "selector": "main"}]}


@pytest.fixture(scope="module")
def application(database, tmp_path_factory):
    """The application with a stand-in for the built script."""
    folder = tmp_path_factory.mktemp("script")
    (folder / "parts").mkdir()
    (folder / "uc.js").write_text("the_script();")
    for part in ("rules", "visit", "trial", *PART_FILES):
        (folder / "parts" / f"{part}.js").write_text(f"part_{part}();")
    fill(database)
    with TestClient(create_app(Settings(database_url=database, storage=str(folder / "frames"), tracker=folder / "uc.js"))) as made:
        yield made


@pytest.fixture
def served(application, engine, monkeypatch):
    """Nothing was drafted or made live yet."""
    with engine.begin() as connection:
        for what in ("DELETE FROM rule_versions", "DELETE FROM rule_drafts", "UPDATE sites SET tagging = '{}'"):
            connection.execute(sa.text(what))
    application.app.state.services.directory.forget()  # for what is done past the application's doors is told a moment later
    return application


def draft(served, name, *rules, was=None):
    return served.put(f"{RULES}/draft", json={"rules": list(rules), "was": was}, headers=sign_in(served, name))


def make_live(served, name, *rules, note=""):
    answer = draft(served, name, *rules)
    assert answer.status_code == 200, answer.text
    return served.post(f"{RULES}/versions", json={"note": note}, headers=sign_in(served, name))


def read(served, name="viewer"):
    sign_in(served, name)
    return served.get(RULES).json()


def settings_in(text):
    """What is written around the script, as data."""
    return json.loads(text[text.index("}({") + 2 : text.rindex(",[])")])


def test_a_draft_changes_nothing_until_it_is_made_live(served):
    before = served.get("/uc.js?site=mill").text
    held = draft(served, "analyst", READ).json()
    assert [(one["what"], one["becomes"]["name"]) for one in held["changes"]] == [("added", "Read")]
    assert served.get("/uc.js?site=mill").text == before
    assert "part_rules" not in before
    made = served.post(f"{RULES}/versions", json={"note": "First"}, headers=sign_in(served, "analyst")).json()
    assert ([one["number"] for one in made["versions"]], made["changes"], made["versions"][0]["note"]) == ([1], [], "First")
    text = served.get("/uc.js?site=mill").text
    assert text.index("part_rules();") < text.index("the_script();")
    assert settings_in(text)["parts"]["rules"] == [
        {"id": "readings", "when": {"kind": "page shown"}, "only_if": [], "then": [{"kind": "event", "name": "read", "props": []}]}
    ]
    assert "part_visit" not in text


def test_what_asks_for_the_visit_brings_its_part_and_text_never_ends_the_script(served):
    rule = READ | {
        "only_if": [{"kind": "visitor", "visitor": "new"}],
        "then": [{"kind": "event", "name": "</script><script>alert(1)"}],
    }
    assert make_live(served, "analyst", rule).status_code == 201
    text = served.get("/uc.js?site=mill").text
    assert text.index("part_visit();") < text.index("part_rules();")
    assert settings_in(text)["parts"]["gap"] == 30
    assert "</script>" not in text
    assert settings_in(text)["parts"]["rules"][0]["then"][0]["name"] == "</script><script>alert(1)"


def test_going_back_makes_an_older_version_live_and_leaves_the_draft(served):
    other = READ | {"name": "Read it"}
    make_live(served, "analyst", READ)
    make_live(served, "analyst", other, note="Another name")
    draft(served, "analyst")
    headers = sign_in(served, "analyst")
    held = served.post(f"{RULES}/versions/1/again", headers=headers).json()
    assert [(one["number"], one["note"]) for one in held["versions"]] == [(3, "Back to version 1"), (2, "Another name"), (1, "")]
    assert (held["draft"], [one["what"] for one in held["changes"]]) == ([], ["removed"])
    compared = served.get(f"{RULES}/changes?before=3&after=2").json()
    assert [(one["what"], one["parts"], one["was"]["name"], one["becomes"]["name"]) for one in compared] == [("changed", ["name"], "Read", "Read it")]
    assert [one["what"] for one in served.get(f"{RULES}/changes?before=0&after=1").json()] == ["added"]
    assert served.get(f"{RULES}/changes?before=9&after=1").status_code == 404
    assert served.post(f"{RULES}/versions/1/again", headers=headers).status_code == 409
    assert served.post(f"{RULES}/versions/9/again", headers=headers).status_code == 404
    assert served.delete(f"{RULES}/draft", headers=headers).status_code == 204
    assert [one["name"] for one in read(served)["draft"]] == ["Read"]


def test_nothing_goes_live_that_was_not_seen(served):
    draft(served, "analyst", READ)
    seen = read(served)["draft"]
    assert draft(served, "owner", READ, HELLO, was=seen).status_code == 200
    assert draft(served, "analyst", was=seen).status_code == 409
    headers = sign_in(served, "analyst")
    assert served.post(f"{RULES}/versions", json={"was": seen}, headers=headers).status_code == 409
    assert (len(read(served)["draft"]), read(served)["versions"]) == (2, [])
    make_live(served, "owner", READ)
    answer = served.post(f"{RULES}/versions", json={}, headers=sign_in(served, "owner"))
    assert (answer.status_code, answer.json()["detail"]) == (409, "The draft is just what is live already.")


def test_html_is_for_owners_and_only_where_the_site_allows_it(served):
    refused = draft(served, "analyst", HELLO)
    assert (refused.status_code, refused.json()["errors"][0]["field"]) == (403, "rules")
    assert draft(served, "owner", READ, HELLO).status_code == 200
    assert draft(served, "analyst", HELLO, READ | {"name": "Other"}).status_code == 200, "what an owner put there may stay"
    assert served.post(f"{RULES}/versions", json={}, headers=sign_in(served, "analyst")).status_code == 403
    assert served.post(f"{RULES}/versions", json={}, headers=sign_in(served, "owner")).status_code == 201
    assert [one["id"] for one in settings_in(served.get("/uc.js?site=mill").text)["parts"]["rules"]] == ["readings"]
    site = served.get("/api/v1/sites/mill").json()
    body = {"name": "Mill", "rules": site["rules"], "tagging": {"inserts_html": True}}
    assert served.put("/api/v1/sites/mill", json=body, headers=sign_in(served, "owner")).status_code == 200
    [hello, _] = settings_in(served.get("/uc.js?site=mill").text)["parts"]["rules"]
    assert hello["then"] == [{"kind": "html", "html": "<p>Hello</p>", "place": "at the end", "selector": "main"}]
    make_live(served, "owner", READ)
    headers = sign_in(served, "analyst")
    assert served.post(f"{RULES}/versions/1/again", headers=headers).status_code == 403


def test_a_trial_gives_the_draft_to_whoever_has_its_token_for_a_day(served, engine):
    make_live(served, "analyst", READ)
    draft(served, "analyst", READ | {"name": "Tried", "paused": True})
    token = served.post(f"{RULES}/trials", headers=sign_in(served, "analyst")).json()["token"]
    served.cookies.clear()
    answer = served.get(f"/uc.js?site=mill&trial={token}")
    assert (answer.status_code, answer.headers["cache-control"]) == (200, "no-store")
    assert "part_trial();" in answer.text
    data = json.loads(answer.text[answer.text.index("}({") + 2 : answer.text.rindex(")")])
    assert ([one["name"] for one in data["rules"]], data["gap"]) == (["Tried"], 30)
    for address in (f"/uc.js?site=other&trial={token}", f"/uc.js?trial={token}", "/uc.js?site=mill&trial=made-up", "/uc.js?site=mill&trial="):
        assert served.get(address).status_code == 404
    with engine.begin() as connection:
        assert token.encode() not in [bytes(kept) for kept in connection.execute(sa.text("SELECT token_hash FROM rule_trials")).scalars()]
        connection.execute(sa.text("UPDATE rule_trials SET expires_at = '2020-01-01'"))
    assert served.get(f"/uc.js?site=mill&trial={token}").status_code == 404


def test_a_trial_ends_with_the_role_of_who_began_it(served, engine):
    token = served.post(f"{RULES}/trials", headers=sign_in(served, "analyst")).json()["token"]
    assert served.get(f"/uc.js?site=mill&trial={token}").status_code == 200
    change = "UPDATE roles SET role = '{}' WHERE user_id = (SELECT id FROM users WHERE name = 'Analyst')"
    with engine.begin() as connection:
        connection.execute(sa.text(change.format("viewer")))
    assert served.get(f"/uc.js?site=mill&trial={token}").status_code == 404
    with engine.begin() as connection:
        connection.execute(sa.text(change.format("analyst")))
    assert served.get(f"/uc.js?site=mill&trial={token}").status_code == 200


def test_viewers_read_and_change_nothing(served):
    assert draft(served, "viewer", READ).status_code == 403
    headers = sign_in(served, "viewer")
    assert served.post(f"{RULES}/versions", json={}, headers=headers).status_code == 403
    assert served.post(f"{RULES}/trials", headers=headers).status_code == 403
    assert served.get(RULES).status_code == 200


def test_what_is_wrong_is_told_by_its_place_and_nothing_is_kept(served):
    answer = draft(served, "analyst", READ, READ | {"id": "another1", "when": {"kind": "scrolled", "percent": 500}})
    assert (answer.status_code, answer.json()["errors"]) == (
        422,
        [{"field": "rules.1.when.scrolled.percent", "text": "this must be 100 or less"}],
    )
    assert read(served)["draft"] == []


@pytest.mark.parametrize(
    ("view", "told"),
    [
        ({"url": "https://mill.example/?utm_source=Letter&utm_medium=E-Mail&utm_campaign=a"}, ("letter", "e-mail", "a", "", "Email", True)),
        ({"url": "https://mill.example/?via=card"}, ("card", "link", "", "card", "Referral", True)),
        ({"url": "https://mill.example/", "referrer": "https://crumb.example/page"}, ("crumb.example", "referral", "", "", "Referral", True)),
        ({"url": "https://mill.example/", "referrer": "https://mill.example/a"}, ("direct", "none", "", "", "Direct", False)),
    ],
)
def test_where_a_view_came_from_is_told_as_reports_have_it(served, view, told):
    answer = served.post("/collect/source?site=mill", json=view, headers={"Origin": "https://mill.example"})
    found = answer.json()
    assert tuple(found[name] for name in ("source", "medium", "campaign", "label", "channel", "evidence")) == told
    assert answer.headers["access-control-allow-origin"] == "https://mill.example"


def test_only_the_sites_own_pages_may_ask_where_a_view_came_from(served):
    view = {"url": "https://mill.example/"}
    assert served.post("/collect/source?site=mill", json=view, headers={"Origin": "https://bad.example"}).status_code == 403
    assert served.post("/collect/source?site=nobodys", json=view).status_code == 404
    answer = served.post("/collect/source?site=mill", json={"url": "nowhere"})
    assert (answer.status_code, answer.json()["errors"][0]["field"]) == (422, "url")


def test_the_fifty_newest_versions_are_told_and_older_ones_can_still_be_gone_back_to(served):
    for number in range(52):
        assert make_live(served, "analyst", READ | {"name": f"Read {number}"}).status_code == 201
    versions = read(served)["versions"]
    assert ([one["number"] for one in versions], versions[-1]["changes"][0]["what"]) == (list(range(52, 2, -1)), "changed")
    answer = served.post(f"{RULES}/versions/1/again", headers=sign_in(served, "analyst"))
    assert (answer.json()["versions"][0]["number"], answer.json()["draft"][0]["name"]) == (53, "Read 0")


def test_a_hundred_rules_are_kept_and_no_more(served):
    many = [READ | {"id": f"rule{number:04}"} for number in range(101)]
    assert draft(served, "analyst", *many[:100]).status_code == 200
    answer = draft(served, "analyst", *many)
    assert (answer.status_code, answer.json()["errors"]) == (422, [{"field": "rules", "text": "these are more than 100"}])
    assert len(read(served)["draft"]) == 100


def test_the_history_says_who_drafted_and_who_made_it_live(served, engine):
    make_live(served, "analyst", READ, note="First")
    with engine.connect() as connection:
        rows = connection.execute(
            sa.text("SELECT users.name, after FROM changes JOIN users ON users.id = user_id WHERE thing = 'rules' ORDER BY changes.id DESC LIMIT 2")
        ).all()
    assert [(row.name, row.after.get("note"), len(row.after.get("rules", []))) for row in rows] == [("Analyst", "First", 0), ("Analyst", None, 1)]
