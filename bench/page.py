"""First load of the Overview on the demo in Chromium: largest contentful paint, and what it weighs. Run: ./compass bench page."""

from __future__ import annotations

import json
import statistics
import tempfile

from playwright.sync_api import sync_playwright

from bench.laid import laid_demo
from tests.browser.conftest import QUIET
from tests.conftest import Server
from upper_compass.demo.laying import ACCOUNT, PASSWORD

ROUNDS = 7
_LCP = "new Promise((done) => new PerformanceObserver((list) => done(list.getEntries().at(-1).startTime)).observe({ type: 'largest-contentful-paint', buffered: true }))"


def main() -> None:
    """Lay the demo in a database of its own, then load the Overview in new browser profiles."""
    with laid_demo() as url, tempfile.TemporaryDirectory() as folder, sync_playwright() as playwright:
        server = Server(url, folder, demo=True).start()
        browser = playwright.chromium.launch(executable_path="/usr/bin/chromium", args=QUIET)
        paints, weights = [], []
        for _ in range(ROUNDS):
            context = browser.new_context(viewport={"width": 1280, "height": 800})
            context.request.post(f"{server.address}/api/v1/session", data={"email": ACCOUNT, "password": PASSWORD})
            page = context.new_page()
            scripts: list[int] = []
            page.on("requestfinished", lambda r, held=scripts: held.append(r.sizes()["responseBodySize"]) if r.resource_type == "script" else None)
            page.goto(server.address)
            page.locator(".ledger tbody tr").first.wait_for()
            page.wait_for_load_state("networkidle")
            paints.append(page.evaluate(_LCP))
            weights.append(sum(scripts))
            context.close()
        browser.close()
        server.stop()
    median = round(statistics.median(paints[1:]))
    print(json.dumps({"lcp_ms_first": round(paints[0]), "lcp_ms_median_of_others": median, "lcp_ms_worst": round(max(paints)), "script_bytes": max(weights)}))


if __name__ == "__main__":
    main()
