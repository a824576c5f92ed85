"""What the site script sends automatically, on the sample site, as it arrives in the store."""

import gzip
import urllib.request

from playwright.sync_api import expect

from tests.browser.telling import collected, props_of, serve, settled, visitor_of, wait_for, wait_for_events
from upper_compass.core.definitions.script_settings import PART_FILES
from upper_compass.run.build import TRACKER


def test_the_script_with_every_part_stays_within_nine_kilobytes(demo):
    every = [TRACKER, *(TRACKER.parent / "parts" / f"{part}.js" for part in PART_FILES)]
    assert len(gzip.compress(b"".join(file.read_bytes() for file in every), 9)) <= 9000
    with urllib.request.urlopen(f"{demo.address}/uc.js?site=mill") as answer:
        assert b"media progress" in answer.read()
    with urllib.request.urlopen(f"{demo.address}/uc.js") as answer:
        assert b"media progress" not in answer.read()


def test_downloads_and_outbound_clicks(page, demo_database):
    page.route("https://*.example/**", lambda route: route.fulfill(body="elsewhere"))
    page.goto("/mill/guides/starter")
    with page.expect_download():
        page.get_by_role("link", name="Download the guide").click()
    assert props_of(page, demo_database, "file download") == [{"file": "starter-guide.pdf", "extension": "pdf"}]
    page.goto("/mill/stockists")
    page.get_by_role("link", name="Harbour grocer").click()
    page.wait_for_url("https://harbour-grocer.example/")
    page.goto("/mill/")
    assert props_of(page, demo_database, "outbound click") == [{"host": "harbour-grocer.example", "href": "https://harbour-grocer.example/"}]


def test_forms_are_told_as_they_are_seen_begun_and_sent(page, demo_database):
    page.goto("/mill/wholesale")
    assert props_of(page, demo_database, "form view") == [{"form": "wholesale"}]
    page.get_by_label("Your bakery").press_sequentially("Rising")
    page.get_by_role("button", name="Ask for prices").click()
    expect(page.get_by_role("heading", level=1)).to_have_text("Thank you")
    assert props_of(page, demo_database, "form start") == [{"form": "wholesale"}]
    assert props_of(page, demo_database, "form submit") == [{"form": "wholesale"}]


def test_a_form_that_allows_it_tells_in_which_field_it_was_left_and_never_what_was_typed(page, demo_database):
    page.goto("/mill/wholesale")
    page.get_by_label("Your bakery").press_sequentially("Rising")
    page.goto("/mill/shop")
    assert props_of(page, demo_database, "form leave") == [{"form": "wholesale", "field": "bakery"}]
    page.goto("/mill/wholesale")
    page.get_by_label("Your bakery").press_sequentially("Rising")
    page.get_by_role("button", name="Ask for prices").click()
    expect(page.get_by_role("heading", level=1)).to_have_text("Thank you")
    wait_for(page, demo_database, f"visitor = '{visitor_of(page)}' AND name = 'form submit'")
    assert len(props_of(page, demo_database, "form leave")) == 1


def test_a_search_on_the_site_is_told_once_and_its_form_is_no_form(page, demo_database):
    page.goto("/mill/recipes")
    page.get_by_label("Look for a recipe").fill(" rye ")
    page.get_by_role("button", name="Look", exact=True).click()
    expect(page.locator("ul.cards li")).to_have_count(1)
    page.goto("/mill/recipes?q=rye&page=2", referer=page.url)
    page.goto("/mill/shop")
    wait_for(page, demo_database, f"visitor = '{visitor_of(page)}' AND kind = 1", 4)
    assert props_of(page, demo_database, "site search") == [{"term": "rye"}]
    assert not wait_for(page, demo_database, f"visitor = '{visitor_of(page)}' AND name LIKE 'form%%'", 0)


def test_a_promotion_is_told_when_it_is_seen_and_when_it_is_clicked(page, demo_database):
    page.set_viewport_size({"width": 1280, "height": 300})
    page.goto("/mill/")
    wait_for(page, demo_database, f"visitor = '{visitor_of(page)}' AND kind = 1")
    assert not wait_for(page, demo_database, f"visitor = '{visitor_of(page)}' AND name LIKE 'promo%%'", 0)
    page.get_by_role("link", name="A day at the mill").click()
    page.wait_for_url("**/gift-vouchers")
    assert props_of(page, demo_database, "promo view") == [{"promo": "vouchers for winter"}]
    assert props_of(page, demo_database, "promo click") == [{"promo": "vouchers for winter"}]


def test_who_is_quicker_than_the_browser_has_seen_what_was_used(page):
    bodies = collected(page)
    below = '<p style="height: 4000px">Long.</p><b data-uc-promo="p">Promo</b><form id="ask"><input><button>Ask</button></form>'
    serve(page, "/own-quick", below, attributes="", script="/uc.js?site=mill")
    page.evaluate("document.querySelector('b').click(); document.querySelector('input').dispatchEvent(new Event('input', { bubbles: true }))")
    page.locator("input").scroll_into_view_if_needed()
    assert [hit["name"] for hit in settled(page, bodies)] == ["promo view", "promo click", "form view", "form start"]


def test_a_video_is_told_to_its_end(page, demo_database):
    page.goto("/mill/videos")
    page.locator("video").evaluate("async (video) => { video.playbackRate = 4; await video.play(); }")
    progress = props_of(page, demo_database, "media progress", 4)
    assert props_of(page, demo_database, "media start") == [{"media": "kneading", "title": "How we knead"}]
    assert [one["percent"] for one in progress] == [25, 50, 75, 100]
    assert (progress[-1]["duration_s"], progress[-1]["position_s"]) == (6, 6)


def test_a_player_in_a_frame_says_what_it_plays(page, demo_database):
    page.goto("/mill/videos")
    play = page.frame_locator("iframe").get_by_role("button")
    play.click()
    wait_for(page, demo_database, f"visitor = '{visitor_of(page)}' AND name = 'media start'")
    play.click()  # rests
    play.click()  # and goes on, which is no second start
    for _ in range(600):
        told_now = wait_for(page, demo_database, f"visitor = '{visitor_of(page)}' AND name = 'media progress'", 1)
        if told_now[-1]["props"].get("percent") == 100:
            break
        page.wait_for_timeout(50)
    assert props_of(page, demo_database, "media start") == [{"media": "shaping", "title": "How we shape"}]
    assert {25, 50, 75, 100} <= {one["props"]["percent"] for one in told_now}


def test_a_frame_of_a_host_that_nobody_named_is_not_believed(page):
    bodies = collected(page)
    page.route(
        "http://strange.example/",
        lambda route: route.fulfill(body="<script>parent.postMessage({uc_player: 'play', media: 'x'}, '*')</script>", content_type="text/html"),
    )
    serve(page, "/own-frame", '<iframe src="http://strange.example/"></iframe>', attributes="", script="/uc.js?site=mill")
    page.evaluate("postMessage({uc_player: 'play', media: 'from the page itself'}, '*'); postMessage('uc_player nonsense', '*')")
    assert settled(page, bodies) == []


def test_an_element_that_names_its_event_is_not_told_twice_and_fields_go_along(page):
    bodies = collected(page)
    form = '<form id="ask" data-uc-event="form submit" data-uc-prop-form="own words" action="#"><input name="id" aria-label="a"><button>Ask</button></form>'
    link = '<a href="https://www.fennmoor-mill.example/a" data-uc-event="left">Not outbound</a><meta name="uc-field-author" content="Orla">'
    serve(page, "/own-twice", form + link, attributes="", script="/uc.js?site=mill")
    page.evaluate("uc.field('club', 'member')")
    page.get_by_label("a").fill("x")
    page.evaluate(
        "document.addEventListener('submit', (event) => event.preventDefault()); document.addEventListener('click', (event) => event.target.href && event.preventDefault())"
    )
    page.get_by_role("button").click()
    page.get_by_role("link").click()
    found = settled(page, bodies)
    assert sorted((hit["name"], (hit.get("props") or {}).get("form")) for hit in found) == [
        ("form start", "ask"), ("form submit", "own words"), ("form view", "ask"), ("left", None),
    ]  # fmt: skip
    view = next(hit for body in bodies for hit in body if hit["kind"] == "view")
    assert view["fields"] == {"author": "Orla"}
    assert found[-1]["fields"] == {"author": "Orla", "club": "member"}


def test_errors_of_the_pages_own_scripts_are_told_once_a_view(page):
    bodies = collected(page)
    serve(page, "/own-errors", "<button onclick='missing.thing()'>Break</button>", attributes="", script="/uc.js?site=mill")
    for _ in range(3):
        page.get_by_role("button").click()
    page.evaluate("void Promise.reject(new Error('not today')); dispatchEvent(new ErrorEvent('error', { message: 'An addition', filename: 'x-addition://a' }))")
    wait_for_events(page, bodies, 2)  # the browser tells of a promise when it gets round to it
    page.evaluate(
        "for (let i = 0; i < 9; i++) dispatchEvent(new ErrorEvent('error', { message: `Error ${i}`, filename: location.href + '?who=me', lineno: i }))"
    )
    found = [hit["props"] for hit in settled(page, bodies)]
    assert [props["message"] for props in found] == [
        "Uncaught ReferenceError: missing is not defined", "Unhandled: not today", "Error 0", "Error 1", "Error 2",
    ]  # fmt: skip
    assert (found[2]["file"].endswith("/own-errors"), found[3]["line"]) == (True, 1)


def test_scrolling_down_is_told_by_quarters_each_once(page, demo, demo_database):
    bodies = collected(page)
    script = (TRACKER.parent / "parts" / "scroll.js").read_text() + TRACKER.read_text()
    text = "!function(uc_parts,uc_settings){" + script + "}([],{key:'mill'})"
    page.route("**/scrolling.js", lambda route: route.fulfill(body=text, content_type="text/javascript"))
    serve(page, "/own-scroll", '<p style="height: 4000px">Long.</p>', attributes="", script="/scrolling.js")
    for place in (0, 1500, 400, 4000, 0, 4000):
        page.evaluate(f"scrollTo(0, {place})")
        page.evaluate("new Promise((drawn) => requestAnimationFrame(() => requestAnimationFrame(drawn)))")
    assert [hit["props"]["percent"] for hit in settled(page, bodies)] == [25, 50, 75, 90]
