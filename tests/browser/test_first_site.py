"""An empty installation: the first site is added, its line of code is shown, and its first visit arrives."""

import re
import secrets

import pytest
from playwright.sync_api import expect

from tests.browser.conftest import serious
from tests.conftest import PASSWORD, Server
from upper_compass.store import people
from upper_compass.store.database import connect, migrate

PAGE = '<!doctype html><html lang="en"><head><title>A page</title>{}</head><body>Bread</body></html>'


@pytest.fixture
def empty(cluster, tmp_path):
    """An installation with one user and nothing else."""
    name = f"compass_test_{secrets.token_hex(6)}"
    cluster.ensure_database(name)
    engine = connect(cluster.url(name))
    migrate(engine)
    with engine.begin() as connection:
        people.add_user(connection, "owner@mill.example", "A new owner with a rather long name", PASSWORD)
    server = Server(cluster.url(name), tmp_path).start()
    yield server
    server.stop()
    engine.dispose()
    cluster.drop_database(name)


def test_the_first_site_is_added_tagged_and_read(page, empty):
    page.goto(empty.address)
    page.get_by_label("Address").fill("owner@mill.example")
    page.get_by_label("Password").fill(PASSWORD)
    page.get_by_role("button", name="Sign in").click()
    expect(page.get_by_role("heading", level=1)).to_have_text("Your first site")
    page.get_by_label("What the site is called").fill("The mill at the end of the very long lane")
    page.get_by_label("Its currency").fill("euro")
    page.get_by_role("button", name="Add the site").click()
    expect(page.get_by_role("alert").first).to_have_text("give at least one")
    expect(page.get_by_label("What the site is called")).to_have_value("The mill at the end of the very long lane")
    page.get_by_label("Its hosts").fill("127.0.0.1, mill.example")
    page.get_by_label("Its currency").fill("eur")
    assert serious(page) == []
    page.get_by_role("button", name="Add the site").click()
    code = page.locator("pre code").inner_text()
    assert re.fullmatch(rf'<script defer src="{empty.address}/uc\.js\?site=\w+"></script>', code)
    page.get_by_role("button", name="To the Overview").click()
    expect(page.get_by_role("heading", level=1)).to_have_text("Say what counts: this site has no goal yet.")
    expect(page.locator(".empty").first).to_contain_text("No visits in these days")
    assert serious(page) == []

    visitor = page.context.new_page()
    visitor.route("**/bread", lambda route: route.fulfill(body=PAGE.format(code), content_type="text/html"))
    with visitor.expect_response(re.compile("/collect")) as answered:
        visitor.goto(f"{empty.address}/bread")
    assert answered.value.status == 204
    expect(page.get_by_role("button", name=re.compile("^1 visit$"))).to_be_visible()
    page.get_by_role("button", name=re.compile("^1 visit$")).click()
    expect(page.locator("section[aria-label='Landing pages'] tbody tr").first).to_contain_text("/bread")


def test_a_page_of_another_host_may_not_send(page, empty):
    page.goto(f"{empty.address}/health")
    answer = page.request.post(f"{empty.address}/collect?site=nowhere", data="{}")
    assert answer.status == 404
    assert answer.json()["detail"] == "There is no site with this key."
