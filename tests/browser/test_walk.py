"""One visitor does all that can be tagged, on the sample site; each thing is seen in Now, and then in the reports."""

import re

from playwright.sync_api import expect

from tests.browser.conftest import PERSON, follow, sign_in
from tests.browser.telling import visitor_of
from tests.browser.test_links import fill, scanned
from upper_compass.demo.laying import ACCOUNT, PASSWORD

SOURCE = "bag-of-the-walk"


def scan_a_link(page, address):
    """Build a link on the screen, and read its code from the screen as a phone would."""
    page.goto("/s/mill/tag/links")
    fill(page, Address=address, Source=SOURCE, Medium="qr", Campaign="walk")
    page.get_by_role("button", name="QR code").click()
    code = page.get_by_role("group", name="QR code")
    expect(code).to_contain_text("Read again by a decoder")
    for _ in range(300):  # the picture is drawn some time after it is there
        if found := scanned(code.get_by_role("img").screenshot()):
            return found[0]
        page.wait_for_timeout(100)
    raise AssertionError("the code cannot be read from the screen")


def walk(page, url):
    """By the link; a rule, a call, an attribute, a form, a video to its end, a file, an outbound link."""
    page.route("https://*.example/**", lambda route: route.fulfill(body="elsewhere"))
    page.goto(url)
    page.get_by_role("link", name="The flour for it").click()
    page.wait_for_url("**/shop/**")
    page.evaluate("uc.event('dough kneaded', { minutes: 10 })")
    page.goto("/mill/courses/sourdough/book")
    page.get_by_label("What shall we call you?").fill("a baker")
    page.get_by_role("button", name="Book").click()
    page.goto("/mill/wholesale")
    page.get_by_label("Your bakery").fill("Rising")
    page.get_by_role("button", name="Ask for prices").click()
    expect(page.get_by_role("heading", level=1)).to_have_text("Thank you")
    page.goto("/mill/videos")
    page.locator("video").evaluate(
        "(video) => new Promise((done) => { video.onended = () => setTimeout(done, 300); video.playbackRate = 4; void video.play(); })"
    )
    page.goto("/mill/guides/starter")
    with page.expect_download():
        page.get_by_role("link", name="Download the guide").click()
    page.goto("/mill/stockists")
    page.get_by_role("link", name="Harbour grocer").click()
    page.wait_for_url("https://harbour-grocer.example/")
    page.goto("/mill/")


TOLD = {
    "flour wanted": "No knead loaf",
    "dough kneaded": "minutes: 10",
    "course booked": "108",
    "form submit": "wholesale",
    "media progress": "100",
    "file download": "starter-guide.pdf",
    "outbound click": "harbour-grocer.example",
}


def test_all_that_is_done_is_seen_in_now_and_then_in_the_reports(page):
    sign_in(page, ACCOUNT, PASSWORD)
    page.goto("/s/mill/watch/now")
    here = page.url.split("/s/")[0]
    url = scan_a_link(page, f"{here}/mill/recipes/no-knead-loaf")
    other = page.context.browser.new_context(base_url=here, user_agent=PERSON)
    visitor = other.new_page()
    walk(visitor, url)
    follow(page, f"/s/mill/watch/now?visitor={visitor_of(visitor)}")
    rows = page.get_by_role("grid", name="Hits").locator("tbody tr")
    for name, detail in TOLD.items():
        page.get_by_label("Look for a hit").fill(name)
        expect(rows.filter(has_text=name).filter(has_text=detail).first).to_be_visible()
    page.get_by_label("Look for a hit").clear()
    expect(rows.filter(has_text=SOURCE).first).to_be_visible()
    today = page.evaluate("new Date().toISOString().slice(0, 10)")
    for name in TOLD:
        follow(page, f"/s/mill/read/overview?from={today}&to={today}&only=source:{SOURCE}&only=event:{name}")
        channels = page.get_by_role("region", name="Channels")
        mine = channels.get_by_role("row").filter(has=page.get_by_role("button", name="Print and QR", exact=True))
        expect(mine.locator("[data-lead]")).to_have_text("1")
        expect(page.locator("[data-chip]").filter(has_text=re.compile(f"event {name}$"))).to_be_visible()
    other.close()
