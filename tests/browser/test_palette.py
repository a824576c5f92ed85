"""The palette: whatever has a name is found by it, and what can be done from everywhere is done."""

import re

from playwright.sync_api import expect


def ask(page, text):
    page.keyboard.press("/")
    page.get_by_role("dialog").get_by_role("combobox").fill(text)
    return page.get_by_role("dialog").get_by_role("option")


def test_views_values_goals_and_commands_are_found_and_done_by_key(overview):
    expect(ask(overview, "tag health").first).to_contain_text("Tag health")
    overview.keyboard.press("Enter")
    expect(overview).to_have_url(re.compile("/watch/tag-health"))
    expect(ask(overview, "guides/starter").first).to_contain_text("/guides/starter")
    overview.keyboard.press("Enter")
    expect(overview.locator("[data-chip=only]")).to_contain_text("/guides/starter")
    expect(overview).to_have_url(re.compile("/read/overview"))
    expect(ask(overview, "take back").first).to_contain_text("Take back what was done last")
    overview.keyboard.press("Enter")
    expect(overview.locator("[data-chip=only]")).to_have_count(0)
    ask(overview, "goal orders").first.click()
    expect(overview.get_by_role("button", name="Steer by: Orders")).to_be_visible()
    ask(overview, "no such name at all")
    expect(overview.get_by_role("dialog")).to_contain_text("Nothing has such a name.")
    overview.keyboard.press("Escape")
    expect(overview.get_by_role("dialog")).to_have_count(0)
