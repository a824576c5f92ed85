"""How a site is tagged: what its script may keep, and for how long. Reading is another matter, see `site`."""

from __future__ import annotations

from typing import Annotated

from pydantic import BaseModel, ConfigDict, Field

LEAST_DAYS, MOST_DAYS = 30, 3700


class Tagging(BaseModel):
    """`cookie`: the visitor id is kept in a first-party cookie; without, visitors bear a pseudonym that changes each day.

    `consent`: nothing is kept or sent before the page says `uc.consent(true)`. `keep_days`: older hits are deleted; None keeps them.
    """

    model_config = ConfigDict(extra="forbid")
    cookie: bool = True
    consent: bool = False
    keep_days: Annotated[int, Field(ge=LEAST_DAYS, le=MOST_DAYS)] | None = None
