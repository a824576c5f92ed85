"""Now and Visits, while somebody walks through the sample site."""

import re
import threading

import pytest
from playwright.sync_api import expect

from tests.browser.conftest import follow, opened_one_by_one
from tests.conftest import a_hit

MARKUP = '<img src=x onerror="window.broken=1">{{7*7}}'


@pytest.fixture
def now(analyst):
    follow(analyst, "/s/mill/read/overview")
    analyst.locator("[data-stage='2']").wait_for()
    analyst.keyboard.press("2")
    expect(analyst.get_by_role("heading", level=1)).to_contain_text(re.compile("here just now|here now"))
    return analyst


def rows(page):
    return page.get_by_role("grid", name="Hits").locator("tbody tr")


def row(page, text):
    return rows(page).filter(has_text=text)


def test_a_visit_is_seen_as_it_happens_followed_and_opened(now, context):
    mill = context.new_page()
    mill.goto("/mill/guides?via=watch-me")
    mine = row(now, "watch-me").filter(has_text="Guides")
    expect(mine.first).to_contain_text("/guides")
    mine.first.get_by_role("link", name=re.compile("Follow visitor")).click()
    expect(now.get_by_role("region", name="Hits as they arrive").locator("[data-chip]")).to_contain_text("Only visitor")
    now.keyboard.press("p")
    expect(now.get_by_role("status")).to_contain_text("Paused. 0 hits since.")
    shown = rows(now).count()
    mill.goto("/mill/courses")
    expect(now.get_by_role("status")).to_contain_text(re.compile("[1-9] hits? since"))
    expect(rows(now)).to_have_count(shown)
    now.get_by_role("button", name="Resume").click()
    expect(row(now, "/courses").first).to_be_visible()
    now.get_by_role("link", name="Baking courses").first.click()
    expect(now.get_by_role("heading", level=1)).to_contain_text("came by Referral: 2 views")
    expect(now.get_by_role("heading", name="Why Referral?")).to_be_visible()
    expect(now.get_by_role("region", name="Why")).to_contain_text("A link label stands in the address of the first page (via)")
    expect(now.get_by_role("list", name="Hits").get_by_role("listitem").filter(has_text="http")).to_have_count(2)
    now.go_back()
    now.get_by_role("button", name="Stop following this visitor").click()
    expect(now).not_to_have_url(re.compile("visitor="))
    here = now.get_by_role("complementary", name="Visitors of the last half hour")
    opened_one_by_one(now, [here.get_by_role("button", name=re.compile(r"^.courses, Visitors: \d+; open up")).first])
    here.get_by_role("button", name=re.compile(r"^.courses, Visitors: \d+; open up")).first.click()
    drawer = now.get_by_role("dialog")
    expect(drawer).to_contain_text("in the last half hour who saw this page last")
    expect(drawer.get_by_role("region", name="Parts").get_by_role("listitem").first).to_be_visible()
    drawer.get_by_role("link", name="The visits behind it").click()
    expect(now).to_have_url(re.compile("watch/visits.*only=page:/courses"))
    expect(now.get_by_role("grid", name="Visits").locator("tbody tr").first).to_be_visible()


def test_only_my_browser_is_followed_from_a_tab_that_now_opens(now, context):
    stranger = context.browser.new_context(base_url=now.url.split("/s/")[0])
    stranger.new_page().goto("/mill/recipes")
    with context.expect_page() as opened:
        now.get_by_role("button", name="Follow my browser").click()
    expect(now).to_have_url(re.compile("visitor="))  # whoever goes on before the page has asked for the script is not known
    opened.value.get_by_role("link", name="Stockists").first.click()
    expect(row(now, "/stockists").first).to_be_visible()
    expect(row(now, "/recipes")).to_have_count(0)
    stranger.close()


def test_visits_fit_the_segment_and_go_on_further_down(now):
    now.get_by_role("link", name="Visits", exact=True).click()
    expect(now.get_by_role("heading", level=1)).to_contain_text(re.compile(r"[\d,]+ visits, .*, newest first\."))
    rows = now.get_by_role("grid", name="Visits")
    count = int(now.get_by_role("heading", level=1).inner_text().split(" ")[0].replace(",", ""))
    expect(rows).to_have_attribute("aria-rowcount", str(count + 1))
    before = rows.locator("tbody tr").first.inner_text()
    rows.get_by_role("link").first.focus()
    now.keyboard.press("Control+End")  # the last that is here; then more come
    now.keyboard.press("Control+End")
    expect(rows.locator("tbody").filter(has_text=re.compile(".+")).last).to_be_visible()
    assert before not in rows.locator("tbody tr").all_inner_texts()
    follow(now, "/s/mill/watch/visits?only=channel:Email&only=device:tablet")
    expect(rows.get_by_role("row").nth(1)).to_contain_text("tablet")
    assert all("Email" in text and "tablet" in text for text in rows.get_by_role("row").all_inner_texts()[1:])
    assert now.request.post("/collect?site=mill", data=a_hit(visitor="late", url="https://fennmoor-mill.example/?via=late")).status == 204
    follow(now, "/s/mill/watch/visits")
    rows.get_by_role("link").first.wait_for()  # and nothing moves any more: of a click on what moves away nothing is left
    now.get_by_role("button", name=re.compile(r"^\d+ more today$")).click()
    expect(rows).to_contain_text("late")
    expect(now).to_have_url(re.compile(r"from=(\d{4}-\d\d-\d\d)&to=\1"))
    follow(now, "/s/mill/watch/visits?from=2020-01-01&to=2020-01-07")
    expect(now.locator("[data-empty]")).to_contain_text("No visits in these days")
    follow(now, "/s/mill/watch/visits/nobody/1")
    expect(now.get_by_role("heading", level=1)).to_have_text("There is no such visit.")


def test_text_from_outside_is_text_wherever_it_stands(now):
    tags = "utm_source=%3Cimg%20src%3Dx%20onerror%3Dwindow.broken%3D1%3E&utm_medium=email&utm_campaign=%3Cscript%3Ewindow.broken%3D1%3C/script%3E"
    hostile = {"visitor": "hostile", "url": f"https://fennmoor-mill.example/{MARKUP.replace(' ', '%20')}?{tags}", "title": MARKUP}
    hits = [
        a_hit(**hostile, referrer="https://evil.example/<script>window.broken=1</script>"),
        a_hit(**hostile, kind="event", name=MARKUP, props={MARKUP[:60]: MARKUP}),
        a_hit(**hostile, kind="order", value=1, order={"id": MARKUP}),
    ]
    assert now.request.post("/collect?site=mill", data=hits).status == 204
    expect(row(now, "<img src=x onerror").first).to_be_visible()
    today = now.evaluate("fetch('/api/v1/sites/mill').then((answer) => answer.json()).then((site) => site.today)")
    for address in ("watch/visits", "watch/visits/hostile/1", "read/overview"):
        follow(now, f"/s/mill/{address}?from={today}&to={today}")
        expect(now.get_by_text("onerror").first).to_be_visible()
        assert now.evaluate("window.broken") is None
    assert now.locator("main img").count() == 0
    now.request.delete("/api/v1/sites/mill/visitors?visitor=hostile", headers={"X-CSRF-Token": csrf(now)})


def csrf(page):
    return page.request.get("/api/v1/session").json()["csrf"]


def test_two_hundred_hits_a_second_are_held(now, demo, playwright):
    sender = playwright.request.new_context(base_url=demo.address)
    stop = threading.Event()
    for number in range(40):
        hits = [a_hit(visitor=f"crowd{i}", kind="event", name=f"crowd {number}", url="https://fennmoor-mill.example/") for i in range(20)]
        assert sender.post("/collect?site=mill", data=hits).status == 204
        stop.wait(0.1)
    expect(row(now, "crowd 39")).to_have_count(20)
    assert rows(now).count() <= 300
    now.keyboard.press("p")
    expect(now.get_by_role("status")).to_contain_text("Paused.")
    sender.dispose()
