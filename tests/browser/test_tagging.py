"""Site code and settings: checking that the tags work, and what the script keeps under each setting."""

import re

import pytest
from playwright.sync_api import expect

from tests.browser.conftest import choose
from tests.browser.telling import served, until, until_served_anew
from upper_compass.demo.laying import ACCOUNT, PASSWORD


@pytest.fixture
def owner(page):
    assert page.request.post("/api/v1/session", data={"email": ACCOUNT, "password": PASSWORD}).ok
    return page


def change(page, **tagging):
    """Set how the mill is tagged, over the API."""
    csrf = page.request.get("/api/v1/session").json()["csrf"]
    site = page.request.get("/api/v1/sites/mill").json()
    body = {"name": site["name"], "rules": site["rules"], "tagging": tagging}
    before = served(page)
    assert page.request.put("/api/v1/sites/mill", data=body, headers={"X-CSRF-Token": csrf}).ok
    until_served_anew(page, before)


@pytest.fixture
def tagged(owner):
    """Changes how the mill is tagged, for the time of a test."""
    yield lambda **tagging: change(owner, **tagging)
    change(owner)


def test_the_check_waits_for_the_visit_and_looks_past_the_filter(owner, context):
    owner.goto("/s/mill/tag/site-code")
    expect(owner.locator("pre code").first).to_contain_text('/uc.js?site=mill"></script>')
    expect(owner.get_by_text(re.compile(r"\d\.\d kB on the way"))).to_be_visible()
    owner.get_by_label("A page of the site").fill("mill.example")
    owner.get_by_role("button", name="Open it and look").click()
    expect(owner.get_by_role("alert")).to_contain_text("Give a whole address")
    own = context.new_page()
    owner.get_by_role("button", name="Make a link for a browser").click()
    link = owner.locator("pre code").filter(has_text="#uc-own=").inner_text()
    assert link.startswith(f"{owner.url.split('/s/')[0]}/mill/#uc-own=")
    own.goto(link)
    assert own.url.endswith("/mill/")
    owner.get_by_label("A page of the site").fill(own.url + "courses")
    with context.expect_page() as opened:
        owner.get_by_role("button", name="Open it and look").click()
    arrived = owner.locator("[data-told]")
    expect(arrived).to_contain_text(re.compile(r"Your visit from this browser, \d+ s ago, page /courses"))
    expect(arrived).to_contain_text("You are filtering yourself")
    assert "#" not in opened.value.url
    own.goto("/mill/#uc-own=off")
    own.goto("/mill/shop")
    expect(arrived).to_contain_text("It works.")


def test_when_nothing_comes_the_reasons_are_told_in_order(owner, context):
    context.route("**/mill/silent", lambda route: route.fulfill(body="<!doctype html><title>Silent</title>", content_type="text/html"))
    owner.goto("/s/mill/tag/site-code")
    owner.get_by_label("A page of the site").fill(owner.url.split("/s/")[0] + "/mill/silent")
    owner.request.post("/collect?site=mill", data={}, headers={"Origin": "https://before.example"})
    owner.get_by_role("button", name="Open it and look").click()
    reasons = owner.locator("[aria-label='Reasons'] > li")
    expect(reasons.first).to_be_visible()
    expect(owner.locator("[data-found]")).to_have_count(0)  # what was turned away before the check began is no reason
    owner.request.post("/collect?site=mill", data={}, headers={"Origin": "https://copy.example"})
    expect(owner.locator("[data-found]")).to_contain_text("came from copy.example, which is not among the site’s hosts")
    expect(owner.get_by_text("No page of the site has a wrong key.")).not_to_be_visible()
    owner.get_by_text(re.compile("other reasons ruled out")).click()
    expect(owner.get_by_text("No page of the site has a wrong key.")).to_be_visible()


def test_settings_are_changed_refused_and_kept(owner):
    owner.goto("/s/mill/tag/settings")
    gap = owner.get_by_label("Pause that ends a visit, in minutes")
    gap.fill("soon")
    owner.get_by_label("Networks of your own people").fill("our office")
    owner.get_by_role("button", name="Save").click()
    expect(owner.get_by_text("this must be a whole number")).to_be_visible()
    expect(owner.get_by_text("this is not an address or a range")).to_be_visible()
    expect(gap).to_have_value("soon")
    gap.fill("45")
    owner.get_by_label("Networks of your own people").fill("192.0.2.0/24")
    owner.get_by_label("Days that hits are kept").fill("3700")
    owner.get_by_role("button", name="Save").click()
    expect(owner.get_by_role("alert")).to_contain_text("Hits older than 3700 days will be deleted for good")
    owner.get_by_role("button", name="Save, and delete older hits").click()
    expect(owner.get_by_role("status").filter(has_text="Saved.")).to_be_visible()
    owner.reload()
    expect(gap).to_have_value("45")
    gap.fill("30")
    for field in ("Networks of your own people", "Days that hits are kept"):
        owner.get_by_label(field).fill("")
    owner.get_by_role("button", name="Save").click()
    expect(owner.get_by_role("status").filter(has_text="Saved.")).to_be_visible()


def test_page_groups_and_other_currencies_are_set_refused_and_kept(owner):
    owner.goto("/s/mill/tag/settings")
    groups, money = (owner.get_by_role("group", name=name, exact=True).last for name in ("Page groups", "Other currencies"))
    groups.get_by_label("Name of the group").first.wait_for()
    before = groups.get_by_label("Name of the group").count()
    owner.get_by_role("button", name="Add a page group").click()
    groups.get_by_label("Name of the group").last.fill("Letters")
    choose(groups.get_by_label("Its pages").last, "regular expression")
    groups.get_by_label("this", exact=True).last.fill("(")
    owner.get_by_role("button", name="Add a currency").click()
    money.get_by_label("Currency").fill("gbp")
    money.get_by_label("Worth of one").fill("dear")
    owner.get_by_role("button", name="Save").click()
    expect(owner.get_by_text("this cannot be read from character 1 on ((): unclosed group")).to_be_visible()
    expect(owner.get_by_text("this must be a number")).to_be_visible()
    groups.get_by_label("this", exact=True).last.fill("^/letter/")
    money.get_by_label("Worth of one").fill("1,15")
    owner.get_by_role("button", name="Save").click()
    expect(owner.get_by_role("status").filter(has_text="Saved.")).to_be_visible()
    owner.reload()
    expect(groups.get_by_label("Name of the group")).to_have_count(before + 1)
    assert owner.request.get("/api/v1/sites/mill").json()["rules"]["rates"] == {"GBP": 1.15}
    owner.get_by_role("button", name="Remove Letters").click()
    owner.get_by_role("button", name="Remove GBP").click()
    owner.get_by_role("button", name="Save").click()
    expect(owner.get_by_role("status").filter(has_text="Saved.")).to_be_visible()
    assert owner.request.get("/api/v1/sites/mill").json()["rules"]["rates"] == {}


def test_a_copy_of_the_site_counts_as_the_original(owner):
    owner.goto("/s/mill/tag/settings")
    copies = owner.get_by_role("group", name="Copies of the site", exact=True).last
    copies.get_by_label("Pages at").first.wait_for()
    before = copies.get_by_label("Pages at").count()
    owner.get_by_role("button", name="Add a copy").click()
    copies.get_by_label("Pages at").last.fill("preview.example/next?x")
    copies.get_by_label("Count as those of").last.fill("fennmoor-mill.example")
    owner.get_by_role("button", name="Save").click()
    expect(copies.get_by_role("alert")).to_contain_text("give a host, and a path")
    copies.get_by_label("Pages at").last.fill("https://www.preview.example/next/")
    owner.get_by_role("button", name="Save").click()
    expect(owner.get_by_role("status").filter(has_text="Saved.")).to_be_visible()
    expect(copies.get_by_label("Pages at").last).to_have_value("preview.example/next")
    owner.get_by_role("button", name="Remove preview.example/next").click()
    with owner.expect_response(lambda answer: answer.request.method == "PUT" and answer.ok):
        owner.get_by_role("button", name="Save").click()
    owner.reload()
    expect(copies.get_by_label("Pages at")).to_have_count(before)


def test_a_visitors_data_are_handed_out_and_forgotten_from_an_opened_visit(owner):
    owner.goto("/s/mill/watch/visits")
    owner.get_by_role("grid", name="Visits").get_by_role("link").first.click()
    pseudonym = owner.url.split("/")[-2]
    with owner.expect_download() as handed:
        owner.get_by_role("button", name="Export this visitor’s data").click()
    assert pseudonym in handed.value.path().read_text()
    owner.get_by_role("button", name="Forget this visitor …").click()
    owner.get_by_role("dialog").get_by_role("button", name="Cancel").click()
    expect(owner).to_have_url(re.compile(pseudonym))


def test_one_visitor_is_forgotten_only_after_a_question(owner, context):
    owner.goto("/s/mill/tag/settings")
    field = owner.get_by_label("The visitor’s pseudonym").last
    field.fill("nobody at all")
    owner.get_by_role("button", name="Forget this visitor …").click()
    owner.get_by_role("button", name="Cancel").click()
    owner.get_by_role("button", name="Forget this visitor …").click()
    owner.get_by_role("button", name="Forget", exact=True).click()
    expect(owner.get_by_role("alert")).to_have_text("Nothing is stored of this visitor.")


def what_is_kept(page):
    return page.evaluate("[document.cookie, Object.keys(localStorage).join(), Object.keys(sessionStorage).join()]")


def test_without_a_cookie_nothing_is_kept_in_the_browser_and_the_visit_is_counted(owner, tagged, browser, demo, demo_database):
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


def test_before_consent_nothing_is_kept_or_sent_and_taking_it_back_clears_all(owner, tagged, browser, demo):
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


def test_the_stages_are_a_key_away_and_keep_what_is_read_under(owner):
    owner.goto("/s/mill/read/overview?only=channel:Email")
    for key, view in (("1", "Site code"), ("2", "Now"), ("3", "Overview")):
        owner.locator(f"[data-stage='{key}']").wait_for()
        owner.keyboard.press(key)
        expect(owner.get_by_role("navigation", name="Views").get_by_role("link", name=view)).to_have_attribute("aria-current", "page")
        expect(owner).to_have_url(re.compile("only=channel:Email"))
        expect(owner).to_have_title(f"{view} · Fennmoor Mill · Upper Compass")
    owner.get_by_role("link", name="Tag", exact=False).first.click()
    owner.get_by_role("link", name="Settings", exact=True).click()
    field = owner.get_by_label("Name", exact=True)
    field.fill("")
    owner.keyboard.press("1")
    expect(owner).to_have_url(re.compile("tag/settings"))
    owner.keyboard.press("Control+a")
    owner.keyboard.type("123 Mill")
    expect(field).to_have_value("123 Mill")  # keys that are typed into a field are text


def test_a_viewer_reads_the_settings_and_changes_nothing(page):
    assert page.request.post("/api/v1/session", data={"email": "tom@fennmoor-mill.example", "password": "salt and time"}).ok
    page.goto("/s/mill/tag/settings")
    expect(page.get_by_text("the site’s owners change them")).to_be_visible()
    expect(page.get_by_label("Name", exact=True)).to_be_disabled()
    expect(page.get_by_role("button", name="Save")).to_be_disabled()
    expect(page.get_by_role("button", name=re.compile("Forget"))).to_have_count(0)
    page.goto("/s/mill/tag/site-code")
    expect(page.locator("pre code")).to_be_visible()
