"""How soon each view of the demo shows all its numbers: from a cold start of the page in a new browser profile, and after a chip is added.

Told by the page itself: from the start of its navigation, or from the click, to the first picture in which nothing is still being read. Of the chip, the
first time (the server has not been asked that yet) and once more after it was taken away. Run: ./compass bench views.
"""

from __future__ import annotations

import json
import statistics
import tempfile

from playwright.sync_api import Page, sync_playwright

from bench.laid import laid_demo
from tests.browser.conftest import CHROMIUM, QUIET
from tests.conftest import Server
from upper_compass.demo.laying import ACCOUNT, PASSWORD

ROUNDS = 5
VIEWS = ("read/overview", "read/pages", "read/sources", "read/audience", "read/events", "explain/compare", "explain/segments", "watch/visits")
# So long (ms) a page that loads is not spoken to: what the tool puts into it to ask takes time of its own.
LEFT_ALONE = 2_500
CHIP = "only=channel:Email"
# From a moment (ms of the page's clock) to the picture in which all is read: rows stand there and nothing is busy. Nothing of the tool that drives the
# browser runs in the page meanwhile.
_ALL_READ = """(from, isThere) => new Promise((done) => {
  const look = () => {
    const main = document.querySelector('main');
    const isRead = main?.querySelector('[data-ledger] tbody tr') && !main.querySelector('[aria-busy=true], .animate-pulse, [class*=animate-pulse]') && !globalThis.asked && isThere();
    isRead ? requestAnimationFrame(() => done(performance.now() - from)) : requestAnimationFrame(look);
  };
  look();
})"""
# How many requests of reports are under way, and how many there were.
_COUNTING = """globalThis.asked = 0; globalThis.sent = 0; const own = globalThis.fetch;
globalThis.fetch = (...given) => {
  const isAsked = !String(given[0]?.url ?? given[0]).includes('/now');
  if (isAsked) { globalThis.asked++; globalThis.sent++; }
  return own(...given).finally(() => { if (isAsked) setTimeout(() => globalThis.asked--); });
};"""


def _cold(page: Page, address: str) -> float:
    page.add_init_script(f"({_ALL_READ})(0, () => true).then((ms) => globalThis.told = ms)")
    page.goto(address, wait_until="commit")
    page.wait_for_timeout(LEFT_ALONE)
    page.wait_for_function("globalThis.told")
    return float(page.evaluate("globalThis.told"))


def _chip(page: Page, address: str, view: str) -> float:
    """Added as a click does it: by the router, without loading the page."""
    pushed = f"history.pushState(history.state, '', '{address}/s/mill/{view}?{CHIP}'); dispatchEvent(new PopStateEvent('popstate', {{ state: history.state }}))"
    began = f"globalThis.before = globalThis.sent; const from = performance.now(); {pushed};"
    shown = "() => document.querySelector('[data-chip]') && globalThis.sent > globalThis.before"
    return float(page.evaluate(f"(() => {{ {began} return ({_ALL_READ})(from, {shown}) }})()"))


def main() -> None:
    """Lay the demo in a database of its own, then look at each view."""
    with laid_demo() as url, tempfile.TemporaryDirectory() as folder, sync_playwright() as playwright:
        server = Server(url, folder, demo=True).start()
        browser = playwright.chromium.launch(executable_path=CHROMIUM, args=QUIET)
        for view in VIEWS:
            cold, chips = [], []
            for _ in range(ROUNDS):
                context = browser.new_context(viewport={"width": 1280, "height": 800}, reduced_motion="reduce")
                context.request.post(f"{server.address}/api/v1/session", data={"email": ACCOUNT, "password": PASSWORD})
                page = context.new_page()
                page.add_init_script(_COUNTING)
                cold.append(_cold(page, f"{server.address}/s/mill/{view}"))
                chips.append(_chip(page, server.address, view))
                context.close()
            told = {"cold_first": cold[0], "cold_median": statistics.median(cold[1:]), "chip_first": chips[0], "chip_median": statistics.median(chips[1:])}
            print(json.dumps({"view": view} | {name: round(ms) for name, ms in told.items()}), flush=True)
        browser.close()
        server.stop()


if __name__ == "__main__":
    main()
