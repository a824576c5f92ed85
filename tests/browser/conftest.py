"""A real browser on a real server: the demo with its thirteen months, laid once, and a small site of its own for the site script."""

from __future__ import annotations

from urllib.parse import urlsplit

import pytest
from playwright.sync_api import Error, expect

from tests.conftest import SHIFT, Server
from upper_compass.demo.laying import ACCOUNT, COLLEAGUE, PASSWORD
from upper_compass.run.places import ROOT

AXE = (ROOT / "node_modules" / "axe-core" / "axe.min.js").read_text()
CHROMIUM = "/usr/bin/chromium-headless-shell"
QUIET = [
    "--no-sandbox",
    "--font-render-hinting=none",
    "--disable-gpu",
    "--disable-quic",
    "--no-first-run",
    "--disable-background-networking",
    "--disable-component-update",
    "--disable-sync",
    # Pages of one address in one profile share a process, see `profile`.
    "--process-per-site",
]

# A browser without a window calls itself a robot, and robots are left out of reports.
PERSON = "Mozilla/5.0 (X11; Linux x86_64) AppleWebKit/537.36 (KHTML, like Gecko) Chrome/137.0.0.0 Safari/537.36"

# The first report after a start reads everything; a slow machine takes its time.
expect.set_options(timeout=30_000)


@pytest.fixture(scope="session")
def browser_type_launch_args(browser_type_launch_args):
    return {**browser_type_launch_args, "executable_path": CHROMIUM, "args": QUIET}


# The browser's clock stands on the day of the tests, in every page and frame.
CLOCK = f"""(() => {{
  const Real = Date;
  const shifted = () => Real.now() + {round(SHIFT * 1000)};
  globalThis.Date = class Date extends Real {{
    constructor(...given) {{ if (given.length) super(...given); else super(shifted()); }}
    static now() {{ return shifted(); }}
  }};
}})();"""


@pytest.fixture(scope="session")
def browser(browser):
    make = browser.new_context

    def new_context(**options):
        made = make(**{"locale": "en-GB", **options})
        made.add_init_script(CLOCK)
        return made

    browser.new_context = new_context
    return browser


@pytest.fixture(scope="session")
def browser_context_args(browser_context_args, demo):
    own = {
        "base_url": demo.address,
        "viewport": {"width": 1280, "height": 800},
        "color_scheme": "light",
        "user_agent": PERSON,
        "locale": "en-GB",
        "reduced_motion": "reduce",
    }
    return {**browser_context_args, **own}


@pytest.fixture(scope="session")
def demo(demo_database, tmp_path_factory):
    """The demo, served."""
    server = Server(demo_database.url.render_as_string(hide_password=False), tmp_path_factory.mktemp("frames"), demo=True).start()
    yield server
    server.stop()


def sign_in(page, email, password, at=""):
    """Sign in over the API, of another server where one is named."""
    assert page.request.post(f"{at}/api/v1/session", data={"email": email, "password": password}).ok


@pytest.fixture(scope="session")
def profile(browser, browser_context_args, demo):
    """One browser profile for all who are signed in to the demo, and a page in it that stays open: what was fetched and compiled once is there for the next."""
    made = browser.new_context(**browser_context_args)
    made.new_page().goto(f"{demo.address}/health/live")
    yield made
    made.close()


@pytest.fixture
def context(request):
    """Where a test's other pages stand: beside those who are signed in to the demo, as if nobody had used it. Whoever else a test is gets one of their own."""
    names = {*request.fixturenames}
    if "analyst" in names:
        yield request.getfixturevalue("_loaded").context
        return
    if not {"beginner", "viewer"} & names:
        yield request.getfixturevalue("new_context")()
        return
    profile = request.getfixturevalue("profile")
    yield profile
    stays, *pages = profile.pages
    for page in pages:
        page.close()
    profile.unroute_all(behavior="ignoreErrors")
    profile.clear_cookies()
    profile.clear_permissions()
    forgetting = profile.new_cdp_session(stays)
    forgetting.send("Storage.clearDataForOrigin", {"origin": request.getfixturevalue("demo").address, "storageTypes": "local_storage"})
    forgetting.detach()


@pytest.fixture
def beginner(page):
    """Signed in as an analyst is, in a page of their own, on no screen yet: for what happens while the application is being loaded."""
    sign_in(page, ACCOUNT, PASSWORD)
    return page


@pytest.fixture
def viewer(page):
    """Signed in as somebody who may only read, on no screen yet."""
    sign_in(page, COLLEAGUE[0], COLLEAGUE[2])
    return page


# Where `analyst` rests: a view of no site, which asks for nothing and is none that a test reads.
REST = "/s/nowhere/read/overview"


@pytest.fixture(scope="session")
def _loaded(browser, browser_context_args):
    context = browser.new_context(**browser_context_args)
    page = context.new_page()
    sign_in(page, ACCOUNT, PASSWORD)
    page.goto(REST)
    page.locator("h1").wait_for()
    yield page
    context.close()


@pytest.fixture
def analyst(_loaded, browser_context_args):
    """Signed in, in a page into which the application was loaded once for all tests: views are reached as links lead, see `follow`.

    It remembers what a page remembers, such as the last view of a stage.
    """
    yield _loaded
    above = _loaded.get_by_role("dialog").or_(_loaded.get_by_role("menu")).or_(_loaded.get_by_role("listbox"))
    for _ in range(5):  # whatever a test that failed has left, the run goes on
        if above.count():
            _loaded.keyboard.press("Escape")
    for page in _loaded.context.pages:
        if page != _loaded:
            page.close()
    _loaded.unroute_all(behavior="ignoreErrors")
    _loaded.context.unroute_all(behavior="ignoreErrors")
    _loaded.context.clear_cookies(name="uc_visitor")  # the visitor that it was on the sample site
    _loaded.emulate_media(color_scheme=browser_context_args["color_scheme"], reduced_motion=browser_context_args["reduced_motion"])
    _loaded.set_viewport_size(browser_context_args["viewport"])
    _loaded.mouse.move(0, 0)
    _rest(_loaded)
    _loaded.evaluate("localStorage.clear()")


def _rest(page):
    """Back to where `analyst` rests, whatever was left unsaved; notices are gone."""
    if page.url.endswith(REST):
        return
    try:
        page.evaluate("document.querySelectorAll('ol > li button[aria-label=Close]').forEach((one) => one.click())")
        _lead(page, REST)
        asked = page.get_by_role("dialog", name="Leave without saving?").get_by_role("button", name="Leave")
        page.locator("h1:not([data-left])").or_(asked).first.wait_for(state="attached", timeout=5_000)
        if asked.count():
            asked.click()
        _arrive(page)
    except Error:  # a test that failed may have left it anywhere
        page.goto(REST)
        page.locator("h1").wait_for()


@pytest.fixture
def overview(analyst):
    """Signed in, on the first screen."""
    follow(analyst, "/s/mill/read/overview")
    analyst.locator("[data-ledger] tbody tr").first.wait_for()
    return analyst


def _lead(page, path):
    page.evaluate("(path) => { document.querySelector('h1').dataset.left = ''; history.pushState({}, '', path); }", path)


def _arrive(page):
    page.locator("h1:not([data-left])").first.wait_for(state="attached")
    page.locator("h1[data-left]").wait_for(state="detached")  # hidden, not gone, while the code of the other view is being fetched


def follow(page, path):
    """Go to another view as a link does, without loading the application anew, and wait for its heading. Of a view that is there already one goes away first."""
    if urlsplit(page.url).path == urlsplit(path).path:
        follow(page, REST)
    _lead(page, path)
    _arrive(page)


def confirm(page, button, *, key=None):
    """Say yes to what asks first, and wait until it is gone: what lies behind an open dialog is not there for a reader."""
    dialog = page.get_by_role("dialog")
    said = dialog.get_by_role("button", name=button)
    said.press(key) if key else said.click()
    expect(dialog).to_have_count(0)


def options_of(select):
    """What can be chosen there."""
    select.click()
    found = select.page.get_by_role("option").all_inner_texts()
    select.page.keyboard.press("Escape")
    return found


def choose(select, option):
    """Choose one of a few values."""
    select.click()
    select.page.get_by_role("option", name=option, exact=True).click()


def opened_one_by_one(analyst, figures):
    """Opens each figure by key: it stands there as in its cell, leads to visits, and closes to where it was."""
    opened = analyst.get_by_role("dialog")
    for figure in figures:
        shown = figure.inner_text()
        figure.press("o")
        expect(opened.locator("[data-figure]")).to_have_text(shown)
        expect(opened.get_by_role("link", name="Visits behind it")).to_be_visible()
        analyst.keyboard.press("Escape")
        expect(opened).to_have_count(0)
        expect(figure).to_be_focused()


def findings(page, within="html"):
    """What axe finds in a part of the page: (rule, impact, the first places)."""
    if page.evaluate("!window.axe"):
        page.evaluate(AXE)
    found = page.evaluate("(within) => axe.run(within, { resultTypes: ['violations'] })", within)
    return [(one["id"], one["impact"], [node["html"][:160] for node in one["nodes"]][:3]) for one in found["violations"]]


def serious(page, within="html"):
    """What axe finds in a part of the page that is serious or worse."""
    return [(rule, places) for rule, impact, places in findings(page, within) if impact in ("serious", "critical")]
