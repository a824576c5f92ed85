"""How a site is tagged: what its script sends by itself, what it may keep, and for how long. Reading is another matter, see `site`."""

from __future__ import annotations

from typing import Annotated

from pydantic import BaseModel, ConfigDict, Field

from upper_compass.core.site import QueryKey

SEARCH_KEYS = ("q", "s", "search", "query", "suche")
LEAST_DAYS, MOST_DAYS = 30, 3700


class Sends(BaseModel):
    """What the site script sends by itself, each with a switch; the names of the events are in the rules, chapter 1."""

    model_config = ConfigDict(extra="forbid")
    downloads: bool = True
    outbound: bool = True
    forms: bool = True
    media: bool = True
    search: bool = True
    promos: bool = True
    scroll: bool = True
    search_keys: Annotated[list[QueryKey], Field(max_length=20)] = list(SEARCH_KEYS)


class Tagging(BaseModel):
    """`cookie`: the visitor id is kept in a first-party cookie; without, visitors bear a pseudonym that changes each day.

    `consent`: nothing is kept or sent before the page says `uc.consent(true)`. `keep_days`: older hits are deleted; None keeps them.
    `html`: rules may insert HTML.
    """

    model_config = ConfigDict(extra="forbid")
    cookie: bool = True
    consent: bool = False
    keep_days: Annotated[int, Field(ge=LEAST_DAYS, le=MOST_DAYS)] | None = None
    html: bool = False
    sends: Sends = Sends()
