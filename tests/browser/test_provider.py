"""Somebody signs in by the provider of their organisation: with a link at first, then without; and is told why not."""

import re

import pytest
from playwright.sync_api import expect

from tests.browser.conftest import serious
from tests.conftest import IN_ONE, Server, fill, now
from tests.service import identity_provider
from upper_compass.store import people
from upper_compass.store.database import connect


@pytest.fixture(scope="module")
def provider():
    with identity_provider.running(now) as made:
        yield made


@pytest.fixture(scope="module")
def served(database, provider, tmp_path_factory):
    fill(database)
    told = {name.upper(): value for name, value in identity_provider.settings_of(provider).items()}
    server = Server(database, tmp_path_factory.mktemp("frames"), settings=told | IN_ONE).start()
    yield server
    server.stop()


def test_the_provider_lets_in_whom_somebody_let_in(page, served, database):
    page.goto(served.address)
    page.get_by_role("button", name="Sign in with Fennmoor ID").click()
    expect(page.get_by_role("alert")).to_contain_text("Fennmoor ID told who you are, but nobody let you in here yet.")
    expect(page.get_by_role("form", name="Sign in")).to_be_visible()
    assert serious(page) == []
    engine = connect(database)
    with engine.begin() as connection:
        _, secret = people.invite(connection, 1, "analyst", "Ruth", 1)
    engine.dispose()
    page.goto(f"{served.address}/invited#{secret}")
    page.get_by_role("button", name="Sign in with Fennmoor ID").click()
    expect(page).to_have_url(re.compile("/s/mill/"))
    page.get_by_role("button", name=re.compile("signed in as Ruth Averdieck$")).click()
    page.get_by_role("menuitem", name="Your account").click()
    expect(page.get_by_role("region", name="Password")).to_contain_text("You have none: you sign in with Fennmoor ID.")
    page.context.clear_cookies()
    page.goto(served.address)
    page.get_by_role("button", name="Sign in with Fennmoor ID").click()
    expect(page).to_have_url(re.compile("/s/mill/"))
