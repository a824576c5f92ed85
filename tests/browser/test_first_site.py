"""An empty installation: the first site is added, its line of code is shown, and its first visit arrives."""

import re

import pytest
import sqlalchemy as sa
from playwright.sync_api import expect

from tests.browser.conftest import follow, serious, sign_in
from tests.conftest import IN_ONE, PASSWORD, Server
from upper_compass.store import accounts
from upper_compass.store.database import connect

PAGE = '<!doctype html><html lang="en"><head><title>A page</title>{}</head><body>Bread</body></html>'


@pytest.fixture(scope="module")
def engine(database):
    """A database of its own with one user."""
    made = connect(database)
    with made.begin() as connection:
        accounts.add_user(connection, "owner@mill.example", "A new owner with a rather long name", PASSWORD)
    yield made
    made.dispose()


@pytest.fixture(scope="module")
def served(engine, tmp_path_factory):
    server = Server(engine.url.render_as_string(hide_password=False), tmp_path_factory.mktemp("frames"), settings=IN_ONE).start()
    yield server
    server.stop()


@pytest.fixture
def empty(served, engine):
    """An installation with one user and nothing else."""
    with engine.begin() as connection:
        for table in ("hits", "hit_ids", "sites", "sessions"):
            connection.execute(sa.text(f"DELETE FROM {table}"))
    return served


def test_the_first_site_is_added_tagged_and_read(page, empty):
    page.goto(empty.address)
    page.get_by_label("Address").fill("owner@mill.example")
    page.get_by_label("Password").fill(PASSWORD)
    page.get_by_role("button", name="Sign in").click()
    expect(page.get_by_role("heading", level=1)).to_have_text("Your first site")
    form = page.get_by_role("form", name="A new site")
    expect(form.get_by_label("Time zone")).to_have_value(page.evaluate("Intl.DateTimeFormat().resolvedOptions().timeZone"))
    expect(form.get_by_label("Currency")).to_have_value("GBP")  # as the browser's language has it
    form.get_by_label("Name").fill("The mill at the end of the very long lane")
    form.get_by_label("Currency").fill("euro")
    form.get_by_role("button", name="Add the site").click()
    expect(page.get_by_role("alert").first).to_have_text("give at least one")
    expect(form.get_by_label("Hosts")).to_be_focused()
    expect(form.get_by_label("Name")).to_have_value("The mill at the end of the very long lane")
    form.get_by_label("Hosts").fill("http://127.0.0.1:7300/shop mill.example")  # an address is taken as its host
    form.get_by_label("Currency").fill("eur")
    assert serious(page) == []
    form.get_by_role("button", name="Add the site").click()
    expect(page.get_by_role("alert").first).to_contain_text("port")
    form.get_by_label("Hosts").fill("127.0.0.1, mill.example")
    form.get_by_role("button", name="Add the site").click()
    expect(page.get_by_role("heading", level=1)).to_have_text("The mill at the end of the very long lane is waiting for its first visit.")
    code = page.locator("pre code").inner_text()
    assert re.fullmatch(rf'<script defer src="{empty.address}/uc\.js\?site=\w+"></script>', code)
    assert serious(page) == []
    site = page.url.removesuffix("/start")

    visitor = page.context.new_page()
    visitor.route("**/bread", lambda route: route.fulfill(body=PAGE.format(code), content_type="text/html"))
    with visitor.expect_response(re.compile("/collect")) as answered:
        visitor.goto(f"{empty.address}/bread")
    assert answered.value.status == 204
    expect(page.get_by_role("heading", level=1)).to_have_text("The first visit has arrived. Now say what counts.")
    expect(page.get_by_text("Nothing that arrived yet looks like a goal")).to_be_visible()
    visitor.evaluate("uc.event('loaf bought')")
    page.get_by_role("button", name="Count Loaf bought").click()
    expect(page.get_by_role("heading", level=1)).to_contain_text("is read.")
    assert serious(page) == []
    page.get_by_role("link", name="To the Overview").click()
    expect(page.get_by_role("button", name=re.compile("^Steer by: Loaf bought"))).to_be_visible()
    expect(page.locator("section[aria-label='Landing pages'] tbody tr").first).to_contain_text("/bread")  # today so far, not days before it began
    page.get_by_role("button", name=re.compile("^Site: ")).click()
    page.get_by_role("menuitem", name="Add a site").click()
    expect(page.get_by_role("heading", level=1)).to_have_text("Another site")
    form.get_by_label("Name").fill("The second mill")
    form.get_by_label("Hosts").fill("second.example")
    form.get_by_role("button", name="Add the site").click()
    expect(page.get_by_role("heading", level=1)).to_have_text("The second mill is waiting for its first visit.")
    assert not page.url.startswith(site)


def test_a_page_of_another_host_may_not_send(page, empty):
    page.goto(f"{empty.address}/health")
    answer = page.request.post(f"{empty.address}/collect?site=nowhere", data="{}")
    assert answer.status == 404
    assert answer.json()["detail"] == "There is no site with this key."


def open_site(page, empty):
    """A site without a single hit, signed in to."""
    sign_in(page, "owner@mill.example", PASSWORD, empty.address)
    csrf = page.request.get(f"{empty.address}/api/v1/session").json()["csrf"]
    body = {"name": "Bare", "rules": {"hosts": ["bare.example"]}}
    made = page.request.post(f"{empty.address}/api/v1/sites", data=body, headers={"X-CSRF-Token": csrf})
    return f"{empty.address}/s/{made.json()['key']}"


# By view: what a site without a hit is told, so that the next step is plain.
FIRST_STEPS = {
    "read/pages": "No page was seen in these days.",
    "read/sources": "No visits in these days.",
    "read/audience": "No visits in these days.",
    "read/events": "No event came in these days.",
    "explain/compare": "There is nothing to compare",
    "explain/funnels": "Nobody came to the first step in these days.",
    "explain/paths": "as soon as a page is seen, the ways from it stand here",
    "explain/attribution": "Say under Tag → Goals what counts",
    "explain/drivers": "Say under Tag → Goals what counts",
    "explain/segments": "No segment is saved yet.",
    "tag/events": "No event has arrived yet. Name the first one with the code beside",
    "tag/goals": "A goal is a page that is reached, an event, or an order. Make the first one",
    "tag/fields": "A field carries what only your site knows",
    "tag/links": "Links that you save stand here, with the visits that came by them since.",
    "tag/channels": "No aliases yet.",
    "watch/tag-health": "The tags of the last 30 days are in order.",
    "watch/visits": "No visits in these days.",
}


def test_every_view_of_an_empty_site_teaches_the_next_step(page, empty):
    errors = []
    page.on("pageerror", lambda error: errors.append(str(error)))
    site = open_site(page, empty)
    page.goto(f"{site}/tag/settings")
    page.locator("h1").wait_for()
    for view, text in FIRST_STEPS.items():
        follow(page, f"{site}/{view}")
        expect(page.locator("main").get_by_text(text).first).to_be_visible()
        assert serious(page) == [], view
    assert errors == []


def test_the_first_goal_is_made_before_anything_has_happened(page, empty):
    site = open_site(page, empty)
    page.goto(f"{site}/tag/goals")
    page.get_by_role("button", name="Make a goal").click()
    form = page.get_by_role("form", name="A new goal")
    form.get_by_label("Name", exact=True).fill("Thanked")
    form.get_by_label("this").fill("/thanks")
    expect(form.locator("[data-told]")).to_contain_text("it would have counted 0 times")
    form.get_by_role("button", name="Add the goal").click()
    expect(page.locator("tr", has_text="Thanked")).to_contain_text("views of pages that are /thanks, once a visit")
    expect(page.get_by_role("heading", level=1)).to_contain_text("1 goal to steer by")


def test_a_view_says_that_the_server_was_away_and_comes_back(page, empty):
    site = open_site(page, empty)
    failing = {"on": True}
    page.route("**/api/**/events", lambda route: route.abort() if failing["on"] else route.continue_())
    page.route("**/api/**/findings", lambda route: route.fulfill(status=403, json={"detail": "Not for you any more."}) if failing["on"] else route.continue_())
    page.goto(f"{site}/watch/tag-health")
    expect(page.get_by_role("alert")).to_contain_text("Not for you any more.")
    failing["on"] = False
    page.get_by_role("button", name="Try again").click()
    expect(page.get_by_role("heading", level=1)).to_have_text("Nothing is wrong with the tags of the last 30 days.")
    failing["on"] = True
    page.goto(f"{site}/tag/events")
    expect(page.get_by_role("alert")).to_contain_text("The server does not answer.")
    failing["on"] = False
    page.get_by_role("button", name="Try again").click()
    expect(page.locator("[data-empty]")).to_contain_text("No event has arrived yet.")
