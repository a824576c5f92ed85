"""Forms: what is wrong stands beside its field, what was typed stays, no key that is typed does anything else, and leaving a changed form asks."""

import re

from playwright.sync_api import expect

from tests.browser.conftest import follow


def test_nothing_that_is_typed_leads_away_and_leaving_asks(analyst):
    follow(analyst, "/s/mill/tag/links")
    source = analyst.get_by_label("Source", exact=True)
    source.click()
    source.press_sequentially("card, le")
    expect(analyst.get_by_role("option", name=re.compile("^letter"))).to_contain_text(re.compile(r"[\d,]+ visits"))
    remark = analyst.get_by_role("button", name="Add card to the vocabulary")
    expect(remark).to_be_visible()
    source.press("Tab")
    medium = analyst.get_by_label("Medium", exact=True)
    expect(medium).to_be_focused()  # whatever has been said of the field meanwhile
    medium.press("Shift+Tab")
    expect(analyst.get_by_role("button", name="Add le to the vocabulary")).to_be_focused()
    source.click()
    source.press("ArrowDown")
    source.press("Enter")
    expect(source).to_have_value(re.compile("^card, .*le"))
    analyst.get_by_role("heading", level=1).click()  # out of the field
    for key in "3d71":
        analyst.keyboard.press(key)
    expect(analyst).to_have_url(re.compile("/tag/links$"))
    analyst.get_by_role("link", name="Goals", exact=True).click()
    ask = analyst.get_by_role("dialog", name="Leave without saving?")
    ask.get_by_role("button", name="Cancel").click()
    expect(source).to_have_value(re.compile("^card, "))
    analyst.get_by_role("link", name="Goals", exact=True).click()
    ask.get_by_role("button", name="Leave").click()
    expect(analyst).to_have_url(re.compile("/tag/goals"))


def test_another_goal_is_opened_only_when_what_was_changed_may_be_lost(analyst):
    follow(analyst, "/s/mill/tag/goals")
    analyst.get_by_role("button", name="Orders", exact=True).click()
    name = analyst.get_by_label("Name", exact=True)
    name.fill("Purchases")
    analyst.get_by_role("button", name="Guide downloads", exact=True).click()
    ask = analyst.get_by_role("dialog", name="Leave without saving?")
    ask.get_by_role("button", name="Cancel").click()
    expect(name).to_have_value("Purchases")
    analyst.get_by_role("button", name="Close", exact=True).click()
    ask.get_by_role("button", name="Leave").click()
    expect(name).to_have_count(0)
    analyst.get_by_role("button", name="Orders", exact=True).click()
    expect(name).to_have_value("Orders")
    analyst.get_by_role("button", name="Guide downloads", exact=True).click()  # nothing was changed
    expect(name).to_have_value("Guide downloads")


def test_all_that_is_wrong_is_listed_at_the_foot_and_the_first_takes_the_focus(analyst):
    follow(analyst, "/s/mill/tag/settings")
    form = analyst.get_by_role("form", name="Settings")
    zone, pause = form.get_by_label("Time zone"), form.get_by_label("Pause that ends a visit, in minutes")
    zone.fill("Nowhere/Land")
    zone.press("Escape")
    pause.fill("soon")
    form.get_by_label("Hosts", exact=True).fill("https://fennmoor-mill.example/shop")
    form.get_by_role("button", name="Save").click()
    expect(form.get_by_label("Hosts", exact=True)).to_be_focused()
    foot = form.get_by_role("alert").filter(has_text="Nothing was saved")
    for label in ("Hosts", "Time zone", "Pause that ends a visit, in minutes"):
        expect(foot.get_by_role("button", name=label)).to_be_visible()
    foot.get_by_role("button", name="Pause that ends a visit, in minutes").click()
    expect(pause).to_be_focused()
    expect(pause).to_have_value("soon")
    expect(pause).to_have_attribute("aria-invalid", "true")
    pause.fill("30")
    expect(pause).not_to_have_attribute("aria-invalid", "true")
    expect(zone).to_have_attribute("aria-invalid", "true")
    expect(zone).to_have_value("Nowhere/Land")
