"""Site code and settings: checking that the tags work, and what the script keeps under each setting."""

import re

import pytest
from playwright.sync_api import expect

from tests.browser.conftest import choose, follow
from tests.browser.telling import served, until, until_served_anew


def change(page, **tagging):
    """Set how the mill is tagged, over the API."""
    csrf = page.request.get("/api/v1/session").json()["csrf"]
    site = page.request.get("/api/v1/sites/mill").json()
    body = {"name": site["name"], "rules": site["rules"], "tagging": tagging}
    before = served(page)
    assert page.request.put("/api/v1/sites/mill", data=body, headers={"X-CSRF-Token": csrf}).ok
    until_served_anew(page, before)


@pytest.fixture
def tagged(analyst):
    """Changes how the mill is tagged, for the time of a test."""
    yield lambda **tagging: change(analyst, **tagging)
    change(analyst)


def test_the_check_waits_for_the_visit_and_looks_past_the_filter(analyst, context):
    follow(analyst, "/s/mill/tag/site-code")
    expect(analyst.locator("pre code").first).to_contain_text('/uc.js?site=mill"></script>')
    expect(analyst.get_by_text(re.compile(r"\d\.\d kB on the way"))).to_be_visible()
    analyst.get_by_label("A page of the site").fill("mill.example")
    analyst.get_by_role("button", name="Open it and look").click()
    expect(analyst.get_by_role("alert")).to_contain_text("Give a whole address")
    own = context.new_page()
    analyst.get_by_role("button", name="Make a link for a browser").click()
    link = analyst.locator("pre code").filter(has_text="#uc-own=").inner_text()
    assert link.startswith(f"{analyst.url.split('/s/')[0]}/mill/#uc-own=")
    own.goto(link)
    assert own.url.endswith("/mill/")
    analyst.get_by_label("A page of the site").fill(own.url + "courses")
    with context.expect_page() as opened:
        analyst.get_by_role("button", name="Open it and look").click()
    arrived = analyst.locator("[data-told]")
    expect(arrived).to_contain_text(re.compile(r"Your visit from this browser, \d+ s ago, page /courses"))
    expect(arrived).to_contain_text("You are filtering yourself")
    assert "#" not in opened.value.url
    own.goto("/mill/#uc-own=off")
    own.goto("/mill/shop")
    expect(arrived).to_contain_text("It works.")


def test_when_nothing_comes_the_reasons_are_told_in_order(analyst, context):
    context.route("**/mill/silent", lambda route: route.fulfill(body="<!doctype html><title>Silent</title>", content_type="text/html"))
    follow(analyst, "/s/mill/tag/site-code")
    analyst.get_by_label("A page of the site").fill(analyst.url.split("/s/")[0] + "/mill/silent")
    analyst.request.post("/collect?site=mill", data={}, headers={"Origin": "https://before.example"})
    analyst.get_by_role("button", name="Open it and look").click()
    reasons = analyst.locator("[aria-label='Reasons'] > li")
    expect(reasons.first).to_be_visible()
    expect(analyst.locator("[data-found]")).to_have_count(0)  # what was turned away before the check began is no reason
    analyst.request.post("/collect?site=mill", data={}, headers={"Origin": "https://copy.example"})
    expect(analyst.locator("[data-found]")).to_contain_text("came from copy.example, which is not among the site’s hosts")
    expect(analyst.get_by_text("No page of the site has a wrong key.")).not_to_be_visible()
    analyst.get_by_text(re.compile("other reasons ruled out")).click()
    expect(analyst.get_by_text("No page of the site has a wrong key.")).to_be_visible()


def test_settings_are_changed_refused_and_kept(analyst):
    follow(analyst, "/s/mill/tag/settings")
    gap = analyst.get_by_label("Pause that ends a visit, in minutes")
    gap.fill("soon")
    analyst.get_by_label("Networks of your own people").fill("our office")
    analyst.get_by_role("button", name="Save").click()
    expect(analyst.get_by_text("this must be a whole number")).to_be_visible()
    expect(analyst.get_by_text("this is not an address or a range")).to_be_visible()
    expect(gap).to_have_value("soon")
    gap.fill("45")
    analyst.get_by_label("Networks of your own people").fill("192.0.2.0/24")
    analyst.get_by_label("Days that hits are kept").fill("3700")
    analyst.get_by_role("button", name="Save").click()
    expect(analyst.get_by_role("alert")).to_contain_text("Hits older than 3700 days will be deleted for good")
    analyst.get_by_role("button", name="Save, and delete older hits").click()
    expect(analyst.get_by_role("status").filter(has_text="Saved.")).to_be_visible()
    analyst.reload()
    expect(gap).to_have_value("45")
    gap.fill("30")
    for field in ("Networks of your own people", "Days that hits are kept"):
        analyst.get_by_label(field).fill("")
    analyst.get_by_role("button", name="Save").click()
    expect(analyst.get_by_role("status").filter(has_text="Saved.")).to_be_visible()


def test_page_groups_and_other_currencies_are_set_refused_and_kept(analyst):
    follow(analyst, "/s/mill/tag/settings")
    groups, money = (analyst.get_by_role("group", name=name, exact=True).last for name in ("Page groups", "Other currencies"))
    groups.get_by_label("Name of the group").first.wait_for()
    before = groups.get_by_label("Name of the group").count()
    analyst.get_by_role("button", name="Add a page group").click()
    groups.get_by_label("Name of the group").last.fill("Letters")
    choose(groups.get_by_label("Its pages").last, "regular expression")
    groups.get_by_label("this", exact=True).last.fill("(")
    analyst.get_by_role("button", name="Add a currency").click()
    money.get_by_label("Currency").fill("gbp")
    money.get_by_label("Worth of one").fill("dear")
    analyst.get_by_role("button", name="Save").click()
    expect(analyst.get_by_text("this cannot be read from character 1 on ((): unclosed group")).to_be_visible()
    expect(analyst.get_by_text("this must be a number")).to_be_visible()
    groups.get_by_label("this", exact=True).last.fill("^/letter/")
    money.get_by_label("Worth of one").fill("1,15")
    analyst.get_by_role("button", name="Save").click()
    expect(analyst.get_by_role("status").filter(has_text="Saved.")).to_be_visible()
    analyst.reload()
    expect(groups.get_by_label("Name of the group")).to_have_count(before + 1)
    assert analyst.request.get("/api/v1/sites/mill").json()["rules"]["rates"] == {"GBP": 1.15}
    analyst.get_by_role("button", name="Remove Letters").click()
    analyst.get_by_role("button", name="Remove GBP").click()
    analyst.get_by_role("button", name="Save").click()
    expect(analyst.get_by_role("status").filter(has_text="Saved.")).to_be_visible()
    assert analyst.request.get("/api/v1/sites/mill").json()["rules"]["rates"] == {}


def test_a_copy_of_the_site_counts_as_the_original(analyst):
    follow(analyst, "/s/mill/tag/settings")
    copies = analyst.get_by_role("group", name="Copies of the site", exact=True).last
    copies.get_by_label("Pages at").first.wait_for()
    before = copies.get_by_label("Pages at").count()
    analyst.get_by_role("button", name="Add a copy").click()
    copies.get_by_label("Pages at").last.fill("preview.example/next?x")
    copies.get_by_label("Count as those of").last.fill("fennmoor-mill.example")
    analyst.get_by_role("button", name="Save").click()
    expect(copies.get_by_role("alert")).to_contain_text("give a host, and a path")
    copies.get_by_label("Pages at").last.fill("https://www.preview.example/next/")
    analyst.get_by_role("button", name="Save").click()
    expect(analyst.get_by_role("status").filter(has_text="Saved.")).to_be_visible()
    expect(copies.get_by_label("Pages at").last).to_have_value("preview.example/next")
    analyst.get_by_role("button", name="Remove preview.example/next").click()
    with analyst.expect_response(lambda answer: answer.request.method == "PUT" and answer.ok):
        analyst.get_by_role("button", name="Save").click()
    analyst.reload()
    expect(copies.get_by_label("Pages at")).to_have_count(before)


def test_a_visitors_data_are_handed_out_and_forgotten_from_an_opened_visit(analyst):
    follow(analyst, "/s/mill/watch/visits")
    analyst.get_by_role("grid", name="Visits").get_by_role("link").first.click()
    pseudonym = analyst.url.split("/")[-2]
    with analyst.expect_download() as handed:
        analyst.get_by_role("button", name="Export this visitor’s data").click()
    assert pseudonym in handed.value.path().read_text()
    analyst.get_by_role("button", name="Forget this visitor …").click()
    analyst.get_by_role("dialog").get_by_role("button", name="Cancel").click()
    expect(analyst).to_have_url(re.compile(pseudonym))


def test_one_visitor_is_forgotten_only_after_a_question(analyst, context):
    follow(analyst, "/s/mill/tag/settings")
    field = analyst.get_by_label("The visitor’s pseudonym").last
    field.fill("nobody at all")
    analyst.get_by_role("button", name="Forget this visitor …").click()
    analyst.get_by_role("button", name="Cancel").click()
    analyst.get_by_role("button", name="Forget this visitor …").click()
    analyst.get_by_role("button", name="Forget", exact=True).click()
    expect(analyst.get_by_role("alert")).to_have_text("Nothing is stored of this visitor.")


def what_is_kept(page):
    return page.evaluate("[document.cookie, Object.keys(localStorage).join(), Object.keys(sessionStorage).join()]")


def test_without_a_cookie_nothing_is_kept_in_the_browser_and_the_visit_is_counted(analyst, tagged, browser, demo, demo_database):
    tagged(cookie=False)
    other = browser.new_context(base_url=demo.address, user_agent="Mozilla/5.0 (X11; Linux x86_64) Firefox/139.0")
    page = other.new_page()
    with page.expect_response(re.compile(r"/collect\?")) as sent:
        page.goto("/mill/?via=without-cookie")
    assert sent.value.status == 204
    assert what_is_kept(page) == ["", "", ""]
    own = sent.value.request.post_data_json[0]["visitor"]
    with demo_database.connect() as connection:
        stored = connection.exec_driver_sql("SELECT visitor FROM hits WHERE url LIKE '%%via=without-cookie' AND kind = 1").scalars().all()
    assert len(stored) == 1
    assert stored[0] != own
    other.close()


def test_before_consent_nothing_is_kept_or_sent_and_taking_it_back_clears_all(analyst, tagged, browser, demo):
    tagged(consent=True)
    other = browser.new_context(base_url=demo.address, user_agent="Mozilla/5.0 (X11; Linux x86_64) Firefox/139.0")
    page = other.new_page()
    sent = []
    page.on("request", lambda request: sent.append(request) if "/collect?" in request.url else None)
    page.goto("/mill/?via=asking")
    page.evaluate("uc.event('too early')")
    assert what_is_kept(page) == ["", "", ""]
    with page.expect_response(re.compile(r"/collect\?")):
        page.evaluate("uc.consent(true)")
    assert [hit["kind"] for request in sent for hit in request.post_data_json] == ["view"]  # and nothing before it
    assert "uc_visitor=" in what_is_kept(page)[0]
    with page.expect_response(re.compile(r"/collect\?")):
        page.goto("/mill/courses")  # the cookie says that consent was given
    page.evaluate("uc.consent(false); uc.event('too late')")
    assert what_is_kept(page)[0] == ""
    page.goto("/mill/shop")  # what had been waiting would be sent now
    until(page, "window.uc")
    assert what_is_kept(page)[0] == ""
    assert all("too" not in str(request.post_data) for request in sent)
    other.close()


def test_a_tab_that_is_followed_stays_so_on_its_next_pages_and_other_tabs_are_not(page, context):
    token = "token-to.ken_token1"
    with page.expect_request(re.compile(r"/collect\?")) as first:
        page.goto(f"/mill/guides#uc-follow={token}")
    assert f"&follow={token}" in first.value.url
    assert page.url.endswith("/mill/guides")
    assert first.value.post_data_json[0]["url"] == "https://fennmoor-mill.example/guides"
    with page.expect_request(re.compile(r"/collect\?")) as second:
        page.goto("/mill/shop")
    assert f"&follow={token}" in second.value.url
    other = context.new_page()
    with other.expect_request(re.compile(r"/collect\?")) as third:
        other.goto("/mill/#a-place-of-the-page")
    assert "follow=" not in third.value.url
    assert other.url.endswith("#a-place-of-the-page")


def test_the_stages_are_a_key_away_and_keep_what_is_read_under(analyst):
    follow(analyst, "/s/mill/read/overview?only=channel:Email")
    for key, view in (("1", "Site code"), ("2", "Now"), ("3", "Overview")):
        analyst.locator(f"[data-stage='{key}']").wait_for()
        analyst.keyboard.press(key)
        expect(analyst.get_by_role("navigation", name="Views").get_by_role("link", name=view)).to_have_attribute("aria-current", "page")
        expect(analyst).to_have_url(re.compile("only=channel:Email"))
        expect(analyst).to_have_title(f"{view} · Fennmoor Mill · Upper Compass")
    analyst.get_by_role("link", name="Tag", exact=False).first.click()
    analyst.get_by_role("link", name="Settings", exact=True).click()
    field = analyst.get_by_label("Name", exact=True)
    field.fill("")
    analyst.keyboard.press("1")
    expect(analyst).to_have_url(re.compile("tag/settings"))
    analyst.keyboard.press("Control+a")
    analyst.keyboard.type("123 Mill")
    expect(field).to_have_value("123 Mill")  # keys that are typed into a field are text


def test_a_viewer_reads_the_settings_and_changes_nothing(viewer):
    viewer.goto("/s/mill/tag/settings")
    expect(viewer.get_by_text("the site’s owners change them")).to_be_visible()
    expect(viewer.get_by_label("Name", exact=True)).to_be_disabled()
    expect(viewer.get_by_role("button", name="Save")).to_be_disabled()
    expect(viewer.get_by_role("button", name=re.compile("Forget"))).to_have_count(0)
    follow(viewer, "/s/mill/tag/site-code")
    expect(viewer.locator("pre code")).to_be_visible()
