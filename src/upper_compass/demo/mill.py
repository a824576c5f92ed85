"""The live sample site under `/mill`: a shop, courses, recipes, guides, forms, a German part. It uses the site script as any site would."""

from __future__ import annotations

from html import escape
from pathlib import Path

from fastapi import FastAPI
from fastapi.responses import FileResponse, HTMLResponse, RedirectResponse, Response
from starlette.exceptions import HTTPException

from upper_compass.demo.places import AUTHORS, COURSES, GUIDES, PAGE_TITLES, PRODUCTS, RECIPES, SITE, STOCKISTS

FILES = Path(__file__).parent / "site"
_POLICY = "default-src 'self'; frame-ancestors 'self'; base-uri 'none'"
_NAVIGATION = {
    "/courses": "Courses",
    "/shop": "Shop",
    "/recipes": "Recipes",
    "/guides": "Guides",
    "/stockists": "Stockists",
    "/wholesale": "Wholesale",
    "/de": "Deutsch",
}

_PLAYER = """<!doctype html>
<html lang="en"><head><meta charset="utf-8"><title>How we shape</title><link rel="stylesheet" href="/mill/site/mill.css">
<script type="module" src="/mill/site/player.js"></script></head>
<body><button id="play">Play or pause</button> <progress value="0" aria-label="How far it has played"></progress></body></html>"""


def _words(slug: str) -> str:
    text = slug.replace("-", " ")
    return text[:1].upper() + text[1:]


def _page(title: str, body: str, language: str = "en", author: str = "") -> str:
    links = "".join(f'<a href="/mill{target}">{name}</a>' for target, name in _NAVIGATION.items())
    signed = f'<meta name="uc-field-author" content="{escape(author)}">' if author else ""
    return f"""<!doctype html>
<html lang="{language}">
<head>
<meta charset="utf-8">
<meta name="viewport" content="width=device-width, initial-scale=1">
<title>{escape(title)}</title>{signed}
<link rel="stylesheet" href="/mill/site/mill.css">
<script defer src="/uc.js?site=mill" data-as="/mill {SITE}"></script>
<script type="module" src="/mill/site/mill.js"></script>
</head>
<body>
<header><a class="name" href="/mill/">Fennmoor Mill</a>{links}<a href="/mill/basket">Basket</a></header>
<main><h1>{escape(title)}</h1>{body}</main>
<footer>Fennmoor Mill is a sample site: nobody bakes here, nothing is sold.</footer>
</body>
</html>"""


def _cards(base: str, slugs: dict[str, float] | tuple[str, ...] | list[str]) -> str:
    price = slugs if isinstance(slugs, dict) else {}
    items = [f'<li><a href="/mill{base}/{slug}">{_words(slug)}</a>{f"<br>{price[slug]:.2f} €" if slug in price else ""}</li>' for slug in slugs]
    return f'<ul class="cards">{"".join(items)}</ul>'


def _field(name: str, label: str, kind: str = "text") -> str:
    return f'<label>{label}<input name="{name}" type="{kind}" required></label>'


def _search() -> str:
    return '<form role="search" action="/mill/recipes"><label>Look for a recipe<input name="q" type="search"></label><button>Look</button></form>'


def _found(term: str) -> str:
    """The recipes whose name holds a word."""
    slugs = tuple(slug for slug in RECIPES if term.casefold() in _words(slug).casefold())
    return _search() + (_cards("/recipes", slugs) if slugs else f"<p>No recipe is called {escape(term)}.</p>")


def _pages() -> dict[str, tuple[str, str]]:
    """Title and body of every page, by path."""
    pages = {
        "/": (
            "Fennmoor Mill",
            "<p>Stone-ground flour, baking courses, and recipes that work.</p>"
            + _cards("", ["courses", "shop", "recipes", "guides", "gift-vouchers", "videos"])
            + '<p><a class="button" href="/mill/gift-vouchers" data-uc-promo="vouchers for winter">A day at the mill makes a good present</a></p>',
        ),
        "/courses": ("Baking courses", _cards("/courses", COURSES)),
        "/courses/booked": ("Your place is kept", '<p>We look forward to baking with you.</p><p><a href="/mill/recipes">Meanwhile, a recipe?</a></p>'),
        "/shop": ("Shop", _cards("/shop", PRODUCTS)),
        "/recipes": ("Recipes", _search() + _cards("/recipes", RECIPES)),
        "/guides": ("Guides", _cards("/guides", list(GUIDES))),
        "/gift-vouchers": ("Gift vouchers", '<p>A course makes a good present.</p><p><a class="button" href="/mill/courses">See the courses</a></p>'),
        "/videos": (
            "Videos",
            '<p>How we knead.</p><video controls muted preload="metadata" width="320" height="180" src="/mill/site/kneading.webm" title="How we knead"'
            ' data-uc-media="kneading"></video><p>How we shape, on a player from elsewhere.</p><iframe src="/mill/player" title="How we shape" width="320"'
            ' height="90"></iframe><p><a href="/mill/guides/shaping">The guide to shaping</a></p>',
        ),
        "/letter/autumn": (
            "The autumn letter",
            '<p>New rye, and new dates for our courses.</p><p><a class="button" href="/mill/courses/sourdough">The sourdough course</a></p>',
        ),
        "/basket": ("Basket", '<ul data-basket></ul><p data-total></p><p><a class="button" href="/mill/checkout/address">To the checkout</a></p>'),
        "/checkout/thanks": ("Thank you", "<p>Your flour is on its way.</p>"),
        "/wholesale/thanks": ("Thank you", "<p>We will write to you within two days.</p>"),
        "/wholesale": (
            "Wholesale",
            f'<form action="/mill/wholesale/thanks" id="wholesale" data-uc-fields>{_field("bakery", "Your bakery")}<button>Ask for prices</button></form>',
        ),
        "/de": ("Fennmoor-Mühle", '<p>Mehl vom Stein, Backkurse und Rezepte.</p><p><a class="button" href="/mill/de/kurse">Zu den Kursen</a></p>'),
        "/de/kurse": ("Backkurse", '<p>Unsere Kurse finden auf Englisch statt.</p><p><a href="/mill/courses/sourdough">Sauerteig</a></p>'),
    }
    steps = (
        ("address", "Where to?", "delivery", _field("street", "Street")),
        ("delivery", "How fast?", "pay", _field("day", "Which day", "date")),
        ("pay", "How to pay?", "thanks", _field("account", "Account")),
    )
    for step, title, following, field in steps:
        pages[f"/checkout/{step}"] = (title, f'<form action="/mill/checkout/{following}" id="{step}">{field}<button>Go on</button></form>')
    shops = "".join(f'<li><a href="https://{host}/">{_words(host.split(".")[0])}</a></li>' for host in STOCKISTS)
    pages["/stockists"] = (PAGE_TITLES["/stockists"], f'<ul class="cards">{shops}</ul>')
    for slug, price in COURSES.items():
        pages[f"/courses/{slug}"] = (
            _words(slug),
            f'<p>One day at the mill, {price:.2f} €.</p><p><a class="button" href="/mill/courses/{slug}/book">Book a place</a></p>',
        )
        form = f'<form action="/mill/courses/booked" id="booking" data-uc-event="course booked" data-uc-value="{price}" data-uc-prop-course="{slug}">'
        pages[f"/courses/{slug}/book"] = (f"Book: {_words(slug)}", form + _field("baker", "What shall we call you?") + "<button>Book</button></form>")
    for slug, price in PRODUCTS.items():
        button = f'<button data-add="{slug}" data-name="{_words(slug)}" data-price="{price}">Put into the basket</button>'
        pages[f"/shop/{slug}"] = (_words(slug), f"<p>{price:.2f} €</p>{button}")
    for slug in RECIPES:
        pages[f"/recipes/{slug}"] = (_words(slug), '<p>Flour, water, salt, and time.</p><p><a href="/mill/shop/strong-white-flour">The flour for it</a></p>')
    for slug, file in GUIDES.items():
        link = f'<a class="button" href="/mill/files/{file}" download>Download the guide</a>'
        pages[f"/guides/{slug}"] = (f"Guide: {_words(slug)}", f"<p>Ten pages, with pictures.</p><p>{link}</p>")
    return pages


def _pdf(title: str) -> bytes:
    """A small PDF with a line of text."""
    text = f"BT /F1 24 Tf 72 720 Td ({title}) Tj ET".encode()
    objects = [
        b"<< /Type /Catalog /Pages 2 0 R >>", b"<< /Type /Pages /Kids [3 0 R] /Count 1 >>",
        b"<< /Type /Page /Parent 2 0 R /MediaBox [0 0 595 842] /Contents 4 0 R /Resources << /Font << /F1 5 0 R >> >> >>",
        b"<< /Length %d >>\nstream\n%s\nendstream" % (len(text), text), b"<< /Type /Font /Subtype /Type1 /BaseFont /Helvetica >>",
    ]  # fmt: skip
    made = b"%PDF-1.4\n" + b"".join(b"%d 0 obj\n%s\nendobj\n" % (i, body) for i, body in enumerate(objects, 1))
    return made + b"trailer << /Size 6 /Root 1 0 R >>\n%%EOF\n"


def mount(app: FastAPI) -> None:
    """Serve the sample site."""
    pages = _pages()

    @app.get("/mill/site/{name}", include_in_schema=False)
    def file(name: str) -> Response:
        if name not in ("mill.css", "mill.js", "player.js", "kneading.webm"):
            raise HTTPException(404, "There is nothing at this address.")
        return FileResponse(FILES / name)

    @app.get("/mill/files/{name}", include_in_schema=False)
    def guide(name: str) -> Response:
        if name not in GUIDES.values():
            raise HTTPException(404, "There is nothing at this address.")
        return Response(
            _pdf(_words(name.removesuffix(".pdf"))), media_type="application/pdf", headers={"Content-Disposition": f'attachment; filename="{name}"'}
        )

    @app.get("/mill/player", include_in_schema=False)
    def player() -> HTMLResponse:
        return HTMLResponse(_PLAYER, headers={"Content-Security-Policy": _POLICY})

    @app.get("/mill/go/{name}", include_in_schema=False)
    def forward(name: str) -> RedirectResponse:
        """An old short address, which loses whatever was tagged."""
        return RedirectResponse(f"/mill/{name}", 302)

    @app.get("/mill", include_in_schema=False)
    @app.get("/mill/{path:path}", include_in_schema=False)
    def page(path: str = "", q: str = "") -> Response:
        where = "/" + path.strip("/")
        if where not in pages:
            missing = _page("Not found", "<p>There is no such page at the mill.</p>")
            return HTMLResponse(missing, status_code=404, headers={"Content-Security-Policy": _POLICY})
        title, body = pages[where]
        if where == "/recipes" and q:
            body = _found(q.strip())
        return HTMLResponse(
            _page(title, body, "de" if where.startswith("/de") else "en", AUTHORS.get(where.removeprefix("/recipes/"), "")),
            headers={"Content-Security-Policy": _POLICY},
        )
