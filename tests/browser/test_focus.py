"""The focus is never lost: when what had it is gone, it goes to what comes next."""

import re

from playwright.sync_api import expect

from tests.browser.conftest import confirm, follow
from tests.browser.telling import until

IS_HERE = "document.getElementById('page').contains(document.activeElement)"
HERE = f"{IS_HERE} && document.activeElement.innerText"


def drawn(page):
    page.wait_for_load_state("networkidle")
    page.evaluate("new Promise((done) => requestAnimationFrame(() => requestAnimationFrame(done)))")


def stays(page):
    """What has the focus in the page, once everything was drawn."""
    drawn(page)
    until(page, IS_HERE)  # a list that is read anew takes it for a moment
    drawn(page)
    return page.evaluate(HERE)


def test_after_enter_on_a_value_of_a_ledger(overview):
    channels = overview.get_by_role("region", name="Channels")
    channels.locator("[data-cell='2 0']").focus()
    overview.keyboard.press("Enter")
    expect(overview.locator("[data-chip=only]")).to_be_visible()
    expect(channels.locator("tbody tr")).to_have_count(1)
    assert stays(overview)


def test_after_a_goal_was_archived_from_its_own_form(analyst):
    follow(analyst, "/s/mill/tag/goals")
    analyst.get_by_role("button", name="Guide downloads", exact=True).press("Enter")
    analyst.get_by_role("button", name="Archive …").press("Enter")
    confirm(analyst, "Archive", key="Enter")
    expect(analyst.get_by_role("form")).to_have_count(0)
    assert stays(analyst)
    analyst.get_by_role("button", name="Restore Guide downloads").press("Enter")
    expect(analyst.get_by_role("button", name="Restore Guide downloads")).to_have_count(0)
    assert stays(analyst)


def test_after_a_remark_was_followed_by_key(analyst):
    follow(analyst, "/s/mill/tag/links")
    analyst.get_by_label("Medium", exact=True).fill("newsleter")
    use = analyst.get_by_role("button", name=re.compile("^Use ")).first
    use.press("Enter")
    expect(analyst.get_by_label("Medium", exact=True)).not_to_have_value("newsleter")
    assert stays(analyst) is not False


def test_after_a_line_of_a_list_was_removed_it_is_on_the_next(analyst):
    follow(analyst, "/s/mill/tag/channels")
    analyst.get_by_role("button", name="Add an alias").press("Enter")
    analyst.get_by_label("This", exact=True).last.fill("one")
    analyst.get_by_role("button", name="Remove one").press("Enter")
    expect(analyst.get_by_role("button", name="Remove one")).to_have_count(0)
    assert stays(analyst) == "Add an alias"


def test_who_clicks_beside_everything_is_not_called_back(overview):
    channels = overview.get_by_role("region", name="Channels")
    channels.locator("[data-cell='2 0']").focus()
    overview.locator("main h1").click(position={"x": 2, "y": 2})
    overview.keyboard.press("v")  # all is drawn anew
    expect(overview.get_by_role("button", name="Versus: nothing")).to_be_visible()
    drawn(overview)
    assert overview.evaluate("document.activeElement.id") in ("page", "")
