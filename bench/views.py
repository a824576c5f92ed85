"""How soon each view of the demo shows its numbers: from a cold start of the page in a new browser profile, and after a chip is added.

Told by the page itself, twice: from the start of its navigation, or from the click, to the picture from which on nothing in sight changes any more, and to
the last one in which anything of the whole view, above and below, did. Each chip is added twice, in pages of their own: `new`, the server has not been asked
that yet, and `again`. Run: ./compass bench views.
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

VIEWS = ("read/overview", "read/pages", "read/sources", "read/audience", "read/events", "explain/compare", "explain/segments", "watch/visits")
# So long (ms) a page that loads is not spoken to: what the tool puts into it to ask takes time of its own.
LEFT_ALONE = 2_500
CHANNELS = ("Email", "Direct", "Organic search")
# So long (ms) nothing is asked and nothing busy, before all is taken as read.
QUIET_FOR = 250
# From a moment (ms of the page's clock) to the last picture that changed something in sight, and anywhere in the view, before all was read: rows stand there,
# nothing is busy, nothing was asked any more. Nothing of the tool that drives the browser runs in the page meanwhile, and where things stand is only asked at
# the end. Buttons in heads of ledgers come by themselves and are no numbers.
_ALL_READ = """(from, isThere) => new Promise((done) => {
  const drawn = [];
  const watching = new MutationObserver((changes) => {
    const nodes = changes.flatMap(({ target, addedNodes, type }) => (type === 'childList' ? [...addedNodes] : [target]));
    requestAnimationFrame(() => requestAnimationFrame(() => drawn.push([performance.now() - from, nodes])));
  });
  watching.observe(document, { subtree: true, childList: true, characterData: true, attributes: true });
  const boxOf = (node) => {
    const element = node.nodeType === Node.ELEMENT_NODE ? node : node.parentElement;
    return element?.isConnected && element.closest('main') && !element.closest('section > header') ? element.getBoundingClientRect() : null;
  };
  const isSeen = (node) => {
    const box = boxOf(node);
    return box && box.height > 0 && box.bottom > 0 && box.top < innerHeight;
  };
  const lastOf = (test) => drawn.filter(([, nodes]) => nodes.some(test)).at(-1)?.[0] ?? NaN;
  let quietSince = null;
  const look = () => {
    const main = document.querySelector('main');
    const isRead = main?.querySelector('[data-ledger] tbody tr') && !main.querySelector('[aria-busy=true], [class*=animate-pulse]') && !globalThis.asked && isThere();
    quietSince = isRead ? (quietSince ?? performance.now()) : null;
    if (quietSince === null || performance.now() - quietSince < QUIET_FOR) return void setTimeout(look, 50); // to look costs, too
    watching.disconnect();
    done({ seen: lastOf(isSeen), all: lastOf(boxOf) });
  };
  look();
})""".replace("QUIET_FOR", str(QUIET_FOR))
# How many requests of reports are under way, and how many there were.
_COUNTING = """globalThis.asked = 0; globalThis.sent = 0; const own = globalThis.fetch;
globalThis.fetch = (...given) => {
  const isAsked = !String(given[0]?.url ?? given[0]).includes('/now');
  if (isAsked) { globalThis.asked++; globalThis.sent++; }
  return own(...given).finally(() => { if (isAsked) setTimeout(() => globalThis.asked--); });
};"""


# Milliseconds until what is in sight, and all, stands there.
Read = dict[str, float]


def _cold(page: Page, address: str) -> Read:
    page.add_init_script(f"({_ALL_READ})(0, () => true).then((ms) => globalThis.told = ms)")
    page.goto(address, wait_until="commit")
    told: Read | None = None
    while not told:
        page.wait_for_timeout(LEFT_ALONE)
        told = page.evaluate("globalThis.told")
    return told


def _chip(page: Page, address: str, view: str, channel: str) -> Read:
    """Added as a click does it: by the router, without loading the page."""
    pushed = f"history.pushState(history.state, '', '{address}/s/mill/{view}?only=channel:{channel}'); dispatchEvent(new PopStateEvent('popstate', {{ state: history.state }}))"
    began = f"globalThis.before = globalThis.sent; const from = performance.now(); {pushed};"
    shown = "() => document.querySelector('[data-chip]') && globalThis.sent > globalThis.before"
    return dict(page.evaluate(f"(() => {{ {began} return ({_ALL_READ})(from, {shown}) }})()"))


def main() -> None:
    """Lay the demo in a database of its own, then look at each view."""
    with laid_demo() as url, tempfile.TemporaryDirectory() as folder, sync_playwright() as playwright:
        server = Server(url, folder, demo=True).start()
        browser = playwright.chromium.launch(executable_path=CHROMIUM, args=QUIET)
        door = browser.new_context()
        door.request.post(f"{server.address}/api/v1/session", data={"email": ACCOUNT, "password": PASSWORD})
        for view in VIEWS:
            read: dict[str, list[Read]] = {"cold": [], "new": [], "again": []}
            for channel in CHANNELS:
                for when in ("new", "again"):
                    context = browser.new_context(viewport={"width": 1280, "height": 800}, reduced_motion="reduce", storage_state=door.storage_state())
                    page = context.new_page()
                    page.add_init_script(_COUNTING)
                    read["cold"].append(_cold(page, f"{server.address}/s/mill/{view}"))
                    read[when].append(_chip(page, server.address, view, channel))
                    context.close()
            first, *read["cold"] = read["cold"]
            told = {f"{what}_{part}": statistics.median(one[part] for one in rounds) for what, rounds in read.items() for part in ("seen", "all")}
            print(json.dumps({"view": view, "first": round(first["seen"])} | {name: round(ms) for name, ms in told.items()}), flush=True)
        browser.close()
        server.stop()


if __name__ == "__main__":
    main()
