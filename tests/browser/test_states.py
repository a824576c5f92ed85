"""Every view in every state: still loading, failed, with one row, with thousands, with words that have no end, and for who may change nothing.

Axe is content, nothing sticks out sideways and nothing fails on the page. Usually the three that find faults, by night on a phone; COMPASS_STATES=all
looks at all of them, by day and by night at three widths, which takes ten minutes. With COMPASS_PICTURES set to a folder a picture of each is written there.
"""

import json
import os
from pathlib import Path

import pytest

from tests.browser.conftest import findings, follow
from tests.browser.telling import until

VIEWS = (
    "read/overview", "read/pages", "read/sources", "read/audience", "read/events", "explain/compare", "explain/funnels", "explain/paths", "explain/attribution", "explain/drivers", "explain/segments", "watch/now", "watch/visits", "watch/tag-health", "tag/site-code", "tag/events", "tag/goals", "tag/fields", "tag/rules", "tag/links",
    "tag/channels", "tag/import", "tag/settings", "tag/people", "tag/changes", "account", "start", "new-site",
)  # fmt: skip
# Those whose lists grow with the site's traffic.
LISTS = ("read/overview", "read/pages", "explain/compare", "watch/now", "watch/visits", "tag/events", "tag/links")
ALL = os.environ.get("COMPASS_STATES") == "all"
LOOKS = [(scheme, width) for scheme in ("light", "dark") for width in (360, 768, 1280)] if ALL else [("dark", 360)]
PICTURES = os.environ.get("COMPASS_PICTURES")
MANY = 2_000 if ALL else 150
# So many rows show what a word without an end does to any of them; axe takes as long as there are.
FEW = 2
WORD = "Donaudampfschifffahrtsgesellschaftskapitänsmützenabzeichen" * 3
# What people or visitors wrote, by the name it has in an answer.
WRITTEN = {
    "name",
    "title",
    "shown_as",
    "description",
    "page",
    "url",
    "note",
    "meaning",
    "cost",
    "advice",
    "label",
    "campaign",
    "content",
    "by",
    "to",
    "channel",
    "before",
    "after",
    "browser",
}


# What lies beyond the right edge of a page that can be moved sideways, the innermost of it.
STICKS_OUT = """() => document.documentElement.scrollWidth <= innerWidth ? [] : [...document.querySelectorAll("body *")]
    .filter((one) => one.getBoundingClientRect().right > innerWidth + 1 && !one.closest("[class*=overflow], [data-ledger]"))
    .filter((one, _, all) => !all.some((other) => other !== one && one.contains(other))).slice(0, 4).map((one) => one.outerHTML.slice(0, 200)).concat("the page")"""


def _longer(value, key=""):
    """An answer whose texts are too long for any place."""
    if isinstance(value, list):
        return [_longer(one, key) for one in value]
    if isinstance(value, dict):
        return {name: _longer(inner, "name" if name == "rows" else name) for name, inner in value.items()}
    return f"{value}{WORD}" if isinstance(value, str) and key in WRITTEN else value


def _again(values, count):
    """As many values as wanted, made of those that are there; what they are told apart by differs."""
    made = [values[place % len(values)] for place in range(count)] if values else []
    return [_told_apart(one, place) if isinstance(one, dict) else one for place, one in enumerate(made)]


def _told_apart(one, place):
    names = {name: f"{one[name]} {place}" for name in ("name", "key") if name in one}
    return one | names | ({"id": place + 1} if "id" in one else {})


def _rows(answer, count, asked):
    """An answer with so many rows in all, a page of them."""
    if isinstance(answer, list):
        return _again(answer, min(count, MANY))
    if "answers" in answer:  # of tables that are asked for together
        return {"answers": [_rows(one, count, each["request"]) for one, each in zip(answer["answers"], asked["asked"], strict=False)]}
    if "visits" in answer and isinstance(answer["visits"], list):
        visits = [one | {"number": i + 1} for i, one in enumerate(_again(answer["visits"], min(count, 200)))]
        return answer | {"visits": visits, "count": count, "next": None}
    if "rows" in answer and answer["rows"] and asked.get("dimensions"):
        known = len(answer["rows"])
        places = range(asked.get("offset", 0), min(asked.get("offset", 0) + asked.get("limit", 100), count))
        columns = [
            {name: [held[i % known] for i in places] if isinstance(held, list) and held else held for name, held in one.items()} for one in answer["columns"]
        ]
        rows = [[f"{text} {i}" if count > 1 else text for text in answer["rows"][i % known]] for i in places]
        return answer | {"rows": rows, "columns": columns, "count": count, "rest": None}
    return answer


def _changed(change):
    def handle(route):
        answer = route.fetch(timeout=0)
        if not answer.ok or "json" not in answer.headers.get("content-type", ""):
            return route.fulfill(response=answer)
        body = route.request.post_data if route.request.method == "POST" else None
        asked = json.loads(body) if body else {}
        return route.fulfill(response=answer, json=change(answer.json(), asked if isinstance(asked, dict) else {}))

    return handle


STATES = {
    "loading": lambda _: None,
    "failed": lambda route: route.fulfill(status=403, content_type="application/problem+json", json={"detail": "This is not for you, which is said in a sentence that is long enough to be broken in two.", "status": 403, "errors": []}),
    "one row": _changed(lambda answer, asked: _rows(answer, 1, asked)),
    "many rows": _changed(lambda answer, asked: _rows(answer, 10_000, asked)),
    "long words": _changed(lambda answer, asked: _longer(_rows(answer, FEW, asked))),
}  # fmt: skip


def _look(page, view, state):
    within = "html" if view == VIEWS[0] else "main"  # around it the same stands everywhere
    for scheme, width in LOOKS:
        page.emulate_media(color_scheme=scheme, reduced_motion="reduce")
        page.set_viewport_size({"width": width, "height": 800})
        page.evaluate("new Promise(requestAnimationFrame)")
        if PICTURES:
            page.screenshot(path=Path(PICTURES) / f"{view.replace('/', '-')} {state} {width} {scheme}.png")
        yield from ((view, scheme, width, found) for found in findings(page, within))
        yield from ((view, scheme, width, "sticks out", html) for html in page.evaluate(STICKS_OUT))


def _walk(page, state):
    errors = []
    page.on("pageerror", lambda error: errors.append(str(error)))
    wrong = []
    page.goto("/s/mill/tag/settings")
    page.locator("h1").wait_for(state="attached")
    for view in LISTS if state == "many rows" and not ALL else VIEWS:
        print(state, view, errors)
        page.set_viewport_size({"width": LOOKS[0][1], "height": 800})
        follow(page, f"/s/mill/{view}")
        if state == "failed":
            until(page, "document.querySelector('main [role=alert], main form, main p[role=status]:not(:empty)')")
        elif state != "loading":
            until(page, "!document.querySelector('main [aria-busy=true]') && document.querySelector('main').innerText.length > 40")
        wrong += _look(page, view, state)
    page.unroute_all(behavior="ignoreErrors")
    assert errors == []
    assert not wrong, "\n".join(map(str, wrong))


@pytest.mark.parametrize("state", STATES if ALL else ("failed", "many rows", "long words"))
def test_every_view_in_this_state(beginner, state):
    beginner.route("**/api/v1/sites/mill/**", STATES[state])
    # What a view is made with is there, whatever it holds.
    for made_with in ("registry", "goals" if state in ("loading", "failed") else "now/stream"):
        beginner.route(f"**/api/v1/sites/mill/{made_with}", lambda route: route.continue_())
    _walk(beginner, state)


@pytest.mark.skipif(not ALL, reason="who may change nothing is looked after by test_outside; with axe when all is asked for")
def test_every_view_for_who_may_change_nothing(viewer):
    _walk(viewer, "viewer")
