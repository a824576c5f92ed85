"""HTML that a rule inserts into a page: what shows something is taken, what runs or sends something is named and refused."""

from __future__ import annotations

from html.parser import HTMLParser

import nh3

_TAGS = nh3.ALLOWED_TAGS | {"button", "section", "main", "figure", "figcaption", "picture", "source", "mark"}
_ATTRIBUTES = {
    "*": {"class", "id", "style", "title", "lang", "dir", "role", "hidden", "tabindex"},
    "a": {"href", "target", "rel", "download"},
    "button": {"type"},
    "img": {"src", "srcset", "alt", "width", "height", "loading"},
    "source": {"srcset", "media", "type", "sizes"},
}
_SCHEMES = {"http", "https", "mailto", "tel"}


def tidied_html(html: str) -> str:
    """The HTML with nothing in it that could run."""
    return nh3.clean(
        html, tags=_TAGS, attributes=_ATTRIBUTES, generic_attribute_prefixes={"data-uc-", "aria-"}, url_schemes=_SCHEMES, link_rel=None, strip_comments=True
    )


def strange_in(html: str) -> list[str]:
    """Names of the elements and attributes that are not inserted, each once: `<script>`, `onclick`."""
    kept = _names(tidied_html(html))
    return [name for name in _names(html) if name not in kept]


class _Names(HTMLParser):
    """Elements as `<name>`, and attributes by name with those of addresses told apart by their value."""

    def __init__(self) -> None:
        super().__init__()
        self.found: dict[str, None] = {}

    def handle_starttag(self, tag: str, attrs: list[tuple[str, str | None]]) -> None:
        self.found[f"<{tag}>"] = None
        for name, value in attrs:
            self.found[f'{name}="{value}"' if name in ("href", "src", "srcset") else name] = None


def _names(html: str) -> list[str]:
    parser = _Names()
    parser.feed(html)
    parser.close()
    return list(parser.found)
