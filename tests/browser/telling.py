"""What the site script told: as it arrives in the store, or as a page tries to send it."""

import json
import re
from contextlib import suppress

from playwright.sync_api import Error

HARM = """<script>
  for (const name of ["IntersectionObserver", "MutationObserver"]) window[name] = function () { throw new Error("broken by the page"); };
  Object.freeze(Array.prototype); Object.freeze(Object.prototype); Object.freeze(Element.prototype);
  for (const name of ["localStorage", "sessionStorage"]) Object.defineProperty(window, name, { get() { throw new Error("no storage"); } });
  for (const kind of ["click", "submit", "input"]) window.addEventListener(kind, () => { throw new Error("the page's own trouble"); });
</script>"""


def hits(engine, where):
    with engine.connect() as connection:
        rows = connection.exec_driver_sql(
            f"SELECT kind, name, url, referrer, value, props, engaged_ms, id::text, visitor FROM hits WHERE {where} ORDER BY at, seq"
        )
        return [row._asdict() for row in rows]


def wait_for(page, engine, where, count=1):
    for _ in range(600):
        found = hits(engine, where)
        if len(found) >= count:
            return found
        page.wait_for_timeout(50)
    raise AssertionError(f"{len(hits(engine, where))} of {count} hits arrived")


def until(page, expression):
    """Wait until it holds in the page, asked from outside: pages that allow no evaluation cannot ask themselves."""
    for _ in range(600):
        with suppress(Error):  # while another page takes its place
            if page.evaluate(expression):
                return
        page.wait_for_timeout(50)
    raise AssertionError(f"it never held: {expression}")


def served(page):
    """The script as pages of the sample site have it, with the settings and the rules that are live."""
    return page.request.get("/uc.js?site=mill").text()


def until_served_anew(page, before):
    """Wait until the collector has read what was changed of the site, which it does once a second; where that changes nothing of the script, for as long."""
    for _ in range(25):
        if served(page) != before:
            return
        page.wait_for_timeout(50)


def visitor_of(page):
    return next(cookie["value"].removesuffix(".w") for cookie in page.context.cookies() if cookie["name"] == "uc_visitor")


def props_of(page, engine, name, count=1):
    """Properties of the events of one name that the page's visitor sent."""
    found = wait_for(page, engine, f"visitor = '{visitor_of(page)}' AND name = '{name}'", count)
    assert len(found) == count
    return [hit["props"] for hit in found]


def collected(page):
    """Bodies that the page tries to send, which are answered without a server."""
    bodies = []

    def answer(route):
        bodies.append(json.loads(route.request.post_data))
        route.fulfill(status=204)

    page.route("**/collect?*", answer)
    return bodies


def serve(page, path, body, attributes='data-site="mill"', script="/uc.js"):
    """A page of the test's own, with the site script."""
    html = f'<!doctype html><html><head><title>Own</title><script defer src="{script}" {attributes}></script></head><body>{body}</body></html>'
    own = re.compile(re.escape(path.partition("?")[0]) + r"(\?.*)?$")
    page.route(own, lambda route: route.fulfill(body=html, content_type="text/html"))
    page.goto(path)


def events(bodies):
    """The events of these bodies, each once: a hit whose answer a page did not wait for is sent again under its id, and counts once."""
    return list({hit["id"]: hit for body in bodies for hit in body if hit["kind"] == "event"}.values())


def wait_for_events(page, bodies, count):
    for _ in range(600):
        if len(events(bodies)) >= count:
            return events(bodies)
        page.wait_for_timeout(50)
    raise AssertionError(f"{len(events(bodies))} of {count} events were sent")


def settled(page, bodies):
    """The events that were sent so far: what is sent goes out in order, so all of it is out when one more has arrived."""
    page.evaluate("uc.event('the very last')")
    for _ in range(600):
        if any(hit["name"] == "the very last" for hit in events(bodies)):
            return [hit for hit in events(bodies) if hit["name"] != "the very last"]
        page.wait_for_timeout(50)
    raise AssertionError("the last event was not sent")
