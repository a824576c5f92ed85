"""The logbook: an entry with one key, as a flag on charts over time, found again, changed, deleted and brought back."""

import re

from playwright.sync_api import expect

from tests.browser.conftest import follow, serious


def logbook(page):
    return page.get_by_role("dialog", name="Logbook")


def entry(page, text):
    return logbook(page).get_by_role("list", name="Entries").get_by_role("listitem").filter(has_text=text)


def noted(page):
    """The table beside the chart, which says what was noted."""
    return page.get_by_role("table", name=re.compile("^Course bookings a day"))


def test_an_entry_is_written_with_a_key_flagged_changed_deleted_and_brought_back(overview):
    expect(noted(overview)).to_contain_text("The host was down from ten to half past two.")
    overview.get_by_role("region", name="Channels").get_by_role("button", name="Email", exact=True).click()
    expect(overview.locator("[data-chip]")).to_be_visible()
    overview.keyboard.press("n")
    form = logbook(overview).get_by_role("form", name="A new entry")
    expect(form.get_by_label("What happened")).to_be_focused()
    form.get_by_role("button", name="Save").click()
    expect(form.get_by_role("alert")).to_contain_text("Say what happened.")
    form.get_by_label("What happened").fill("<b>Letters</b> went out late")
    form.get_by_label("On, or from").fill("2026-11-20")
    form.get_by_label("To", exact=True).fill("2026-11-19")
    form.get_by_role("button", name="Save").click()
    expect(form.get_by_role("alert")).to_contain_text("The last day lies before the first.")
    form.get_by_label("To", exact=True).fill("2026-11-21")
    form.get_by_role("button", name="Save").click()
    mine = entry(overview, "<b>Letters</b> went out late")
    expect(mine).to_contain_text("20 Nov to 21 Nov 2026 · note · Ida Brandvold")
    assert serious(overview) == []
    expect(overview.get_by_role("cell", name="<b>Letters</b> went out late")).to_have_count(1)
    mine.get_by_role("button", name=re.compile("^Edit")).click()
    logbook(overview).get_by_role("form", name="The entry").get_by_label("What happened").fill("Letters went out in time")
    logbook(overview).get_by_role("button", name="Save").click()
    mine = entry(overview, "Letters went out in time")
    mine.get_by_role("button", name=re.compile("^Delete")).click()
    expect(mine).to_have_count(0)
    overview.get_by_role("listitem").filter(has_text="The entry was deleted.").get_by_role("button", name="Undo").click()
    expect(mine).to_be_visible()
    logbook(overview).get_by_label("Look for an entry").fill("letters time")
    expect(logbook(overview).get_by_role("list", name="Entries").get_by_role("listitem")).to_have_count(1)
    follow(overview, "/s/mill/read/pages")  # the logbook stays open
    entry(overview, "Letters went out in time").get_by_role("link", name="Open the view").click()
    expect(overview).to_have_url(re.compile(r"/read/overview\?only=channel:Email"))
    overview.get_by_role("button", name=re.compile("^Logbook")).click()
    entry(overview, "Letters went out in time").get_by_role("button", name=re.compile("^Delete")).click()
    expect(entry(overview, "Letters went out in time")).to_have_count(0)


def test_a_viewer_reads_the_logbook_and_writes_nothing(viewer):
    viewer.goto("/s/mill/read/pages")
    viewer.get_by_role("button", name=re.compile("^Logbook")).click()
    expect(entry(viewer, "The German part opened.")).to_be_visible()
    expect(viewer.get_by_role("button", name=re.compile("Note|Write an entry|^Edit|^Delete"))).to_have_count(0)
