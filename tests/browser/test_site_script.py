"""The site script on real pages: what it sends, what it keeps to itself, and that it harms no page."""

import json
import re

import pytest
from playwright.sync_api import expect

from tests.browser.conftest import follow
from tests.browser.telling import collected, hits, serve, settled, until, visitor_of, wait_for
from upper_compass.core.dataset.traffic_sources import tidy

HOSTILE = """<!doctype html><html><head><title>Hostile</title>
<script>
  Object.freeze(Array.prototype); Object.freeze(Object.prototype);
  for (const name of ["localStorage", "sessionStorage"]) Object.defineProperty(window, name, { get() { throw new Error("no storage"); } });
  Object.defineProperty(document, "cookie", { get() { throw new Error("no cookies"); }, set() { throw new Error("no cookies"); } });
  history.pushState = Object.freeze(history.pushState);
  window.addEventListener("click", () => { throw new Error("the page's own trouble"); });
</script>
<script defer src="/uc.js" data-site="mill"></script></head>
<body><button data-uc-event="pressed">Press</button></body></html>"""


def test_views_marked_elements_and_calls_arrive_under_one_visitor(page, demo_database):
    page.goto("/mill/guides/starter?utm_source=a&utm_medium=b")
    with page.expect_download():
        page.get_by_role("link", name="Download the guide").click()
    page.evaluate("uc.event('stirred', { spoon: 'wood', turns: 3, hot: true }, 2.5); uc.goal('Tasted', 4)")
    found = wait_for(page, demo_database, f"visitor = '{visitor_of(page)}' AND kind < 4", 4)
    assert [(hit["kind"], hit["name"]) for hit in found] == [(1, None), (2, "file download"), (2, "stirred"), (2, "Tasted")]
    assert found[0]["url"] == "https://fennmoor-mill.example/guides/starter?utm_source=a&utm_medium=b"
    assert found[1]["props"] == {"file": "starter-guide.pdf", "extension": "pdf"}
    assert (found[2]["props"], found[2]["value"]) == ({"spoon": "wood", "turns": 3, "hot": True}, 2.5)
    cookie = next(cookie for cookie in page.context.cookies() if cookie["name"] == "uc_visitor")
    assert cookie["sameSite"] == "Lax"


def test_a_purchase_in_three_steps_is_an_order_and_time_is_counted(page, demo_database):
    page.goto("/mill/shop/rye-flour")
    until(page, "performance.now() > 700")  # so long it is looked at
    page.get_by_role("button", name="Put into the basket").click()
    page.get_by_role("link", name="To the checkout").click()
    for field, value in (("street", "Mill Lane 1"), ("day", "2026-12-01"), ("account", "none")):
        page.locator(f"[name={field}]").fill(value)
        page.get_by_role("button", name="Go on").click()
    expect(page.get_by_role("heading", level=1)).to_have_text("Thank you")
    order = wait_for(page, demo_database, f"visitor = '{visitor_of(page)}' AND kind = 3")
    assert (len(order), order[0]["value"]) == (1, 12.1)
    engaged = wait_for(page, demo_database, f"visitor = '{visitor_of(page)}' AND kind = 4 AND url LIKE '%%/shop/rye-flour'")
    assert 500 <= engaged[0]["engaged_ms"] < 10_000


def test_a_change_of_route_is_a_view_with_the_page_before_as_referrer(page, demo_database):
    page.goto("/mill/recipes")
    page.evaluate("history.pushState({}, '', '/mill/recipes/rye'); history.replaceState({}, '', '/mill/recipes/rye#top')")
    wait_for(page, demo_database, f"visitor = '{visitor_of(page)}' AND kind = 1", 2)
    page.evaluate("history.back()")
    found = wait_for(page, demo_database, f"visitor = '{visitor_of(page)}' AND kind = 1", 3)
    assert [hit["url"].rpartition(".example")[2] for hit in found] == ["/recipes", "/recipes/rye", "/recipes"]
    assert found[1]["referrer"] == found[0]["url"]


def test_with_global_privacy_control_nothing_is_sent_and_nothing_is_stored(browser, demo, demo_database):
    context = browser.new_context(base_url=demo.address, user_agent="A browser that wants its privacy")
    context.add_init_script("Object.defineProperty(navigator, 'globalPrivacyControl', { value: true })")
    page = context.new_page()
    sent = []
    page.on("request", lambda request: sent.append(request.url) if "/collect" in request.url else None)
    page.goto("/mill/")
    page.evaluate("uc.event('x'); uc.order({ total: 1 }); uc.goal('y')")
    page.get_by_role("link", name="Courses", exact=True).first.click()
    page.wait_for_load_state("networkidle")
    assert (sent, context.cookies(), page.evaluate("localStorage.length")) == ([], [], 0)
    assert hits(demo_database, "user_agent LIKE '%%wants its privacy'") == []
    context.close()


def test_what_could_not_be_sent_is_sent_later_with_the_same_id(page, demo_database):
    bodies = []
    failing = {"on": True}

    def answer(route):
        bodies.append(json.loads(route.request.post_data))
        if failing["on"]:
            route.fulfill(status=503, headers={"Retry-After": "2"})
        else:
            route.continue_()

    page.route("**/collect?*", answer)
    page.goto("/mill/wholesale")
    until(page, "Object.keys(localStorage).some((key) => key.startsWith('uc_waiting'))")
    failing["on"] = False
    page.goto("/mill/stockists")
    found = wait_for(page, demo_database, f"visitor = '{visitor_of(page)}' AND kind = 1", 2)
    assert [hit["url"].rpartition("/")[2] for hit in found] == ["wholesale", "stockists"]
    assert found[0]["id"] == bodies[0][0]["id"]
    until(page, "!localStorage.getItem('uc_waiting_mill')")


@pytest.mark.parametrize("clicks", [1, 200])
def test_a_hostile_page_loses_no_hit_and_gets_no_error_from_the_script(page, demo, demo_database, clicks):
    page.route("**/hostile?*", lambda route: route.fulfill(body=HOSTILE, content_type="text/html"))
    errors = []
    page.on("pageerror", lambda error: errors.append(str(error)))
    page.goto(f"/hostile?run={clicks}")
    page.evaluate(f"for (let i = 0; i < {clicks}; i++) document.querySelector('button').click()")
    where = f"url LIKE '%%/hostile?run={clicks}'"
    found = wait_for(page, demo_database, where, clicks + 1)
    assert [hit["kind"] for hit in found].count(2) == clicks
    assert len({hit["visitor"] for hit in found}) == 1
    assert set(errors) == {"the page's own trouble"}


def test_text_from_visitors_is_shown_as_text(overview, demo_database):
    planted = "<img src=x onerror=window.hacked=1>"
    page = overview.context.new_page()
    page.goto(f"/mill/?utm_source={planted}&utm_medium={planted}&utm_campaign={planted}")
    page.evaluate(
        "(text) => { document.title = text; uc.event(text, { [text]: text }); history.pushState({}, '', '/mill/' + encodeURIComponent(text)); }", planted
    )
    wait_for(page, demo_database, f"visitor = '{visitor_of(page)}' AND kind < 4", 3)
    today = overview.evaluate("new Date().toISOString().slice(0, 10)")
    for dimension, value in (("raw_source", planted), ("event", planted), ("source", tidy(planted))):
        follow(overview, f"/s/mill/read/overview?from={today}&to={today}&only={dimension}:{value}")
        expect(overview.locator("[data-chip]")).to_contain_text(value)
        overview.locator("[data-ledger] tbody tr").first.wait_for()
    assert overview.evaluate("window.hacked") is None


def test_the_script_is_small():
    import gzip

    from upper_compass.run.build import TRACKER

    assert len(gzip.compress(TRACKER.read_bytes(), 9)) <= 4300


def test_bodies_hold_a_bounded_number_of_hits_and_everything_goes_out(page):
    bodies = collected(page)
    serve(page, "/own-many", "")
    page.evaluate("for (let i = 0; i < 130; i++) uc.event('turn', { number: i, text: 'x'.repeat(900) })")
    assert [hit["props"]["number"] for hit in settled(page, bodies)] == list(range(130))
    assert max(len(body) for body in bodies) <= 20
    assert max(len(json.dumps(body)) for body in bodies) < 64_000


def test_a_marked_form_counts_when_it_is_sent_and_not_when_it_is_clicked(page):
    bodies = collected(page)
    form = '<form data-uc-event="asked" data-uc-value="2.5" data-uc-prop-about="rye" action="#"><input name="a"><button>Ask</button></form>'
    serve(page, "/own-form", form + '<a href="#x" data-uc-event="link"><b>deep inside</b></a>')
    page.locator("input").click()
    page.get_by_role("button", name="Ask").click()
    page.wait_for_url(re.compile(r"\?a="), wait_until="load")
    page.locator("b").click()
    found = [(hit["name"], hit.get("value"), hit.get("props")) for hit in settled(page, bodies)]
    assert found == [("asked", 2.5, {"about": "rye"}), ("link", None, None)]


def test_without_a_key_or_with_nonsense_the_page_is_left_in_peace(page):
    errors = []
    page.on("pageerror", lambda error: errors.append(str(error)))
    bodies = collected(page)
    serve(page, "/own-keyless", "", attributes="")
    page.evaluate("uc.event('x'); uc.order({ total: 1 }); uc.goal('y', 2)")
    serve(page, "/own-nonsense", "")
    page.evaluate("uc.event(); uc.event({}, 5, 'x'); uc.order(); uc.order(null); uc.goal(); uc.event('ok', null, NaN)")
    sent = settled(page, bodies)
    assert errors == []
    assert all("own-nonsense" in hit["url"] for body in bodies for hit in body)  # nothing without a key
    assert [hit.get("value") for hit in sent if hit["name"] == "ok"] == [None]


def test_a_copy_under_another_address_counts_as_the_original(page):
    bodies = collected(page)
    serve(page, "/copy/bread?utm_source=a#top", "", attributes='data-site="mill" data-as="/copy https://www.mill.example"')
    until(page, "!localStorage.getItem('uc_waiting_mill')")
    assert bodies[0][0]["url"] == "https://www.mill.example/bread?utm_source=a"


def test_a_refused_hit_is_dropped_and_does_not_hold_up_the_next(page):
    answers = [422, 204]
    bodies = []

    def answer(route):
        bodies.append(json.loads(route.request.post_data))
        route.fulfill(status=answers.pop(0) if answers else 204, json={})

    page.route("**/collect?*", answer)
    serve(page, "/own-refused", "")
    until(page, "!localStorage.getItem('uc_waiting_mill')")
    page.evaluate("uc.event('next')")
    until(page, "!localStorage.getItem('uc_waiting_mill')")
    assert [hit["kind"] for body in bodies for hit in body] == ["view", "event"]


def test_coming_back_by_the_browsers_memory_is_a_view_again(page):
    bodies = collected(page)
    serve(page, "/own-back", "")
    until(page, "!localStorage.getItem('uc_waiting_mill')")
    page.evaluate("window.dispatchEvent(new PageTransitionEvent('pageshow', { persisted: true }))")
    settled(page, bodies)
    views = [hit["url"].rpartition("/")[2] for body in bodies for hit in body if hit["kind"] == "view"]
    assert views == ["own-back", "own-back"]
