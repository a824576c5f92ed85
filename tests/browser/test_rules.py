"""Tag, Rules on the screen: a rule is made, tried on one browser, made live, seen in the reports, and taken back."""

import re

import pytest
from playwright.sync_api import expect

from tests.browser.conftest import PERSON, choose, follow, options_of, serious
from tests.browser.telling import hits, served, until, until_served_anew, visitor_of, wait_for

EVENT = "course behind a voucher"


@pytest.fixture
def rules(beginner):
    """The rules of the mill, with what is live and the draft put back in the end."""
    beginner.goto("/s/mill/tag/rules")
    beginner.get_by_role("region", name="Rules", exact=True).get_by_role("row").nth(1).wait_for()
    before = beginner.request.get("/api/v1/sites/mill/rules").json()
    yield beginner
    headers = {"X-CSRF-Token": beginner.request.get("/api/v1/session").json()["csrf"]}
    after = beginner.request.get("/api/v1/sites/mill/rules").json()
    if after["versions"][0]["rules"] != before["versions"][0]["rules"]:
        beginner.request.post(f"/api/v1/sites/mill/rules/versions/{before['versions'][0]['number']}/again", headers=headers)
    beginner.request.put("/api/v1/sites/mill/rules/draft", data={"rules": before["draft"]}, headers=headers)


def stranger(page):
    """Somebody else's browser."""
    return page.context.browser.new_context(base_url=page.url.split("/s/")[0], user_agent=PERSON)


def follow_the_voucher(visitor):
    visitor.goto("/mill/gift-vouchers")
    visitor.get_by_role("link", name="See the courses").click()
    visitor.wait_for_url("**/mill/courses")


def make_the_rule(page):
    page.get_by_role("button", name="Make a rule").click()
    form = page.get_by_role("form", name="A new rule")
    form.get_by_label("Its selector").fill("a[[")
    expect(form.get_by_text("This is no selector that a browser can read.")).to_be_visible()
    form.get_by_role("button", name="Save in the draft").click()
    expect(form.get_by_label("Its selector")).to_be_focused()
    form.get_by_label("Its selector").fill("")
    form.get_by_role("button", name="Save in the draft").click()
    expect(form.get_by_role("alert").first).to_have_text("this must not be empty")
    expect(form.get_by_text("give a selector or a text, so that it is known which element is meant")).to_be_visible()
    form.get_by_label("Name", exact=True).fill("From a voucher to the courses")
    form.get_by_label("Its text").fill("See the courses")
    form.get_by_role("button", name="And only if …").click()
    form.get_by_label("Value", exact=True).fill("/gift-vouchers")
    form.get_by_label("Name of the event").fill(EVENT)
    form.get_by_role("button", name="With a property …").click()
    form.get_by_label("Name of the property").fill("from")
    choose(form.get_by_label("Property: where it comes from"), "text of an element")
    form.get_by_label("Property: selector").fill("h1")
    expect(form.locator("[data-words]")).to_have_text(
        f"When “See the courses” is clicked, and only if the page starts with /gift-vouchers, then record the event {EVENT} (from: the text of h1)."
    )
    assert serious(page, "main") == []
    form.get_by_role("button", name="Save in the draft").press("Enter")
    expect(page.get_by_role("region", name="The draft", exact=True)).to_contain_text("From a voucher to the courses was added.")


def test_a_rule_is_made_tried_on_one_browser_made_live_and_taken_back(rules, context, demo_database):
    make_the_rule(rules)
    rules.get_by_label("A page of the site").fill(rules.url.split("/s/")[0] + "/mill/gift-vouchers")
    with context.expect_page() as opened:
        rules.get_by_role("button", name="Open it with the draft").click()
    tried = opened.value
    panel = tried.get_by_role("region", name="Rules tried on this browser")
    mine = panel.get_by_role("listitem").filter(has_text="From a voucher")
    expect(mine).to_contain_text("Waits for a click on “See the courses”.")
    expect(panel.get_by_role("listitem").filter(has_text="A word to those")).to_contain_text(
        "It happened, but the page is “/gift-vouchers”; the rule asks: is /courses"
    )
    tried.evaluate("document.addEventListener('click', (event) => event.preventDefault())")
    tried.get_by_role("link", name="See the courses").click()
    expect(mine).to_contain_text(f"event {EVENT} (from: Gift vouchers)")
    expect(mine).to_have_attribute("data-state", "fired")
    expect(rules.get_by_role("region", name="Try the draft")).to_contain_text(EVENT)
    tried.goto("/mill/courses")
    expect(panel.get_by_role("listitem").filter(has_text="A word to those")).to_contain_text("this visitor is new")

    other = stranger(rules)
    visitor = other.new_page()
    follow_the_voucher(visitor)
    wait_for(visitor, demo_database, f"visitor = '{visitor_of(visitor)}' AND kind = 1", 2)
    assert hits(demo_database, f"visitor = '{visitor_of(visitor)}' AND name = '{EVENT}'") == []
    [trial] = hits(demo_database, f"visitor = 'trial{visitor_of(tried)}' AND name = '{EVENT}' AND internal")
    assert trial["props"] == {"from": "Gift vouchers"}

    rules.get_by_label("What it is for").fill("Vouchers")
    before = served(rules)
    rules.get_by_role("button", name="Publish").click()
    versions = rules.get_by_role("region", name="Versions")
    expect(versions.get_by_role("listitem").first).to_contain_text("Version 3 live")
    expect(versions.get_by_role("listitem").first).to_contain_text("Vouchers")
    until_served_anew(rules, before)
    second = stranger(rules)
    visitor = second.new_page()
    follow_the_voucher(visitor)
    [done] = wait_for(visitor, demo_database, f"visitor = '{visitor_of(visitor)}' AND name = '{EVENT}'")
    assert done["props"] == {"from": "Gift vouchers"}
    follow(rules, f"/s/mill/watch/now?visitor={visitor_of(visitor)}")
    expect(rules.get_by_role("grid", name="Hits").locator("tbody tr").filter(has_text=EVENT)).to_be_visible()
    today = rules.evaluate("new Date().toISOString().slice(0, 10)")
    follow(rules, f"/s/mill/tag/events?from={today}&to={today}")
    event = rules.get_by_role("row").filter(has=rules.get_by_role("button", name=EVENT, exact=True))
    expect(event.locator("[data-lead]")).to_have_text("1")  # what was tried counts as own traffic

    panel.get_by_role("button", name="Stop trying").click()
    expect(panel).to_have_count(0)
    assert tried.evaluate("localStorage.getItem('uc_trial')") is None
    follow(rules, "/s/mill/tag/rules")
    versions.get_by_role("button", name="Restore …").first.click()
    rules.get_by_role("button", name="Restore", exact=True).click()
    expect(versions.get_by_role("listitem").first).to_contain_text("Version 4 live")
    expect(versions).to_contain_text("From a voucher to the courses was removed.")
    choose(versions.get_by_label("What changed from"), "version 1")
    choose(versions.get_by_label("to", exact=True), "version 3")
    expect(versions.get_by_role("group", name="What changed between two").get_by_role("listitem")).to_have_text(
        ["From a recipe to its flour was added.", "A word to those who come back was added.", "From a voucher to the courses was added."]
    )
    other.close()
    second.close()


def test_a_rule_is_taken_out_of_the_draft_brought_back_and_the_draft_thrown_away(rules):
    rules.get_by_role("button", name="A word to those").click()
    rules.get_by_role("button", name="Remove", exact=True).click()
    expect(rules.get_by_role("heading", level=1)).to_have_text("2 rules are live; nothing is waiting in the draft.")
    rules.get_by_role("button", name="Restore", exact=True).click()
    expect(rules.get_by_role("heading", level=1)).to_have_text("2 rules are live; the draft holds 1 change.")
    rules.get_by_role("button", name="Delete the draft …").click()
    rules.get_by_role("button", name="Cancel").click()
    rules.get_by_role("button", name="Delete the draft …").click()
    rules.get_by_role("button", name="Delete", exact=True).click()
    expect(rules.get_by_role("heading", level=1)).to_have_text("2 rules are live; nothing is waiting in the draft.")


def test_what_the_draft_changes_is_said_part_by_part(rules):
    rules.get_by_role("button", name="Recipes read for a minute").click()
    form = rules.get_by_role("form", name="The rule Recipes read for a minute")
    form.get_by_label("Name", exact=True).fill("Recipes read")
    form.get_by_label("How many seconds").fill("90")
    choose(form.get_by_role("group", name="And only if").get_by_label("Test"), "is not empty")
    form.get_by_role("button", name="With a value …").click()
    choose(form.get_by_label("Worth: where it comes from"), "cookie")
    form.get_by_label("Worth: key").fill("worth")
    form.get_by_label("Paused").check()
    form.get_by_role("button", name="Save in the draft").click()
    changes = rules.get_by_role("region", name="The draft", exact=True).get_by_role("listitem")
    expect(changes).to_have_text([
        "Recipes read, name: Recipes read for a minute → Recipes read",
        "Recipes read, when: 60 seconds have passed → 90 seconds have passed",
        "Recipes read, only if: the page starts with /recipes/ → the page is not empty",
        "Recipes read, then: record the event recipe read (recipe: the text of h1) → record the event recipe read (recipe: the text of h1, worth the cookie worth)",
        "Recipes read, state: running → paused",
        "A word to those who come back was added.",
    ])  # fmt: skip
    expect(rules.get_by_role("row").filter(has_text="Recipes read")).to_contain_text("live, changed in the draft, paused")


def test_among_many_rules_one_is_looked_for(rules):
    headers = {"X-CSRF-Token": rules.request.get("/api/v1/session").json()["csrf"]}
    many = [
        {"id": f"many{number:04}", "name": f"Rule {number} " + "of a long name " * 10, "when": {"kind": "signalled", "name": f"signal {number}"},
         "then": [{"kind": "event", "name": f"event {number}"}]}
        for number in range(100)
    ]  # fmt: skip
    assert rules.request.put("/api/v1/sites/mill/rules/draft", data={"rules": many}, headers=headers).ok
    rules.reload()
    listed = rules.get_by_role("region", name="Rules", exact=True)
    rules.get_by_label("Look for a rule").fill('uc.signal("signal 42")')
    expect(listed.locator("tbody tr").first).to_contain_text("Rule 42")
    rules.get_by_label("Look for a rule").fill("nothing of the kind")
    expect(listed).to_contain_text("No row contains")
    assert rules.evaluate("document.documentElement.scrollWidth <= innerWidth")


def test_before_consent_no_draft_is_fetched_and_nothing_is_tried(rules):
    headers = {"X-CSRF-Token": rules.request.get("/api/v1/session").json()["csrf"]}
    site = rules.request.get("/api/v1/sites/mill").json()

    def tagging(**change):
        body = {"name": site["name"], "rules": site["rules"], "tagging": site["tagging"] | change}
        before = served(rules)
        assert rules.request.put("/api/v1/sites/mill", data=body, headers=headers).ok
        until_served_anew(rules, before)

    token = rules.request.post("/api/v1/sites/mill/rules/trials", headers=headers).json()["token"]
    tagging(consent=True)
    other = stranger(rules)
    page = other.new_page()
    asked = []
    page.on("request", lambda request: asked.append(request.url) if "trial=" in request.url else None)
    page.goto(f"/mill/recipes/focaccia#uc-trial={token}")
    until(page, "window.uc")
    panel = page.get_by_role("region", name="Rules tried on this browser")
    expect(panel).to_have_count(0)
    assert asked == []
    page.evaluate("uc.consent(true)")
    expect(panel).to_be_visible()
    other.close()
    tagging(consent=False)


def test_html_that_runs_is_refused_beside_it_and_what_was_typed_stays(rules):
    rules.get_by_role("button", name="A word to those").click()
    form = rules.get_by_role("form", name="The rule A word to those who come back")
    form.get_by_label("HTML", exact=True).fill("<p onclick='x()'>Hello</p>")
    form.get_by_role("button", name="Save in the draft").click()
    expect(form.get_by_role("alert").first).to_have_text("this is not inserted into a page: onclick")
    expect(form.get_by_label("HTML", exact=True)).to_have_value("<p onclick='x()'>Hello</p>")


def test_a_rule_calls_a_goal_that_listens_or_one_that_is_made_for_it(rules):
    rules.get_by_role("button", name="Make a rule").click()
    form = rules.get_by_role("form", name="A new rule")
    choose(form.get_by_label("What is done"), "count a goal")
    form.get_by_label("The goal", exact=True).click()
    goals = ["Course bookings, by course booked", "Guide downloads, by file download", "Wholesale enquiries, by form submit"]
    expect(rules.get_by_role("option")).to_have_text([re.compile(".*"), *goals])
    rules.keyboard.press("Escape")
    form.get_by_role("button", name="Make a goal that listens for a call").click()
    form.get_by_label("Name of a goal that is called").fill("Voucher wish")
    form.get_by_role("button", name="Make the goal").click()
    expect(form.get_by_label("The goal", exact=True)).to_have_text("Voucher wish")
    goals = rules.request.get("/api/v1/sites/mill/goals").json()
    [made] = [one for one in goals if one["name"] == "Voucher wish"]
    assert (made["goal"]["match"]["names"], made["goal"]["counts"]) == (["Voucher wish"], "every time")
    csrf = rules.request.get("/api/v1/session").json()["csrf"]
    assert rules.request.delete(f"/api/v1/sites/mill/goals/{made['id']}", headers={"X-CSRF-Token": csrf}).ok


def test_every_part_of_a_rule_can_be_given_by_hand(rules):
    rules.get_by_role("button", name="Make a rule").click()
    form = rules.get_by_role("form", name="A new rule")
    form.get_by_label("Name", exact=True).fill("Everything")
    when = form.get_by_label("When", exact=True)
    for kind in options_of(when):
        choose(when, kind)
    form.get_by_label("The name that it calls").fill("quiz done")
    form.get_by_role("button", name="And only if …").click()
    what = form.get_by_label("What must hold")
    for kind in options_of(what):
        choose(what, kind)
    form.get_by_label("Percent of visitors").fill("100")
    action = form.get_by_label("What is done")
    choose(action, "set a site field")
    form.get_by_label("The site field").fill("author")
    choose(form.get_by_label("Its value: where it comes from"), "variable of the page")
    form.get_by_label("Its value: path").fill("page.author")
    form.get_by_role("button", name="Save in the draft").click()
    expect(form.get_by_role("group", name="And only if").get_by_role("alert")).to_have_text("this must be 99 or less")
    form.get_by_label("Percent of visitors").fill("20")
    form.get_by_role("button", name="Save in the draft").click()
    listed = rules.get_by_role("row").filter(has_text="Everything")
    expect(listed).to_contain_text(
        'When the page calls uc.signal("quiz done"), and only if among 20 % of visitors, then set the field author to the page’s page.author.'
    )


def test_an_analyst_who_was_slower_is_told_and_keeps_what_was_typed(rules):
    rules.get_by_role("button", name="A word to those").click()
    form = rules.get_by_role("form", name=re.compile("A word"))
    form.get_by_label("Name", exact=True).fill("A kind word")
    held = rules.request.get("/api/v1/sites/mill/rules").json()["draft"]
    headers = {"X-CSRF-Token": rules.request.get("/api/v1/session").json()["csrf"]}
    assert rules.request.put("/api/v1/sites/mill/rules/draft", data={"rules": held[:2] + [held[2] | {"paused": True}]}, headers=headers).ok
    form.get_by_role("button", name="Save in the draft").click()
    expect(form.get_by_role("alert")).to_contain_text("Somebody else changed the draft meanwhile.")
    expect(form.get_by_label("Name", exact=True)).to_have_value("A kind word")


def test_a_viewer_reads_rules_and_changes_none(viewer):
    viewer.goto("/s/mill/tag/rules")
    viewer.get_by_role("button", name="Recipes read for a minute").click()
    form = viewer.get_by_role("form", name="The rule Recipes read for a minute")
    expect(form.get_by_label("Name", exact=True)).to_be_disabled()
    for name in ("Save in the draft", "Remove", "Make a rule", "Publish", "Open it with the draft", "Restore …"):
        expect(viewer.get_by_role("button", name=name, exact=True)).to_have_count(0)


def test_a_trial_that_is_over_leaves_the_live_rules_in_place(page, demo_database):
    page.goto("/mill/recipes/no-knead-loaf#uc-trial=0123456789abcdef")
    until(page, "() => localStorage.getItem('uc_trial') === null && document.cookie")
    assert "#" not in page.url
    until(page, "() => JSON.parse(localStorage.uc_visit_mill ?? '{}').source")  # else the page is left before it knows where the visit came from
    page.get_by_role("link", name="The flour for it").click()
    assert wait_for(page, demo_database, f"visitor = '{visitor_of(page)}' AND name = 'flour wanted'")[0]["props"] == {
        "recipe": "No knead loaf",
        "came_by": "Direct",
    }


def test_the_panel_stands_on_a_page_with_a_strict_policy_and_shows_texts_as_text(rules, demo):
    headers = {"X-CSRF-Token": rules.request.get("/api/v1/session").json()["csrf"]}
    planted = "<img src=x onerror=window.hacked=1>"
    rule = {"id": "planted1", "name": planted, "when": {"kind": "page shown"}, "then": [{"kind": "event", "name": planted}]}
    assert rules.request.put("/api/v1/sites/mill/rules/draft", data={"rules": [rule]}, headers=headers).ok
    token = rules.request.post("/api/v1/sites/mill/rules/trials", headers=headers).json()["token"]
    page = rules.context.new_page()
    policy = {"Content-Security-Policy": f"default-src 'none'; script-src {demo.address}; connect-src {demo.address}; style-src 'none'"}
    html = '<!doctype html><title>Strict</title><script defer src="/uc.js?site=mill"></script><h1>Strict</h1>'
    page.route("**/own-strict-trial", lambda route: route.fulfill(body=html, content_type="text/html", headers=policy))
    page.goto(f"/own-strict-trial#uc-trial={token}")
    panel = page.get_by_role("region", name="Rules tried on this browser")
    expect(panel.get_by_role("listitem")).to_contain_text(planted)
    expect(panel.get_by_role("listitem")).to_have_attribute("data-state", "fired")
    assert panel.evaluate("(box) => getComputedStyle(box).position") == "fixed"
    panel.get_by_role("button", name="Fold").press("Enter")
    expect(panel.get_by_role("listitem")).to_be_hidden()
    assert page.evaluate("window.hacked") is None
    rules.reload()
    expect(rules.get_by_role("button", name=planted)).to_be_visible()
    assert rules.evaluate("window.hacked") is None
