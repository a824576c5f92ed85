"""What the site script does by rule, on pages of the test's own: when, only if, then, and where values come from."""

import gzip
import re
from datetime import UTC, datetime

import pytest

from tests.browser.telling import HARM, collected, serve, settled, until, wait_for_events
from upper_compass.core.definitions.script_settings import Sends, Tagging
from upper_compass.core.definitions.site_rules import SiteRules
from upper_compass.core.tagging.tag_rules import RuleSet
from upper_compass.run.build import TRACKER
from upper_compass.services.site_script import made_for
from upper_compass.store.sites import Site

NOTHING = Sends(**dict.fromkeys(Sends.model_fields, False))
CLICK = {"kind": "clicked", "selector": "button"}


def event(name, **more):
    return {"kind": "event", "name": name, **more}


def a_rule(when, *then, only_if=(), **more):
    return {"name": "R", "when": when, "only_if": list(only_if), "then": list(then), **more}


def script_of(*rules, sends=NOTHING, html=True, hosts=("127.0.0.1",), **tagging):
    """The script of a site that has these rules live."""
    site = Site(1, "mill", "Mill", SiteRules(hosts=list(hosts)), datetime.now(UTC), Tagging(sends=sends, inserts_html=html, **tagging), 0)
    live = RuleSet.model_validate({"rules": [{"id": f"rule{place}"} | rule for place, rule in enumerate(rules)]}).rules
    return made_for(TRACKER, site, live)


@pytest.fixture
def ruled(page):
    """Shows a page whose script obeys rules; what it sends is collected."""
    bodies = collected(page)

    def show(path, body, *rules, **tagging):
        page.route("**/ruled.js", lambda route: route.fulfill(body=script_of(*rules, **tagging), content_type="text/javascript"))
        serve(page, path, body, attributes="", script="/ruled.js")
        return bodies

    return show


def events_sent(page, bodies, count):
    """(name, value, properties) of the events that were sent."""
    return [(hit["name"], hit.get("value"), hit.get("props")) for hit in wait_for_events(page, bodies, count)]


def names(page, bodies, count):
    return sorted(name for name, _, _ in events_sent(page, bodies, count))


def test_the_script_with_every_part_and_ten_rules_stays_within_nine_kilobytes():
    rules = [a_rule(CLICK | {"text": f"Text {i}"}, event(f"event {i}", value={"kind": "source", "part": "channel"})) for i in range(10)]
    whole = script_of(*rules, hosts=("mill.example", "shop.mill.example", "booking.example"), sends=Sends(**dict.fromkeys(Sends.model_fields, True)))
    assert all(word in whole for word in ("media progress", "scroll depth", "seconds passed", "uc_visit_"))
    assert len(gzip.compress(whole.encode(), 9)) <= 9000


def test_a_click_is_found_by_selector_by_text_and_by_both(page, ruled):
    body = '<p class="buy"><a href="#x"><b>Buy  it\n now</b></a></p><button class="buy">Other</button>'
    rules = [
        a_rule({"kind": "clicked", "selector": ".buy"}, event("by selector")),
        a_rule({"kind": "clicked", "text": "Buy it now"}, event("by text")),
        a_rule({"kind": "clicked", "selector": "a", "text": "Buy it now"}, event("by both")),
        a_rule({"kind": "clicked", "selector": "button", "text": "Buy it now"}, event("by neither")),
    ]
    bodies = ruled("/own-click", body, *rules)
    page.locator("b").click()
    assert names(page, bodies, 3) == ["by both", "by selector", "by text"]
    page.locator("button").click()
    assert names(page, bodies, 4).count("by selector") == 2


def test_values_are_read_from_wherever_they_stand(page, ruled):
    def prop(name, **value):
        return {"key": name, "value": value}

    props = [
        prop("fixed", kind="fixed", text="always"),
        prop("query", kind="query", key="plan"),
        prop("cookie", kind="cookie", key="club"),
        prop("text", kind="element"),
        prop("attribute", kind="element", attribute="data-size"),
        prop("other", kind="element", selector="h1"),
        prop("variable", kind="variable", path="shop.basket.count"),
        prop("typed", kind="element", selector="input"),
        prop("function", kind="variable", path="shop.pay"),
        prop("missing", kind="element", selector=".nowhere"),
    ]
    body = (
        '<h1> Two\n lines </h1><input value="secret"><button data-size="5 kg">Take</button><script>shop = { basket: { count: 3 }, pay() { throw 1 } }</script>'
    )
    body += "<script>document.cookie = 'club=bakers%20only'</script>"
    bodies = ruled("/own-values?plan=%C3%A4+b&plan=c", body, a_rule(CLICK, event("taken", props=props)))
    page.locator("button").click()
    assert events_sent(page, bodies, 1) == [
        (
            "taken",
            None,
            {"fixed": "always", "query": "ä b", "cookie": "bakers only", "text": "Take", "attribute": "5 kg", "other": "Two lines", "variable": "3"},
        )
    ]


PRICES = {"1.234,50 €": 1234.5, "$1,234.5": 1234.5, "19.90": 19.9, "12": 12, "€ 1.500": 1500, "-7,25": -7.25, "CHF 2'300.—": 2300, "free": None, "0.125": 0.125}


def test_a_value_is_read_as_the_number_that_people_mean(page, ruled):
    body = "".join(f"<button>{price}</button>" for price in PRICES)
    bodies = ruled("/own-prices", body, a_rule(CLICK, {"kind": "goal", "name": "Bought", "value": {"kind": "element"}}))
    for place in range(len(PRICES)):
        page.locator("button").nth(place).click()
    found = events_sent(page, bodies, len(PRICES))
    assert {name for name, _, _ in found} == {"Bought"}
    assert dict(zip(PRICES, [value for _, value, _ in found], strict=True)) == PRICES


def test_everything_that_a_rule_can_wait_for(page, ruled):
    rules = [
        a_rule({"kind": "page shown"}, event("shown")),
        a_rule({"kind": "form sent", "selector": "#ask"}, event("form", props=[{"key": "id", "value": {"kind": "element", "attribute": "id"}}])),
        a_rule({"kind": "form sent"}, event("any form")),
        a_rule({"kind": "in view", "selector": ".far"}, event("seen")),
        a_rule({"kind": "scrolled", "percent": 90}, event("scrolled")),
        a_rule({"kind": "seconds passed", "seconds": 1}, event("waited")),
        a_rule({"kind": "signalled", "name": "quiz done"}, event("signal")),
        a_rule({"kind": "leaving"}, event("leaving")),
        a_rule({"kind": "page shown"}, event("never"), paused=True),
    ]
    body = '<form id="ask"><button>Ask</button></form><form><button>Other</button></form><div style="height:3000px"></div><p class="far">Far</p>'
    bodies = ruled("/own-whens", body, *rules)
    page.evaluate("document.addEventListener('submit', (event) => event.preventDefault())")
    assert names(page, bodies, 2) == ["shown", "waited"]
    page.get_by_role("button", name="Ask").click()
    page.get_by_role("button", name="Other").click()
    assert ("form", None, {"id": "ask"}) in events_sent(page, bodies, 5)
    page.evaluate("uc.signal('quiz begun'); uc.signal('quiz done'); uc.signal('quiz done')")
    page.evaluate("scrollTo(0, 10000)")
    assert names(page, bodies, 9) == ["any form", "any form", "form", "scrolled", "seen", "shown", "signal", "signal", "waited"]
    page.evaluate("for (let i = 0; i < 2; i++) document.dispatchEvent(new MouseEvent('mouseout', { clientY: -1 }))")
    assert names(page, bodies, 10).count("leaving") == 1
    page.evaluate("history.pushState({}, '', '/own-whens/next'); scrollTo(0, 0)")
    assert names(page, bodies, 12).count("shown") == 2  # and again it waits a second
    assert "never" not in names(page, bodies, 12)


CONDITIONS = {
    "page": ({"kind": "page", "test": "starts with", "value": "/own-if"}, True),
    "page bare": ({"kind": "page", "test": "is", "value": "/own-if/a"}, True),
    "not page": ({"kind": "page", "test": "is", "value": "/own-if/A"}, False),
    "host": ({"kind": "host", "test": "is", "value": "127.0.0.1"}, True),
    "not host": ({"kind": "host", "test": "is not", "value": "127.0.0.1"}, False),
    "query": ({"kind": "query", "key": "plan", "test": "is", "value": "gold"}, True),
    "no query": ({"kind": "query", "key": "offer", "test": "is empty"}, True),
    "not query": ({"kind": "query", "key": "plan", "test": "does not contain", "value": "ol"}, False),
    "referrer": ({"kind": "referrer", "test": "contains", "value": "crumb.example"}, True),
    "not referrer": ({"kind": "referrer", "test": "is empty"}, False),
    "field": ({"kind": "field", "key": "author", "test": "is", "value": "Tess"}, True),
    "not field": ({"kind": "field", "key": "author", "test": "is not", "value": "Tess"}, False),
    "device": ({"kind": "device", "devices": ["phone", "desktop"]}, True),
    "not device": ({"kind": "device", "devices": ["phone", "tablet"]}, False),
}


def test_only_if_every_condition_holds(page, ruled):
    page.set_extra_http_headers({"Referer": "https://crumb.example/list"})
    rules = [a_rule({"kind": "page shown"}, event(name), only_if=[condition]) for name, (condition, _) in CONDITIONS.items()]
    both = [CONDITIONS["page"][0], CONDITIONS["not host"][0]]
    rules.append(a_rule({"kind": "page shown"}, event("both"), only_if=both))
    bodies = ruled("/own-if/a/?plan=gold", '<meta name="uc-field-author" content="Tess">', *rules)
    page.evaluate("uc.event('last')")
    wanted = sorted([name for name, (_, holds) in CONDITIONS.items() if holds] + ["last"])
    assert names(page, bodies, len(wanted)) == wanted


def test_a_share_of_visitors_stays_the_same_share(page, ruled, browser, demo):
    rules = [a_rule({"kind": "signalled", "name": "go"}, event("50"), only_if=[{"kind": "share", "percent": 50}])]
    for number in range(4):
        bodies = []
        context = browser.new_context(base_url=demo.address)
        context.add_cookies([{"name": "uc_visitor", "value": f"visitor{number:03}", "url": demo.address}])
        other = context.new_page()
        bodies = collected(other)
        other.route("**/ruled.js", lambda route: route.fulfill(body=script_of(*rules), content_type="text/javascript"))
        serve(other, "/own-share", "", attributes="", script="/ruled.js")
        other.evaluate("uc.signal('go'); uc.signal('go')")
        found = [hit["name"] for hit in settled(other, bodies)]
        assert found.count("50") in (0, 2)  # how large a share is, is tested without a browser
        context.close()


def test_a_field_set_by_the_page_is_carried_by_its_very_view(page, ruled):
    rule = a_rule(
        {"kind": "page shown"},
        {"kind": "field", "key": "kind", "value": {"kind": "element", "selector": "h1"}},
        event("after"),
        only_if=[CONDITIONS["page"][0]],
    )
    bodies = ruled("/own-if", "<h1>Rye</h1>", rule)
    wait_for_events(page, bodies, 1)
    assert [(hit["kind"], hit.get("fields")) for body in bodies for hit in body] == [("view", {"kind": "Rye"}), ("event", {"kind": "Rye"})]


PLACES = {"before": "XA", "at the start": "XA", "at the end": "AX", "after": "AX", "instead": "X"}


def test_html_is_put_in_its_place_once_and_its_own_clicks_count(page, ruled):
    rules, body = [], "<button>Go</button>"
    for number, place in enumerate(PLACES):
        html = {"kind": "html", "html": f'<b data-uc-event="{place}">X</b>', "place": place, "selector": f"#p{number} i"}
        rules.append(a_rule(CLICK, html))
        body += f'<p id="p{number}"><i>A</i></p>'
    bodies = ruled("/own-html", body, *rules)
    for _ in range(2):
        page.locator("button").click()
    assert page.locator("p").all_inner_texts() == list(PLACES.values())
    for number in range(len(PLACES)):
        page.locator(f"#p{number} b").click()
    assert names(page, bodies, len(PLACES)) == sorted(PLACES)


def test_where_the_site_does_not_allow_it_no_html_reaches_the_page(page, ruled):
    html = {"kind": "html", "html": "<b>X</b>", "selector": "p"}
    bodies = ruled("/own-html", "<p>A</p><button>Go</button>", a_rule(CLICK, html, event("pressed")), html=False)
    page.locator("button").click()
    assert names(page, bodies, 1) == ["pressed"]
    assert page.locator("p").inner_text() == "A"


def test_a_rule_that_cannot_be_read_takes_no_other_with_it_on_a_page_that_breaks_everything(page, ruled):
    errors = []
    page.on("pageerror", lambda error: errors.append(str(error)))
    rules = [
        a_rule({"kind": "in view", "selector": "p:::x"}, event("never")),
        a_rule({"kind": "clicked", "selector": "b[["}, event("never")),
        a_rule({"kind": "clicked", "selector": "b"}, {"kind": "html", "html": "<i>x</i>", "selector": "]["}, event("clicked")),
        a_rule({"kind": "in view", "selector": "b"}, event("observer")),
        a_rule({"kind": "page shown"}, event("shown", value={"kind": "source", "part": "channel"})),
    ]
    bodies = ruled("/own-harmed", HARM + "<b>B</b>", *rules)
    page.locator("b").click()
    assert names(page, bodies, 2) == ["clicked", "shown"]
    assert set(errors) <= {"the page's own trouble", "Error: the page's own trouble"}


def test_the_visits_source_and_whether_it_is_the_first_are_known_on_its_next_pages_too(page, ruled):
    source = [{"key": part, "value": {"kind": "source", "part": part}} for part in ("channel", "medium", "campaign")]
    rules = [a_rule({"kind": "page shown"}, event(who, props=source), only_if=[{"kind": "visitor", "visitor": who}]) for who in ("new", "returning")]
    email = {"channel": "Email", "medium": "email", "campaign": "spring-one"}
    bodies = ruled("/own-source?utm_source=letter&utm_medium=Email&utm_campaign=Spring+One", "", *rules)
    assert events_sent(page, bodies, 1) == [("new", None, email)]
    page.goto("/own-source/next")
    page.route(re.compile("/own-source.*"), lambda route: route.fulfill(body='<script defer src="/ruled.js"></script>', content_type="text/html"))
    page.goto("/own-source/next")
    assert events_sent(page, bodies, 2)[1] == ("new", None, email)
    page.goto("/own-source/more?via=card")
    assert events_sent(page, bodies, 3)[2] == ("returning", None, {"channel": "Referral", "medium": "link"})
    page.evaluate("const held = JSON.parse(localStorage.uc_visit_mill); held.last -= 31 * 60000; localStorage.uc_visit_mill = JSON.stringify(held)")
    page.goto("/own-source/last")
    assert events_sent(page, bodies, 4)[3] == ("returning", None, {"channel": "Direct", "medium": "none"})
    page.evaluate("uc.consent(false)")
    assert page.evaluate("Object.keys(localStorage)") == []


def test_what_waits_for_the_source_is_told_when_the_page_goes_away_before_the_answer(page, ruled):
    page.route("**/collect/source?*", lambda route: None)  # never answered
    value = {"key": "by", "value": {"kind": "source", "part": "medium"}}
    bodies = ruled("/own-fast", '<a href="/own-fast?next">Next</a>', a_rule({"kind": "clicked", "selector": "a"}, event("went", props=[value])))
    page.get_by_role("link").click()
    page.wait_for_url("**/own-fast?next")
    assert events_sent(page, bodies, 1)[0][0] == "went"


def test_what_is_done_after_a_long_pause_belongs_to_another_visit_which_is_direct(page, ruled):
    source = [{"key": "by", "value": {"kind": "source", "part": "source"}}]
    rules = [
        a_rule({"kind": "signalled", "name": "go"}, event(who, props=source), only_if=[{"kind": "visitor", "visitor": who}]) for who in ("new", "returning")
    ]
    bodies = ruled("/own-pause?via=card", "", *rules)
    page.evaluate("uc.signal('go')")
    assert events_sent(page, bodies, 1) == [("new", None, {"by": "card"})]
    page.evaluate("const held = JSON.parse(localStorage.uc_visit_mill); held.last -= 31 * 60000; localStorage.uc_visit_mill = JSON.stringify(held)")
    page.evaluate("uc.event('back again')")
    until(page, "JSON.parse(localStorage.uc_visit_mill).source?.source === 'direct'")
    page.evaluate("uc.signal('go')")
    assert events_sent(page, bodies, 3)[2] == ("returning", None, {"by": "direct"})


def test_without_a_cookie_rules_keep_nothing_in_the_browser(page, ruled):
    rule = a_rule({"kind": "page shown"}, event("came", props=[{"key": "by", "value": {"kind": "source", "part": "medium"}}]))
    bodies = ruled("/own-bare?via=card", "", rule, cookie=False)
    assert events_sent(page, bodies, 1) == [("came", None, {"by": "link"})]
    assert page.evaluate("[document.cookie, localStorage.length, sessionStorage.length]") == ["", 0, 0]
