"""What there is at Fennmoor Mill: pages, prices, and by which ways people come. All of it is made up."""

from __future__ import annotations

from dataclasses import dataclass

SITE = "https://fennmoor-mill.example"
COURSES = {"sourdough": 108.0, "rye-and-seeds": 96.0, "flatbreads": 72.0, "children": 48.0}
PRODUCTS = {"strong-white-flour": 6.5, "wholemeal-flour": 6.9, "rye-flour": 7.2, "proving-basket": 18.0, "baking-stone": 34.0, "lame": 12.0}
RECIPES = ("seeded-rye", "no-knead-loaf", "soda-bread", "oat-rolls", "focaccia", "pumpernickel", "milk-loaf", "hot-cross-buns")
AUTHORS = {slug: ("Orla Fennick", "Bram Tolle", "Sunniva Rask")[place % 3] for place, slug in enumerate(RECIPES)}
GUIDES = {"starter": "starter-guide.pdf", "shaping": "shaping-guide.pdf", "ovens": "oven-guide.pdf"}
STOCKISTS = ("harbour-grocer.example", "green-lane-stores.example", "the-larder.example")

PAGE_TITLES = {
    "/": "Fennmoor Mill", "/courses": "Baking courses", "/shop": "Shop", "/recipes": "Recipes", "/guides": "Guides", "/stockists": "Where to find our flour",
    "/wholesale": "Wholesale", "/gift-vouchers": "Gift vouchers", "/videos": "Videos", "/letter/autumn": "The autumn letter", "/de": "Fennmoor-Mühle", "/de/kurse": "Backkurse",
}  # fmt: skip

# Slips of whoever typed the tags, in a part of the visits of these ways.
SLIPPED = 0.1
SLIPS = {
    "flour bags": (("utm_source=flour-bag", "utm_source=flourbag"), ("utm_medium=qr", "utm_medium=sticker")),
    "paid social": (("utm_campaign=gifts", "utm_campaign=gift+s"),),
    "affiliate": (("utm_source=loaf-deals", "utm_source=loaf-deal"),),
}
PROMOTION = "vouchers for winter"
# Seconds of the videos, and how many of those who start one watch nothing more, a quarter, a half, three quarters, all of it.
VIDEOS = {"kneading": 214, "shaping": 382, "scoring": 95}
VIDEO_TITLES = {"kneading": "How we knead", "shaping": "How we shape", "scoring": "How we score"}
VIDEO_ENDS = {"kneading": (20, 22, 18, 12, 28), "shaping": (38, 30, 18, 8, 6), "scoring": (12, 14, 14, 14, 46)}
# The form on a page, and the page that follows when it is sent.
FORMS = {
    "/wholesale": ("wholesale", "/wholesale/thanks"), "/checkout/address": ("address", "/checkout/delivery"), "/checkout/delivery": ("delivery", "/checkout/pay"),
    "/checkout/pay": ("pay", "/checkout/thanks"),
} | {f"/courses/{slug}/book": ("booking", "/courses/booked") for slug in COURSES}  # fmt: skip


@dataclass(frozen=True)
class Way:
    """One way by which people come.

    `weight`: share of visits. `books`: how likely a visit books a course, against the usual. `query` or `referrer`: what the hit carries. `lands`:
    landing pages with weights. `from_day`, `to_day`: days before today between which it exists.
    """

    name: str
    weight: float
    books: float
    lands: tuple[tuple[str, float], ...]
    queries: tuple[str, ...] = ()
    referrers: tuple[str, ...] = ()
    phone: float = 0.55
    from_day: int = 10_000
    to_day: int = 0
    loyal: float = 0.3


HOME = (("/", 1.0),)
SEARCHED = (
    ("/", 26), ("/recipes/seeded-rye", 17), ("/recipes/no-knead-loaf", 15), ("/recipes/soda-bread", 8), ("/recipes/focaccia", 7), ("/courses", 8), ("/guides/starter", 9),
    ("/shop/strong-white-flour", 4), ("/videos", 5), ("/courses/sourdough", 3), ("/recipes/oat-rolls", 5), ("/recipes/pumpernickel", 4),
)  # fmt: skip
ASKED = (("/recipes/no-knead-loaf", 3), ("/guides/starter", 4), ("/courses", 2), ("/", 2))
WAYS = (
    Way("search", 0.255, 0.78, SEARCHED, referrers=("https://www.seekwell.example/", "https://seekwell.example/results?q=", "https://lanternfind.example/")),
    Way("search other", 0.06, 0.7, SEARCHED, referrers=("https://lanternfind.example/find",)),
    Way("direct", 0.205, 0.72, (("/", 62), ("/courses", 14), ("/shop", 12), ("/recipes", 8), ("/gift-vouchers", 4)), phone=0.48, loyal=0.6),
    Way(
        "paid search", 0.122, 0.72, (("/courses", 30), ("/shop/strong-white-flour", 22), ("/", 20), ("/courses/sourdough", 12), ("/gift-vouchers", 8), ("/shop", 8)),
        queries=(
            "?utm_source=seekwell&utm_medium=cpc&utm_campaign=courses&utm_term=bread+course&swclid={id}", "?utm_source=Seekwell&utm_medium=cpc&utm_campaign=flour&swclid={id}",
            "?swclid={id}",
        ),
    ),
    Way("letter", 0.05, 2.4, (("/letter/autumn", 30), ("/courses", 26), ("/courses/sourdough", 16), ("/recipes/seeded-rye", 14), ("/shop", 14)), loyal=0.62, phone=0.6,
        queries=("?utm_source=letter&utm_medium=email&utm_campaign=letter-{week}&utm_content=top", "?utm_source=letter&utm_medium=email&utm_campaign=letter-{week}&utm_content=footer")),
    Way("letter, other spelling", 0.028, 2.2, (("/courses", 40), ("/shop", 30), ("/recipes", 30)), loyal=0.6, queries=("?utm_source=Letter&utm_medium=E-Mail&utm_campaign=Letter_{week}",)),
    Way("letter, third spelling", 0.018, 2.2, (("/courses", 40), ("/gift-vouchers", 30), ("/recipes", 30)), loyal=0.6, queries=("?utm_source=news_letter&utm_medium=newsletter&utm_campaign={week}",)),
    Way("murmur", 0.032, 0.85, (("/recipes/focaccia", 30), ("/", 30), ("/recipes/no-knead-loaf", 20), ("/courses", 20)), referrers=("https://murmur.example/",), phone=0.82),
    Way("pinwheel", 0.044, 4.6, (("/courses/sourdough", 40), ("/courses", 30), ("/guides/starter", 20), ("/", 10)), referrers=("https://pinwheel.example/", "https://www.pinwheel.example/p/9"), phone=0.7, loyal=0.15),
    Way("paid social", 0.02, 0.8, (("/courses", 60), ("/gift-vouchers", 40)), queries=("?utm_source=murmur&utm_medium=paid-social&utm_campaign=gifts&mmclid={id}",), phone=0.86),
    Way("partners", 0.044, 0.75, (("/recipes/seeded-rye", 30), ("/", 40), ("/guides/starter", 30)), referrers=("https://crumb-and-crust.example/links", "https://slow-loaf.example/", "https://village-larder.example/shops")),
    Way("partner label", 0.022, 0.8, (("/", 50), ("/courses", 50)), queries=("?via=crumb-and-crust",)),
    Way("flour bags", 0.03, 1.1, (("/recipes", 40), ("/recipes/no-knead-loaf", 40), ("/courses", 20)), queries=("?utm_source=flour-bag&utm_medium=qr&utm_campaign=bag-{month}",), phone=0.97),
    Way("assistant", 0.018, 1.0, ASKED, referrers=("https://askfinch.example/",), from_day=250),
    Way("video", 0.012, 0.8, (("/videos", 70), ("/guides/starter", 30)), referrers=("https://reelhouse.example/watch?v=4",)),
    Way("podcast", 0.10, 0.0, (("/courses", 60), ("/", 40)), queries=("?utm_source=crust-talk&utm_medium=podcast&utm_campaign=crust-talk",), from_day=9, phone=0.72, loyal=0.05),
    Way("affiliate", 0.009, 0.5, (("/shop", 60), ("/gift-vouchers", 40)), queries=("?utm_source=loaf-deals&utm_medium=affiliate&utm_campaign=autumn",)),
    Way("unsorted", 0.006, 0.7, (("/", 60), ("/courses", 40)), queries=("?utm_source=village-fair&utm_medium=flyer-stand",)),
    Way("german search", 0.05, 0.9, (("/de", 60), ("/de/kurse", 40)), referrers=("https://www.seekwell.example/",), from_day=45),
)  # fmt: skip

# Where people go on from a page, when nothing else is on their minds.
ONWARD = {
    "/": ("/courses", "/shop", "/recipes", "/guides", "/stockists", "/gift-vouchers"),
    "/courses": ("/courses/sourdough", "/courses/rye-and-seeds", "/courses/flatbreads", "/courses/children", "/stockists"),
    "/shop": ("/shop/strong-white-flour", "/shop/rye-flour", "/shop/proving-basket", "/shop/baking-stone", "/stockists"),
    "/recipes": tuple(f"/recipes/{name}" for name in RECIPES),
    "/guides": ("/guides/starter", "/guides/shaping", "/guides/ovens"),
    "/videos": ("/courses", "/recipes", "/guides/shaping", "/guides"),
    "/de": ("/de/kurse", "/shop", "/recipes"),
    "/de/kurse": ("/courses/sourdough", "/de"),
}
ELSEWHERE = ("/", "/courses", "/shop", "/recipes", "/guides", "/stockists")

AGENTS = {
    "phone": (
        "Mozilla/5.0 (iPhone; CPU iPhone OS 18_5 like Mac OS X) AppleWebKit/605.1.15 (KHTML, like Gecko) Version/18.5 Mobile/15E148 Safari/604.1",
        "Mozilla/5.0 (Linux; Android 15; Pixel 8) AppleWebKit/537.36 (KHTML, like Gecko) Chrome/137.0.0.0 Mobile Safari/537.36",
        "Mozilla/5.0 (Linux; Android 14; SM-A546B) AppleWebKit/537.36 (KHTML, like Gecko) Chrome/136.0.0.0 Mobile Safari/537.36",
    ),
    "tablet": ("Mozilla/5.0 (iPad; CPU OS 17_6 like Mac OS X) AppleWebKit/605.1.15 (KHTML, like Gecko) Version/17.6 Mobile/15E148 Safari/604.1",),
    "desktop": (
        "Mozilla/5.0 (Windows NT 10.0; Win64; x64) AppleWebKit/537.36 (KHTML, like Gecko) Chrome/137.0.0.0 Safari/537.36",
        "Mozilla/5.0 (Macintosh; Intel Mac OS X 10_15_7) AppleWebKit/605.1.15 (KHTML, like Gecko) Version/18.4 Safari/605.1.15",
        "Mozilla/5.0 (Windows NT 10.0; Win64; x64; rv:139.0) Gecko/20100101 Firefox/139.0",
    ),
}
SCREENS = {"phone": "390x844", "tablet": "820x1180", "desktop": "1440x900"}
ROBOT = "python-requests/2.32.4"
PEOPLE = (
    ("en-IE", "Europe/Dublin", 48),
    ("en-GB", "Europe/London", 34),
    ("fr-FR", "Europe/Paris", 4),
    ("nl-NL", "Europe/Amsterdam", 5),
    ("en-US", "America/New_York", 5),
    ("de-DE", "Europe/Berlin", 4),
)
