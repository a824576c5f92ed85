"""Worth a look: sentences that stand out, each leading to its proof, noted with one key, dismissed with undo; the expected band; silence."""

import re

import pytest
from playwright.sync_api import expect

from tests.browser.conftest import follow, serious


@pytest.fixture
def worth(overview):
    aside = overview.get_by_role("complementary", name="Worth a look")
    aside.get_by_role("listitem").first.wait_for()
    return aside


def test_what_is_planted_is_told_with_its_numbers_its_chart_and_its_proof(overview, worth):
    first = worth.get_by_role("listitem").first
    expect(first).to_contain_text(re.compile(r"\d+ of \d+ people with Course bookings came from pinwheel, but only [\d.]+\s%"))
    expect(first).to_contain_text(re.compile(r"[\d.]+ times, between [\d.]+ and [\d.]+"))
    expect(worth.get_by_role("listitem")).to_have_count(3)
    worth.get_by_role("button", name=re.compile(r"^\d more$")).click()
    expect(worth.get_by_role("listitem").nth(3)).to_be_visible()
    assert worth.get_by_role("listitem").count() <= 7
    letters = overview.get_by_role("region", name="Landing pages").locator("tbody th span[aria-hidden]", has_text=re.compile("^[a-g]$"))
    expect(letters.first).to_be_visible()
    assert serious(overview, "[aria-label='Worth a look']") == []
    a, of = re.search(r"(\d+) of (\d+) people", first.inner_text()).groups()
    first.get_by_role("link").click()
    expect(overview).to_have_url(re.compile("/explain/compare.*by=source"))
    row = overview.get_by_role("grid", name="Compared values").get_by_role("row", name=re.compile("pinwheel"))
    expect(row).to_contain_text(a)
    expect(overview.get_by_text("Held against each other")).to_contain_text(f", {of},")


def test_one_is_noted_with_a_key_and_dismissed_and_told_again(overview, worth):
    first = worth.get_by_role("listitem").first
    text = first.locator("p").first.inner_text().replace("\n", "").replace("\xa0", " ")
    first.get_by_role("link").first.focus()
    overview.keyboard.press("n")
    note = overview.get_by_role("textbox", name="What happened")
    expect(note).to_have_value(re.compile(re.escape(text[:40])))
    expect(overview.get_by_role("combobox", name="Kind")).to_contain_text("finding")
    overview.get_by_role("button", name="Cancel").click()
    overview.keyboard.press("Escape")
    worth.get_by_role("button", name=re.compile("^Dismiss: ")).first.click()
    expect(worth.get_by_role("listitem").first.locator("p").first).not_to_have_text(text)
    overview.get_by_role("button", name="Undo").hover()  # a notice does not go while somebody points at it
    overview.get_by_role("region", name="Channels").get_by_role("button", name="Email", exact=True).press("Enter")
    expect(overview.locator("[data-chip]")).to_have_count(1)
    overview.keyboard.press("Control+z")  # what was done last is taken back first
    expect(overview.locator("[data-chip]")).to_have_count(0)
    expect(overview.get_by_role("button", name="Undo")).to_be_visible()
    overview.keyboard.press("Control+z")
    expect(worth.get_by_role("listitem").first).to_contain_text("pinwheel")
    expect(overview.get_by_role("button", name="Undo")).to_have_count(0)


def test_days_outside_of_what_is_expected_are_ringed_and_said(overview):
    follow(overview, "/s/mill/read/overview")
    overview.get_by_role("button", name="Show Visits in the chart").click()
    chart = overview.get_by_role("slider", name=re.compile("^Visits a day"))
    expect(overview.get_by_text("expected", exact=True)).to_be_visible()
    chart.press("Home")
    expect(chart).to_have_attribute("aria-valuetext", re.compile(r"expected [\d,]+ to [\d,]+"))


def test_a_segment_that_holds_nobody_has_nothing_unusual(overview):
    follow(overview, "/s/mill/read/overview?only=source:nobody")
    aside = overview.get_by_role("complementary", name="Worth a look")
    expect(aside).to_contain_text("Nothing unusual in these 28 days.")
