"""The logbook: what was noted on a day or a period, bound to the view that it was written on."""

from __future__ import annotations

from datetime import date
from typing import Annotated, Literal, Self

from pydantic import BaseModel, ConfigDict, Field, model_validator

from upper_compass.core.definitions.text_tests import storable

# note: anything; change: something on the site is another from then on; finding: what the figures show.
EntryKind = Literal["note", "change", "finding"]
MAX_ENTRIES = 5_000
# A view of the site, with what it is read under; never another place.
VIEW = r"^/(tag|watch|read|explain)/[a-z-]+(\?[^\s<>\"'\\]*)?$"
FIRST_YEAR, LAST_YEAR = 1996, 2099


class LogbookEntry(BaseModel):
    """One entry. `first` and `last` are days of the site; `view`: the address of a view within the site, empty where there is none."""

    model_config = ConfigDict(
        extra="forbid",
        json_schema_extra={"examples": [{"kind": "change", "first": "2026-11-02", "last": "2026-11-02", "text": "The guide has a new cover."}]},
    )
    kind: EntryKind = "note"
    first: date
    last: date
    text: Annotated[str, storable(2000, least=1)]
    view: Annotated[str, Field(max_length=4000, pattern=rf"{VIEW}|^$")] = ""

    @model_validator(mode="after")
    def _fits(self) -> Self:
        if not self.text.strip():
            raise ValueError("say what happened")
        if self.last < self.first:
            raise ValueError("the last day lies before the first")
        if not (self.first.year >= FIRST_YEAR and self.last.year <= LAST_YEAR):
            raise ValueError(f"a day lies between the years {FIRST_YEAR} and {LAST_YEAR}")
        return self
