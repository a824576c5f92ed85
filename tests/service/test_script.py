"""`/uc.js` over HTTP: each site gets what its settings ask for, and no more."""

import json

import pytest
from starlette.testclient import TestClient

from tests.conftest import fill, sign_in
from upper_compass.api.app import create_app
from upper_compass.core.definitions.script_settings import PART_FILES, PARTS
from upper_compass.settings import Settings

SITE = "/api/v1/sites/mill"


@pytest.fixture(scope="module")
def script(tmp_path_factory):
    """A stand-in for the built script and its parts, each of which says its own name."""
    folder = tmp_path_factory.mktemp("script")
    (folder / "parts").mkdir()
    (folder / "uc.js").write_text("the_script();")
    for part in PART_FILES:
        (folder / "parts" / f"{part}.js").write_text(f"part_{part}();")
    return folder / "uc.js"


@pytest.fixture(scope="module")
def served(database, script, tmp_path_factory):
    fill(database)
    with TestClient(create_app(Settings(database_url=database, storage=str(tmp_path_factory.mktemp("frames")), tracker=script))) as made:
        yield made


def set_tagging(served, **tagging):
    headers = sign_in(served, "owner")
    site = served.get(SITE).json()
    answer = served.put(SITE, json={"name": "Mill", "rules": site["rules"], "tagging": tagging}, headers=headers)
    assert answer.status_code == 200, answer.text


def test_switches_and_settings_of_a_site_reach_its_script(served):
    set_tagging(served, sends=dict.fromkeys(PARTS, False) | {"media": True}, players=["Player.example"])
    answer = served.get("/uc.js?site=mill")
    assert (answer.headers["content-type"], answer.headers["cache-control"]) == ("text/javascript; charset=utf-8", "public, max-age=300")
    assert [part for part in sorted(PART_FILES) if f"part_{part}();" in answer.text] == ["handover", "media"]
    assert answer.text.index("part_media();") < answer.text.index("the_script();")
    options = json.loads(answer.text[answer.text.index("}({") + 2 : answer.text.rindex(",[])")])
    assert options["parts"] == {"players": ["player.example"]}
    set_tagging(served, consent=True, cookie=False)
    options = json.loads((text := served.get("/uc.js?site=mill").text)[text.index("}({") + 2 : text.rindex(",[])")])
    assert (options["consent"], options["cookie"]) == (True, False)


def test_without_a_site_it_is_the_script_alone(served):
    assert served.get("/uc.js").text == "the_script();"


def test_a_key_that_no_site_has_is_said_in_the_console_and_told_to_the_site(served):
    from_mill = {"Referer": "https://www.mill.example/"}
    for address, said in (
        ("/uc.js?site=nobodys", "'nobodys'"),
        ("/uc.js?site=%3C/script%3E", "'\\u003c/script>'"),
        ("/uc.js?site=" + "x" * 99, f"'{'x' * 40}'"),
    ):
        warned, script = served.get(address, headers=from_mill).text.splitlines()
        assert (script, warned[:14]) == ("the_script();", 'console.warn("')
        assert said in warned
    served.get("/uc.js?site=mill", headers=from_mill)
    sign_in(served, "viewer")
    found = {(one["why"], one["key"], one["host"]) for one in served.get(f"{SITE}/refused").json()}
    assert {("unknown key", "nobodys", "mill.example"), ("fetched", "mill", "mill.example")} <= found
    assert "Pages of mill.example bear a key that no site has" in [one["title"] for one in served.get(f"{SITE}/findings").json()]


@pytest.mark.parametrize("wrong", [{"players": ["a b"]}, {"search_keys": [""]}, {"sends": {"smells": True}}, {"sends": {"media": "maybe"}}])
def test_switches_that_make_no_sense_are_named(served, wrong):
    headers = sign_in(served, "owner")
    answer = served.put(SITE, json={"name": "Mill", "rules": {"hosts": ["mill.example"]}, "tagging": wrong}, headers=headers)
    assert answer.status_code == 422
    assert answer.json()["errors"][0]["field"].startswith(f"tagging.{next(iter(wrong))}")


def test_a_script_that_was_not_built_is_a_problem_document(database, tmp_path):
    with TestClient(create_app(Settings(database_url=database, tracker=tmp_path / "uc.js"))) as bare:
        answer = bare.get("/uc.js")
        assert bare.app.state.services.ready.wait(30)  # before the database is dropped
    assert (answer.status_code, answer.json()["detail"]) == (404, "The site script has not been built.")
