"""Tag health on the screen: read, mended, taken back, left with a reason."""

import re

import pytest
from playwright.sync_api import expect

from tests.browser.conftest import follow, serious


@pytest.fixture
def health(analyst):
    follow(analyst, "/s/mill/watch/tag-health")
    analyst.locator("[aria-label='Findings'] > li").first.wait_for()
    return analyst


def test_the_demo_has_several_of_each_kind_that_can_be_mended(health):
    expect(health.get_by_role("heading", level=1)).to_contain_text(re.compile(r"\d+ things to look at in the tags of the last 30 days; \d+ to fix first"))
    for button in (re.compile("^Read it as"), "Ignore as a source", "Give it this channel"):
        assert health.get_by_role("button", name=button).count() >= 2
    for what in ("seems to be without the code", "hold personal data", "seem to be untagged", "sent twice", "map is undefined", "Robots"):
        expect(health.locator("[aria-label='Findings'] > li[aria-label]", has_text=what).first).to_be_visible()


def test_a_finding_is_mended_here_and_taken_back(health):
    for title in ("The medium e-mail is spelled like email", "pay.copperpot.example", "The medium flyer-stand fits no channel"):
        finding = health.locator("[aria-label='Findings'] > li[aria-label]", has_text=title)
        finding.get_by_role("button", name=re.compile("^(Read it as|Ignore as a source|Give it this channel)")).press("Enter")
        expect(finding).to_contain_text(re.compile(r"[\d,]+ of [\d,]+ visits change in the last 90 days"))
        expect(finding.get_by_role("button", name="Fix", exact=True)).to_be_focused()
        health.keyboard.press("Enter")
        expect(finding).to_have_count(0)
        expect(health.get_by_role("status")).to_contain_text("Fixed")
        health.get_by_role("button", name="Undo").click()
        expect(finding).to_have_count(1)


def test_what_was_fixed_stays_in_a_list_and_in_the_one_history(health):
    finding = health.locator("[aria-label='Findings'] > li[aria-label]", has_text="pay.copperpot.example")
    finding.get_by_role("button", name="Ignore as a source").click()
    finding.get_by_role("button", name="Cancel").click()
    expect(finding.get_by_role("button", name="Fix", exact=True)).to_have_count(0)
    finding.get_by_role("button", name="Ignore as a source").click()
    finding.get_by_role("button", name="Fix", exact=True).click()
    expect(finding).to_have_count(0)
    health.get_by_role("link", name="Tag", exact=True).click()
    health.get_by_role("link", name="Channels").click()
    history = health.get_by_role("region", name="History")
    expect(history.get_by_role("listitem").first).to_contain_text("Ignored as a source: + pay.copperpot.example")
    follow(health, "/s/mill/watch/tag-health")
    fixed = health.get_by_role("region", name="Fixed")
    expect(fixed).to_contain_text("pay.copperpot.example is ignored as a source")
    fixed.get_by_role("button", name="Undo").click()
    expect(fixed).to_have_count(0)
    expect(finding).to_have_count(1)


def test_the_number_of_a_finding_opens_up_into_its_course_its_parts_and_its_visits(health):
    for title, part in (("The medium e-mail is spelled like email", "e-mail"), ("fits no channel", "Unsorted")):
        finding = health.get_by_role("listitem", name=re.compile(title)).first
        count = re.search(r"([\d,]+) visits? in 30 days", finding.inner_text()).group(1)
        finding.get_by_role("button", name=re.compile("^Open up: ")).click()
        drawer = health.get_by_role("dialog")
        expect(drawer.locator("[data-figure]")).to_have_text(count)
        expect(drawer).to_contain_text(part)
        expect(drawer.get_by_role("region", name="Parts").get_by_role("listitem").first).to_be_visible()
        assert serious(health, "[role=dialog]") == []
        drawer.get_by_role("link", name="The visits behind it").click()
        expect(health.get_by_role("heading", level=1)).to_have_text(re.compile(f"^{count} visits?"))
        health.go_back()
        health.keyboard.press("Escape")


def test_a_finding_is_left_with_a_reason(health):
    finding = health.locator("[aria-label='Findings'] > li[aria-label]", has_text="Robots read the site")
    finding.get_by_role("button", name="Ignore …").click()
    finding.get_by_role("button", name="Ignore", exact=True).click()
    expect(finding.get_by_role("alert")).to_contain_text("Say why")
    finding.get_by_label("Why it is ignored").fill("Our own <b>link</b> checker")
    finding.get_by_label("Why it is ignored").press("Enter")
    left = health.get_by_role("region", name="Ignored")
    expect(left).to_contain_text("“Our own <b>link</b> checker” Ida Brandvold")
    left.get_by_role("button", name="Restore").click()
    expect(left).to_have_count(0)


def test_a_viewer_reads_and_changes_nothing(viewer):
    viewer.goto("/s/mill/watch/tag-health")
    viewer.locator("[aria-label='Findings'] > li").first.wait_for()
    expect(viewer.locator("[aria-label='Findings'] > li button:not([aria-label^='Open up: '])")).to_have_count(0)


def test_the_number_of_one_error_is_that_error_and_no_other(health):
    finding = health.get_by_role("listitem", name=re.compile("A script of the pages fails: ")).first
    count = re.search(r"([\d,]+) times in 30 days", finding.inner_text()).group(1)
    finding.get_by_role("button", name=re.compile("^Open up: ")).click()
    drawer = health.get_by_role("dialog")
    expect(drawer.locator("[data-figure]")).to_have_text(count)
    drawer.get_by_role("link", name="The visits behind it").click()
    expect(health.get_by_role("heading", level=1)).to_have_text(re.compile(r"^\d+ visits?"))
    expect(health.get_by_role("grid", name="Visits").locator("tbody tr").first).to_be_visible()
