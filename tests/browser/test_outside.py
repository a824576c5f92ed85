"""What comes from outside: pages that harm the script, and texts that would harm the screens."""

import re

import pytest
from playwright.sync_api import expect

from tests.browser.conftest import PERSON, follow, sign_in
from tests.browser.telling import HARM, collected, hits, props_of, serve, settled, until, visitor_of, wait_for, wait_for_events
from upper_compass.demo.laying import ACCOUNT, PASSWORD

ALL = "/uc.js?site=mill"


def test_two_hundred_links_clicked_at_once_are_all_told_on_a_page_that_breaks_everything(page):
    errors, bodies = [], collected(page)
    page.on("pageerror", lambda error: errors.append(str(error)))
    links = "".join(f'<a href="https://other{i}.example/">{i}</a>' for i in range(200))
    serve(page, "/own-harm", HARM + links, attributes="", script=ALL)
    page.evaluate("document.addEventListener('click', (event) => event.preventDefault()); document.querySelectorAll('a').forEach((link) => link.click())")
    found = [hit for hit in wait_for_events(page, bodies, 201) if hit["name"] == "outbound click"]
    assert {hit["props"]["host"] for hit in found} == {f"other{i}.example" for i in range(200)}
    assert len({hit["id"] for hit in found}) == 200
    assert set(errors) <= {"the page's own trouble", "Error: the page's own trouble"}


def test_one_broken_part_leaves_the_others_alone(page):
    bodies = collected(page)
    form = '<form id="ask"><input aria-label="a"><button>Ask</button></form><b data-uc-promo="p">Promo</b>'
    serve(page, "/own-parts", HARM + form, attributes="", script=ALL + "&x=1")
    page.locator("b").click()
    page.get_by_label("a").fill("x")
    names = {hit["name"] for hit in settled(page, bodies)}
    assert {"promo click", "script error"} <= names


def test_a_strict_content_policy_lets_the_script_work(page, demo):
    bodies = collected(page)
    policy = {"Content-Security-Policy": f"default-src 'none'; script-src {demo.address}; connect-src {demo.address}; style-src 'none'"}
    html = f'<!doctype html><title>Strict</title><script defer src="{ALL}"></script><a href="https://other.example/" download="x.pdf">x</a>'
    page.route("**/own-strict", lambda route: route.fulfill(body=html, content_type="text/html", headers=policy))
    page.goto("/own-strict")
    page.evaluate("document.addEventListener('click', (event) => event.preventDefault())")
    page.get_by_role("link").click()
    assert [(hit["name"], hit["props"]) for hit in wait_for_events(page, bodies, 1)] == [("file download", {"file": "x.pdf", "extension": "pdf"})]


def test_a_page_that_is_prerendered_tells_nothing_until_it_is_shown(page):
    bodies = collected(page)
    early = "<script>Object.defineProperty(document, 'prerendering', { configurable: true, get: () => window.early !== false });</script>"
    serve(page, "/own-early", early + '<form id="ask"></form>', attributes="", script=ALL)
    page.evaluate("fetch('/collect?site=mill', { method: 'POST', body: '[]' })")  # what the script had sent would have come before it
    assert bodies == [[]]
    page.evaluate("window.early = false; document.dispatchEvent(new Event('prerenderingchange'))")
    until(page, "window.uc")
    settled(page, bodies)
    assert [hit["kind"] for hit in bodies[1]] == ["view"]


def test_back_and_forth_counts_every_view_and_every_promotion_again(page, demo_database):
    page.goto("/mill/")
    page.get_by_role("link", name="A day at the mill").click()
    page.wait_for_url("**/gift-vouchers")
    page.go_back()
    page.get_by_role("link", name="A day at the mill").scroll_into_view_if_needed()
    assert len(props_of(page, demo_database, "promo view", 2)) == 2
    views = wait_for(page, demo_database, f"visitor = '{visitor_of(page)}' AND kind = 1", 3)
    assert [hit["url"].rpartition("/")[2] for hit in views] == ["", "gift-vouchers", ""]


def test_a_page_that_the_browser_kept_is_a_view_again_when_one_comes_back(browser_type, browser_type_launch_args, demo, demo_database):
    keeping = browser_type.launch(**browser_type_launch_args | {"executable_path": "/usr/bin/chromium"}, ignore_default_args=["--disable-back-forward-cache"])
    page = keeping.new_page(base_url=demo.address, user_agent=PERSON)
    page.goto("/mill/recipes/focaccia")
    page.evaluate("window.kept = true; addEventListener('pageshow', (event) => (window.persisted = event.persisted))")
    wait_for(page, demo_database, f"visitor = '{visitor_of(page)}' AND kind = 1", 1)
    page.get_by_role("link", name="Shop", exact=True).click()
    wait_for(page, demo_database, f"visitor = '{visitor_of(page)}' AND kind = 1", 2)
    page.evaluate("history.back()")
    until(page, "window.kept && window.persisted")
    views = wait_for(page, demo_database, f"visitor = '{visitor_of(page)}' AND kind = 1", 3)
    assert [hit["url"].rpartition("/")[2] for hit in views] == ["focaccia", "shop", "focaccia"]
    page.get_by_role("link", name="The flour for it").click()  # its rule is still awake
    assert len(props_of(page, demo_database, "flour wanted")) == 1
    keeping.close()


PLANTED = "<img src=x onerror=window.hacked=1>"
VIEWS = (
    "tag/events",
    "tag/goals",
    "tag/fields",
    "tag/rules",
    "tag/links",
    "tag/channels",
    "tag/import",
    "watch/tag-health",
    "watch/now",
    "watch/visits",
    "read/overview",
)


@pytest.fixture
def planted(page, demo_database):
    """A visit every text of which is markup; the page signed in as an owner."""
    page.goto(
        f"/mill/?utm_source={PLANTED}&utm_medium={PLANTED}&utm_campaign={PLANTED}&utm_content={PLANTED}&utm_term={PLANTED}",
        referer=f"http://x.example/{PLANTED}",
    )
    page.evaluate(
        """(text) => { document.title = text; uc.field("author", text); uc.event(text, { [text]: text }, 1); uc.order({ id: text, total: 1, currency: "EUR" });
        history.pushState({}, "", "/mill/" + encodeURIComponent(text)); }""",
        PLANTED,
    )
    wait_for(page, demo_database, f"visitor = '{visitor_of(page)}' AND kind IN (1, 2, 3)", 4)
    sign_in(page, ACCOUNT, PASSWORD)
    return page


def test_texts_from_outside_are_text_on_every_view(planted):
    today = planted.evaluate("new Date().toISOString().slice(0, 10)")
    planted.goto("/s/mill/tag/settings")
    planted.locator("h1").wait_for()
    for view in VIEWS:
        follow(planted, f"/s/mill/{view}?from={today}&to={today}")
        expect(planted.locator("main h1")).not_to_be_empty()
        until(planted, "!document.querySelector('main [aria-busy=true]')") if view != "watch/now" else planted.locator("aside dl").first.wait_for()
        assert planted.locator("main img[src='x']").count() == 0, view
        assert planted.evaluate("window.hacked") is None, view
    follow(planted, f"/s/mill/tag/events?from={today}&to={today}")
    opener = planted.get_by_role("button", name=re.compile("<img")).first
    opener.click()
    expect(planted.locator("[data-details], [data-inside]")).to_contain_text(PLANTED)
    follow(planted, f"/s/mill/tag/links?from={today}&to={today}")
    expect(planted.get_by_role("region", name="Links that nobody made here")).to_be_visible()
    assert planted.evaluate("window.hacked") is None


def test_a_viewer_sees_everything_and_is_offered_no_change(viewer):
    offered = {
        "tag/goals": ("Make a goal",), "tag/fields": ("Add a field",), "tag/channels": ("Add a channel", "Add an alias", "Save"),
        "tag/links": ("Save", "Archive", "Add a word"), "tag/rules": ("Make a rule", "Publish"),
    }  # fmt: skip
    viewer.goto("/s/mill/tag/settings")
    viewer.locator("h1").wait_for()
    for view, buttons in offered.items():
        follow(viewer, f"/s/mill/{view}")
        viewer.locator("main table, main [aria-label='Channels'] ol").first.wait_for()
        for name in buttons:
            assert viewer.get_by_role("button", name=name, exact=True).count() == 0, (view, name)
    follow(viewer, "/s/mill/tag/events")
    viewer.get_by_role("button", name="course booked", exact=True).click()
    expect(viewer.get_by_role("form", name="What is said of course booked").get_by_role("button", name="Save")).to_be_disabled()


def test_nothing_is_stored_of_a_visit_that_asks_for_no_tracking_whatever_it_does(browser, demo, demo_database):
    context = browser.new_context(base_url=demo.address, user_agent="Wants its privacy, with every part", extra_http_headers={"Sec-GPC": "1"})
    context.add_init_script("Object.defineProperty(navigator, 'globalPrivacyControl', { value: true })")
    page = context.new_page()
    page.goto("/mill/videos")
    page.locator("video").evaluate("async (video) => { video.playbackRate = 8; await video.play(); }")
    page.goto("/mill/recipes?q=rye")
    page.goto("/mill/wholesale")
    page.get_by_label("Your bakery").fill("x")
    page.get_by_role("button", name="Ask for prices").click()
    page.wait_for_load_state("networkidle")
    assert hits(demo_database, "user_agent LIKE 'Wants its privacy, with every part'") == []
    context.close()
