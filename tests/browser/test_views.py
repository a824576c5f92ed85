"""Every main view by day and by night, wide and narrow: axe is content, nothing sticks out sideways.

With COMPASS_PICTURES set to a folder, the pictures of docs/screenshots are written there:
COMPASS_PICTURES=docs/screenshots .venv/bin/python -m pytest tests/browser/test_views.py
"""

import os
import re
from pathlib import Path

import pytest

from tests.browser.conftest import follow, serious, sign_in
from tests.browser.telling import until
from tests.conftest import a_hit
from upper_compass.demo.laying import ACCOUNT, PASSWORD

WIDE, PHONE = (1280, 800), (390, 844)
LOOKED_AT = (("light", WIDE), ("dark", PHONE))
# What test_states sees by night on a phone, with words that have no end, is seen here by day and wide only.
SEEN_BY_NIGHT = frozenset(
    {
        "overview", "site-code", "fields", "channels", "settings", "people", "changes", "account", "tag-health", "pages", "sources", "audience", "activity",
        "compare", "funnels", "paths", "attribution", "drivers", "segments", "now", "visits",
    }
)  # fmt: skip
# What is new in views that are others with something more.
PART = {"opened-up": "[role=dialog]", "narrowed": "header"}
PICTURES = os.environ.get("COMPASS_PICTURES")


def _open_up(page):
    page.get_by_role("button", name=re.compile("^Email, Rate: ")).click()
    page.get_by_role("dialog").locator("path[data-line]").wait_for()
    page.get_by_role("region", name="Parts").get_by_role("listitem").first.wait_for()


def _reads(page):
    page.locator("[data-ledger] tbody tr").nth(1).wait_for()


def _whole_overview(page):
    _reads(page)
    page.get_by_role("complementary", name="Worth a look").get_by_role("listitem").first.wait_for()


def _here(page):
    page.locator("aside dl").first.wait_for()


def _rows(page):
    page.locator("[data-ledger] tbody tr").nth(3).wait_for()


def _story(page):
    page.locator("tr", has=page.locator("[data-lead]", has_text="1")).first.get_by_role("link").click()
    page.locator("[aria-label='Hits'] > li").first.wait_for()


def _inside(page):
    page.get_by_role("button", name="course booked", exact=True).click()
    page.locator("[data-details], [data-inside]").get_by_role("button", name="Save").wait_for()


def _goal(page):
    page.get_by_role("button", name="Wholesale enquiries", exact=True).click()
    page.locator("[data-told]").wait_for()


def _rule(page):
    page.get_by_role("button", name="From a recipe to its flour").click()
    page.get_by_role("form", name="The rule From a recipe").wait_for()


def _trial(page):
    headers = {"X-CSRF-Token": page.request.get("/api/v1/session").json()["csrf"]}
    token = page.request.post("/api/v1/sites/mill/rules/trials", headers=headers).json()["token"]
    page.goto(f"/mill/recipes/seeded-rye#uc-trial={token}")
    page.evaluate("document.addEventListener('click', (event) => event.target.closest('a') && event.preventDefault())")
    page.locator("li[data-state=waiting]").first.wait_for()
    page.get_by_role("link", name="The flour for it").click()
    page.locator("li[data-state=fired]").wait_for()


def _links(page):
    for name, value in (("Source", "news letter"), ("Medium", "newsleter"), ("Campaign", "Spring Courses")):
        page.get_by_label(name, exact=True).fill(value)
    page.get_by_role("button", name="QR code").click()
    page.get_by_role("img", name="QR code for").wait_for()
    page.get_by_role("region", name="Library").get_by_role("row").nth(1).wait_for()


def _segment(page):
    page.get_by_role("link", name="From a guide to a course").click()
    page.locator("[data-held]").wait_for()


def _import(page):
    lines = [
        f'192.0.2.{i} - - [20/Nov/2026:10:00:{i:02} +0000] "GET {path} HTTP/1.1" 200 5 "-" "A browser"' for i, path in enumerate(["/", "/a.css", "/b.pdf"] * 3)
    ]
    page.get_by_label("A file with hits").set_input_files({"name": "access.log", "mimeType": "text/plain", "buffer": "\n".join([*lines, "broken"]).encode()})
    page.get_by_role("button", name="What counts in it").click()
    page.get_by_role("grid", name="First lines of the file").wait_for()


# Name of the view: (address, what is waited for or done).
def _funnel(page):
    page.locator("[data-step='5']").wait_for()
    page.locator("[aria-busy=true]").first.wait_for(state="detached")  # its steps stand before their figures


VIEWS = {
    "sign-in": ("/", lambda page: page.get_by_role("button", name="Sign in").wait_for()),
    "overview": ("/s/mill/read/overview", _whole_overview),
    "opened-up": ("/s/mill/read/overview", _open_up),
    "narrowed": ("/s/mill/read/overview?only=channel:Email", _reads),
    "site-code": ("/s/mill/tag/site-code", lambda page: page.get_by_text("kB on the way").wait_for()),
    "events": ("/s/mill/tag/events", _inside),
    "goals": ("/s/mill/tag/goals", _goal),
    "fields": ("/s/mill/tag/fields", lambda page: page.get_by_role("button", name=re.compile("Bram")).wait_for()),
    "rules": ("/s/mill/tag/rules", _rule),
    "trial": ("/mill/", _trial),
    "links": ("/s/mill/tag/links", _links),
    "channels": ("/s/mill/tag/channels", lambda page: page.get_by_text("fit no channel").wait_for()),
    "import": ("/s/mill/tag/import", _import),
    "people": ("/s/mill/tag/people", lambda page: page.get_by_role("grid", name="People").wait_for()),
    "changes": ("/s/mill/tag/changes", lambda page: page.get_by_role("list", name="Changes").locator("> li").first.wait_for()),
    "account": ("/s/mill/account", lambda page: page.get_by_role("region", name="Where you are signed in").get_by_role("listitem").first.wait_for()),
    "settings": ("/s/mill/tag/settings", lambda page: page.get_by_label("Hosts", exact=True).wait_for()),
    "tag-health": ("/s/mill/watch/tag-health", lambda page: page.locator("[aria-label='Findings'] > li").first.wait_for()),
    "pages": ("/s/mill/read/pages", _reads),
    "sources": ("/s/mill/read/sources", _reads),
    "audience": ("/s/mill/read/audience", lambda page: page.get_by_role("slider", name="Visits by weekday and hour").wait_for()),
    "activity": ("/s/mill/read/events", _reads),
    "compare": ("/s/mill/explain/compare", _reads),
    "funnels": ("/s/mill/explain/funnels?funnel=1", _funnel),
    "paths": ("/s/mill/explain/paths?centre=page:/courses", lambda page: page.locator("[data-node]").first.wait_for()),
    "attribution": ("/s/mill/explain/attribution", _reads),
    "drivers": ("/s/mill/explain/drivers", _reads),
    "segments": ("/s/mill/explain/segments", _reads),
    "segment": ("/s/mill/explain/segments", _segment),
    "beside": ("/s/mill/read/overview?beside=3&beside=4", _reads),
    "now": ("/s/mill/watch/now", _here),
    "visits": ("/s/mill/watch/visits", _rows),
    "visit": ("/s/mill/watch/visits?only=channel:Email", _story),
}
# In a page of their own: somebody signs in, or is on the site.
ALONE = frozenset({"sign-in", "trial"})
# Pictures that are kept: (view, light, size).
KEPT = {
    "overview": ("overview", "light", WIDE),
    "phone": ("overview", "light", PHONE),
    "opened-up-night": ("opened-up", "dark", WIDE),
    "segment": ("segment", "light", WIDE),
    "site-code": ("site-code", "light", WIDE),
    "events": ("events", "light", WIDE),
    "goals": ("goals", "light", WIDE),
    "channels": ("channels", "light", WIDE),
    "links": ("links", "light", WIDE),
    "tag-health": ("tag-health", "light", WIDE),
    "pages": ("pages", "light", WIDE),
    "audience": ("audience", "light", WIDE),
    "compare": ("compare", "light", WIDE),
    "funnels": ("funnels", "light", WIDE),
    "paths": ("paths", "light", WIDE),
    "attribution": ("attribution", "light", WIDE),
    "drivers": ("drivers", "light", WIDE),
    "now": ("now", "light", WIDE),
    "visit": ("visit", "light", WIDE),
}


@pytest.fixture(scope="module")
def somebody(demo, playwright):
    """A few visitors who are on the site just now."""
    sender = playwright.request.new_context(base_url=demo.address)
    for i, (page, query) in enumerate([("/courses", "?via=flour-bag"), ("/shop", ""), ("/recipes/focaccia", "?utm_source=letter&utm_medium=email")] * 3):
        visitor = {"visitor": f"somebody{i}", "url": f"https://fennmoor-mill.example{page}{query}", "title": page.rsplit("/", 1)[-1].title()}
        hits = [a_hit(**visitor), a_hit(**visitor, kind="event", name="guide opened", props={"guide": "rye"})]
        assert sender.post("/collect?site=mill", data=hits).status == 204
    sender.dispose()


@pytest.fixture
def shown(request, view):
    """A page with this view, by day and wide."""
    address, ready = VIEWS[view]
    page = request.getfixturevalue("page" if view in ALONE else "analyst")
    page.emulate_media(color_scheme="light", reduced_motion="reduce")
    page.set_viewport_size(dict(zip(("width", "height"), WIDE, strict=True)))
    if page.url != "about:blank":
        follow(page, address)
    else:
        if view != "sign-in":
            sign_in(page, ACCOUNT, PASSWORD)
        page.goto(address)
    ready(page)
    return page


@pytest.mark.parametrize("view", VIEWS)
@pytest.mark.usefixtures("somebody")
def test_every_view_by_day_and_by_night_wide_and_narrow(shown, view):
    page = shown
    # Day and night differ in their colours, wide and narrow in how the parts stand: two of the four show both, the others are pictures.
    pictured = [(scheme, size) for of, scheme, size in KEPT.values() if of == view and PICTURES]
    looked_at = LOOKED_AT[:1] if view in SEEN_BY_NIGHT else LOOKED_AT
    for scheme, (width, height) in dict.fromkeys((*looked_at, *pictured)):
        page.emulate_media(color_scheme=scheme, reduced_motion="reduce")
        page.set_viewport_size({"width": width, "height": height})
        page.evaluate("document.fonts.ready")
        assert (scheme, (width, height)) not in looked_at or serious(page, PART.get(view, "html")) == []
        until(page, "document.documentElement.scrollWidth <= innerWidth")  # charts are drawn anew for their width
        for name, kept in KEPT.items():
            if PICTURES and kept == (view, scheme, (width, height)):
                page.screenshot(path=Path(PICTURES) / f"{name}.png")
