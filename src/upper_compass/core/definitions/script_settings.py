"""How a site is tagged: what its script sends and may keep, and for how long. Reading is another matter, see `site`."""

from __future__ import annotations

from collections.abc import Iterable
from typing import Annotated

from pydantic import BaseModel, ConfigDict, Field

from upper_compass.core.definitions.site_rules import Host, QueryKey

MIN_DAYS, MAX_DAYS = 30, 3700


class Sends(BaseModel):
    """What the script sends automatically. A part that no switch asks for is not loaded."""

    model_config = ConfigDict(extra="forbid")
    downloads: bool = True
    outbound: bool = True
    forms: bool = True
    media: bool = True
    site_search: bool = True
    promotions: bool = True
    scroll_depth: bool = False
    script_errors: bool = True


# The files of the script that each switch asks for.
PARTS = {
    "downloads": ("links",), "outbound": ("links",), "forms": ("seen", "forms"), "media": ("media",), "site_search": ("search",),
    "promotions": ("seen", "promos"), "scroll_depth": ("scroll",), "script_errors": ("errors",),
}  # fmt: skip


def in_order(parts: Iterable[str]) -> list[str]:
    """Each part once, in a settled order; those that others use as they are put in come first."""
    return sorted(set(parts), key=lambda part: (part not in ("seen", "visit"), part))


# Every file beside the script, but for those of rules.
PART_FILES = tuple(in_order(["handover", *(part for parts in PARTS.values() for part in parts)]))


class Tagging(BaseModel):
    """`cookie`: the visitor id is kept in a first-party cookie; without, visitors bear a pseudonym that changes each day.

    `consent`: nothing is kept or sent before the page says `uc.consent(true)`. `keep_days`: older hits are deleted; None keeps them.
    `search_keys`: query keys that hold what was searched for on the site. `players`: hosts of players in frames, beside the site's own.
    `inserts_html`: rules may insert HTML into pages. `every_query`: every change of the query is a view, not only those of keys that make a page.
    """

    model_config = ConfigDict(extra="forbid")
    cookie: bool = True
    consent: bool = False
    keep_days: Annotated[int, Field(ge=MIN_DAYS, le=MAX_DAYS)] | None = None
    sends: Sends = Sends()
    search_keys: Annotated[list[QueryKey], Field(max_length=20)] = ["q", "s", "query", "search"]
    players: Annotated[list[Host], Field(max_length=50)] = []
    inserts_html: bool = False
    every_query: bool = False

    def parts(self) -> list[str]:
        """Names of the parts that the site's script is made of, in a settled order."""
        return in_order(part for switch, parts in PARTS.items() if getattr(self.sends, switch) for part in parts)
