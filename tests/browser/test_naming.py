"""Events, goals, site fields: as an analyst works with them on the screen."""

import re

import pytest
from playwright.sync_api import expect

from tests.browser.conftest import choose
from upper_compass.demo.laying import ACCOUNT, PASSWORD


@pytest.fixture
def analyst(page):
    assert page.request.post("/api/v1/session", data={"email": ACCOUNT, "password": PASSWORD}).ok
    return page


def test_an_event_is_looked_into_renamed_and_taken_back(analyst):
    analyst.goto("/s/mill/tag/events")
    expect(analyst.get_by_role("heading", level=1)).to_contain_text("of those that you named, most people did recipe read")
    analyst.get_by_role("button", name="file download", exact=True).click()
    inside = analyst.locator(".inside")
    expect(inside).to_contain_text(re.compile(r"file starter-guide\.pdf \d+"))
    expect(inside).to_contain_text(re.compile(r"On /guides/starter \d+"))
    inside.get_by_label("Name in reports").fill("guide fetched")
    inside.get_by_role("button", name="Save").click()
    opener = analyst.get_by_role("button", name="guide fetched", exact=True)
    expect(opener).to_be_visible()
    analyst.goto("/s/mill/read/overview?only=event:guide+fetched")
    expect(analyst.locator(".ledger tbody tr").first).to_be_visible()
    analyst.goto("/s/mill/tag/events")
    opener.press("Enter")
    inside.get_by_label("Name in reports").fill("x" * 101)
    inside.get_by_role("button", name="Save").click()
    expect(inside.get_by_role("alert")).to_contain_text("longer than 100")
    inside.get_by_label("Name in reports").fill("")
    inside.get_by_label("Hidden").check()
    inside.get_by_role("button", name="Save").click()
    analyst.get_by_role("button", name="And 1 hidden event").click()
    analyst.get_by_role("button", name="file download", exact=True).press("Enter")
    inside.get_by_label("Hidden").uncheck()
    inside.get_by_role("button", name="Save").click()
    expect(analyst.get_by_role("button", name="Without the hidden ones")).to_have_count(0)


def test_undo_takes_back_what_was_said_of_an_event(analyst):
    analyst.goto("/s/mill/tag/events")
    analyst.get_by_role("button", name="promo view", exact=True).click()
    form = analyst.get_by_role("form", name="What is said of promo view")
    form.get_by_label("Passive").uncheck()
    form.get_by_role("button", name="Save").click()
    form.get_by_role("button", name="Undo").click()
    expect(form.get_by_label("Passive")).to_be_checked()
    assert all(note["name"] != "promo view" for note in analyst.request.get("/api/v1/sites/mill").json()["rules"]["events"])


def test_code_for_the_next_event_is_ready_and_its_arrival_is_seen(analyst, context):
    analyst.goto("/s/mill/tag/events")
    asked = analyst.get_by_role("region", name="Name what happens")
    asked.get_by_label("Name of the event").fill('a "quoted" <name>')
    expect(asked.locator(".code")).to_contain_text('data-uc-event="a &quot;quoted&quot; &lt;name&gt;"')
    for need, code in (("A form that is sent", "<form"), ("A page that loads", "uc.event("), ("An order", "uc.order({ id")):
        choose(asked.get_by_label("What is it?"), need)
        expect(asked.locator(".code")).to_contain_text(code)
    choose(asked.get_by_label("What is it?"), "A click on a link or a button")
    asked.get_by_label("Name of the event").fill("file download")
    expect(asked).to_contain_text("file download has come already")
    asked.get_by_label("A page of the site").fill(analyst.url.split("/s/")[0] + "/mill/guides/ovens")
    with context.expect_page() as opened:
        asked.get_by_role("button", name="Open it and look").click()
    expect(asked.get_by_role("status").filter(has_text="Your visit has arrived. Now click it")).to_be_visible()
    with opened.value.expect_download():
        opened.value.get_by_role("link", name="Download the guide").click()
    expect(asked.locator(".arrived")).to_contain_text(re.compile(r"It works\. file download, \d+ s ago, page /guides/ovens"))


def test_a_goal_is_previewed_made_changed_put_away_and_brought_back(analyst):
    analyst.goto("/s/mill/tag/goals")
    analyst.get_by_role("button", name="Make a goal").click()
    form = analyst.get_by_role("form", name="A new goal")
    form.get_by_role("button", name="Make it").click()
    expect(form.get_by_role("alert").first).to_be_visible()
    form.get_by_label("Name", exact=True).fill("Tasters")
    choose(form.get_by_label("Its path"), "starts with")
    form.get_by_label("this").fill("/checkout/thanks")
    preview = form.locator(".arrived")
    expect(preview).to_contain_text(re.compile(r"it would have counted \d+ times in \d+ visits"))
    expect(preview).to_contain_text(re.compile(r"On /checkout/thanks \d+"))
    form.get_by_role("button", name="And only if a site field").click()
    form.get_by_label("Name of the site field").fill("course")
    form.get_by_label("Value").fill("never taught")
    expect(preview).to_contain_text("counted 0 times")
    form.get_by_role("button", name="Remove the condition").click()
    choose(form.get_by_label("Its path"), "regular expression")
    form.get_by_label("this").fill("(")
    expect(form).to_contain_text("cannot be counted")
    form.get_by_role("button", name="Make it").click()
    expect(form.get_by_role("alert")).to_contain_text("this cannot be read from character 1 on (()")
    expect(form.get_by_label("Name", exact=True)).to_have_value("Tasters")
    form.get_by_label("this").fill("thanks$")
    choose(form.get_by_label("Worth"), "the same each time")
    form.get_by_label("How much, in EUR").fill("2.5")
    form.get_by_role("button", name="Make it").click()
    # A report that is slow to be read again holds no button.
    analyst.route("**/goals/counted", lambda route: None)
    row = analyst.locator("tr", has_text="Tasters")
    expect(row).to_contain_text("views of pages that match thanks$, once a visit worth €2.50 each")
    row.get_by_role("button").click()
    analyst.get_by_role("button", name="Archive …").click()
    analyst.get_by_role("dialog").get_by_role("button", name="Archive").click()
    expect(row).to_have_count(0)
    analyst.get_by_role("button", name="Restore").click()
    expect(row).to_be_visible()
    row.get_by_role("button").press("Enter")
    analyst.get_by_role("button", name="Archive …").press("Enter")
    analyst.get_by_role("dialog").get_by_role("button", name="Archive").press("Enter")
    expect(row).to_have_count(0)


def test_a_site_field_is_added_read_by_and_taken_away(analyst):
    analyst.goto("/s/mill/tag/fields")
    expect(analyst.locator("tr", has_text="Recipe by")).to_contain_text(re.compile(r"Bram Tolle \d+"))
    analyst.get_by_role("button", name="Add a field").click()
    form = analyst.get_by_role("form", name="A new field")
    form.get_by_label("Key").fill("Loaf!")
    form.get_by_role("button", name="Add it").click()
    expect(form.get_by_role("alert")).to_contain_text("Small letters")
    form.get_by_label("Key").fill("loaf")
    expect(form.locator(".code")).to_contain_text('<meta name="uc-field-loaf"')
    form.get_by_label("Name", exact=True).fill("Loaf")
    choose(form.get_by_label("Where the value comes from"), "a part of the page’s path")
    form.get_by_label("Regular expression").fill("/recipes/x")
    form.get_by_role("button", name="Add it").click()
    expect(form.get_by_role("alert")).to_contain_text("round brackets")
    form.get_by_label("Regular expression").fill("^/recipes/([^/]+)")
    form.get_by_role("button", name="Add it").click()
    row = analyst.locator("tr", has_text="the part of the page’s path that ^/recipes")
    row.get_by_role("button", name=re.compile(r"seeded-rye \d+")).click()
    expect(analyst.locator(".chip")).to_contain_text("seeded-rye")
    row.get_by_role("button", name="Loaf", exact=True).click()
    analyst.get_by_role("button", name="Remove …").click()
    analyst.get_by_role("dialog").get_by_role("button", name="Remove").click()
    expect(row).to_have_count(0)
    analyst.get_by_role("button", name="Restore").click()
    expect(row).to_be_visible()
    row.get_by_role("button", name="Loaf", exact=True).click()
    analyst.get_by_role("button", name="Remove …").click()
    analyst.get_by_role("dialog").get_by_role("button", name="Remove").click()
    expect(row).to_have_count(0)
