"""A real browser on a real server: the demo with its thirteen months, laid once, and a small site of its own for the site script."""

from __future__ import annotations

import pytest
from playwright.sync_api import expect

from tests.conftest import SHIFT, Server
from upper_compass.demo.laying import ACCOUNT, PASSWORD
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


@pytest.fixture
def analyst(page):
    """Signed in, on no screen yet."""
    assert page.request.post("/api/v1/session", data={"email": ACCOUNT, "password": PASSWORD}).ok
    return page


@pytest.fixture
def overview(analyst):
    """Signed in, on the first screen."""
    analyst.goto("/")
    analyst.locator("[data-ledger] tbody tr").first.wait_for()
    return analyst


def follow(page, path):
    """Go to another view as a link does, without loading the application anew, and wait for its heading."""
    page.evaluate("(path) => { document.querySelector('h1').dataset.left = ''; history.pushState({}, '', path); }", path)
    page.locator("h1:not([data-left])").wait_for(state="attached")


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


def findings(page):
    """What axe finds: (rule, impact, the first places)."""
    if page.evaluate("!window.axe"):
        page.evaluate(AXE)
    found = page.evaluate("axe.run(document, { resultTypes: ['violations'] })")
    return [(one["id"], one["impact"], [node["html"][:160] for node in one["nodes"]][:3]) for one in found["violations"]]


def serious(page):
    """What axe finds that is serious or worse."""
    return [(rule, places) for rule, impact, places in findings(page) if impact in ("serious", "critical")]
