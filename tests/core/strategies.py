"""Any hits, drawn so that the rules' edges come up often: equal times, pauses of just the gap, evidence of every kind."""

import random

from hypothesis import strategies as st

from tests.core.building import DAY, MINUTE

PAGES = ("", "shop/", "courses", "courses/rye//", "Caf%C3%A9")
QUERIES = (
    "",
    "",
    "",
    "?via=card",
    "?ref=Card",
    "?utm_source=Letter&utm_medium=E-mail",
    "?utm_campaign=spring+sale",
    "?swid=1",
    "?utm_source=&via=",
    "?utm_source=direct&utm_medium=none",
    "?q=1#frag",
    "?utm_source=letter&utm_medium=e_mail&utm_content=top",
)
REFERRERS = (
    None,
    None,
    "https://seekwell.example/s?q=flour",
    "https://www.murmur.example/",
    "https://pay.example/done",
    "https://mill.example/x",
    "https://shop.example/",
    "https://blog.example/rye",
    "https://www.blog.example/",
)
PAUSES = (0, 0, 1000, 5 * MINUTE, 30 * MINUTE, 30 * MINUTE + 1, 45 * MINUTE, DAY)
PHONE = "Mozilla/5.0 (Linux; Android 15) AppleWebKit/537.36 (KHTML, like Gecko) Chrome/137.0.0.0 Mobile Safari/537.36"
DESKTOP = "Mozilla/5.0 (X11; Linux x86_64) Gecko/20100101 Firefox/139.0"
NAMES = ("book", "scroll depth", "file download")

ITEMS = (
    None, "[]", '[{"sku":"rye","quantity":2,"price":1.5}]', '[{"sku":"rye","price":4},{"name":"oven","price":90,"quantity":1},{"sku":"rye","quantity":0.5,"price":2}]',
    '[{"name":"rye","price":3}]', "[{}]",
)  # fmt: skip


def _crowd(seed):
    rng, hits = random.Random(seed), []
    for visitor in range(rng.choice((2, 5, 40))):
        at, agent = 10 * DAY + rng.randrange(40) * 60 * MINUTE, rng.choice((PHONE, DESKTOP))
        for _ in range(rng.randint(1, 10)):
            at += rng.choice((0, 0, 1000, MINUTE, MINUTE, 5 * MINUTE, 15 * MINUTE, 30 * MINUTE, 31 * MINUTE))
            kind = rng.choice(("view", "view", "view", "event", "order"))
            one = {"at": at, "kind": kind, "visitor": f"v{visitor}", "url": f"https://mill.example/{rng.choice(PAGES[:3])}", "referrer": None}
            hits.append(one | {"user_agent": agent, "robot": False, "internal": False} | ({"name": rng.choice((*NAMES, "/shop"))} if kind == "event" else {}))
    return [one | {"seq": i + 1} for i, one in enumerate(sorted(hits, key=lambda one: one["at"]))]


# Hits of two or many who go from page to page and do something there: what seldom meets in a few hits is there at once, and costs one reading.
crowds = st.integers(0, 2**32 - 1).map(_crowd)


@st.composite
def hit_lists(draw, most=25):
    """Numbered hits of a few visitors, in an order of arrival of their own."""
    at = 10 * DAY
    hits = []
    for _ in range(draw(st.integers(1, most))):
        at += draw(st.sampled_from(PAUSES))
        kind = draw(st.sampled_from(("view", "view", "view", "event", "order", "engage")))
        one = {
            "at": at,
            "kind": kind,
            "visitor": draw(st.sampled_from("abc")),
            "url": f"https://{draw(st.sampled_from(('mill.example', 'WWW.mill.example:8080')))}/{draw(st.sampled_from(PAGES))}{draw(st.sampled_from(QUERIES))}",
            "referrer": draw(st.sampled_from(REFERRERS)),
            "user_agent": draw(st.sampled_from((None, PHONE, DESKTOP, "crawler"))),
        }
        one["robot"] = one["user_agent"] == "crawler"
        one["internal"] = draw(st.integers(0, 9)) == 0
        if kind == "event":
            one["name"] = draw(st.sampled_from(NAMES))
            one["value"] = draw(st.sampled_from((None, 2.5, -1.0)))
        if kind == "order":
            one["order_id"] = draw(st.sampled_from((None, "o1", "o2")))
            one["value"] = draw(st.sampled_from((None, 10.0, 20.0)))
            one["items"] = draw(st.sampled_from(ITEMS))
        if kind == "engage":
            one["engaged_ms"] = draw(st.integers(0, 5000))
        hits.append(one)
    arrived = draw(st.permutations(hits))
    return [one | {"seq": i + 1} for i, one in enumerate(arrived)]
