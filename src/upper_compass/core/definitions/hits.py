"""What a hit is: the model that the collector and the import validate with (rules, chapter 1)."""

from __future__ import annotations

from datetime import UTC, datetime
from enum import IntEnum
from typing import Annotated, Literal, Self
from uuid import UUID

from pydantic import AfterValidator, AwareDatetime, BaseModel, ConfigDict, Field, StringConstraints, model_validator

from upper_compass.core.definitions.text_tests import storable

MAX_HITS_IN_A_BODY = 100
MAX_ITEMS, MAX_PROPS, MAX_FIELDS = 200, 32, 20
FIRST_YEAR, LAST_YEAR = 1995, 2100


class Kind(IntEnum):
    """The kinds of hit, by the number they have in a frame."""

    view = 1
    event = 2
    order = 3
    engage = 4


SCRIPT_ERROR = "script error"
# What the site script sends automatically (rules, chapter 1, and *Decisions*).
EVENTS_BY_ITSELF = frozenset({
    "file download", "outbound click", "form view", "form start", "form submit", "form leave", "media start", "media progress", "site search",
    "promo view", "promo click", "scroll depth", "test exposure", SCRIPT_ERROR,
})  # fmt: skip
# Events that say nothing about intent; every other event is active.
PASSIVE_EVENTS = ("form view", "form leave", "media progress", "scroll depth", "promo view", "test exposure", SCRIPT_ERROR)


def _referrer(url: str | None) -> str | None:
    """A referrer may come from an app (`android-app://…`); what is no address at all says nothing and is dropped."""
    if not url:
        return None
    return url if "://" in url and url.isprintable() else None


def _to_utc(at: datetime) -> datetime:
    if not FIRST_YEAR < at.year < LAST_YEAR:
        raise ValueError(f"this lies outside the years {FIRST_YEAR} to {LAST_YEAR}")
    return at if at.tzinfo is UTC else at.astimezone(UTC)


Short = Annotated[str, storable(200)]
Address = Annotated[str, StringConstraints(max_length=4000, pattern=r"^[Hh][Tt][Tt][Pp][Ss]?://[^\x00-\x20\x7f/?#]+([/?#][^\x00-\x1f\x7f]*)?$")]
Amount = Annotated[float, Field(allow_inf_nan=False, ge=-1e12, le=1e12)]
Moment = Annotated[AwareDatetime, AfterValidator(_to_utc)]
PropKey = Annotated[str, storable(100, least=1)]
PropValue = Annotated[str, storable(1000)] | bool | Amount


class OrderItem(BaseModel):
    """One line of an order; `price` and `unit_cost` are for one piece."""

    model_config = ConfigDict(extra="forbid", strict=True)
    sku: Short = ""
    name: Short = ""
    category: Short = ""
    quantity: Annotated[float, Field(ge=0, le=1e9, allow_inf_nan=False)] = 1
    price: Amount = 0
    unit_cost: Amount | None = None


class Order(BaseModel):
    """A purchase; the same id on one site counts once, the earliest. An order without an id counts."""

    model_config = ConfigDict(extra="forbid", strict=True)
    id: Short = ""
    items: Annotated[list[OrderItem], Field(max_length=MAX_ITEMS)] = []
    shipping: Amount | None = None
    tax: Amount | None = None
    discount: Amount | None = None


class Hit(BaseModel):
    """One fact sent by a site."""

    model_config = ConfigDict(extra="forbid", strict=True)
    id: UUID
    at: Moment
    visitor: Annotated[str, storable(64, least=1)]
    kind: Literal["view", "event", "order", "engage"]
    url: Address
    title: Annotated[str, storable(500)] | None = None
    referrer: Annotated[str | None, Field(max_length=4000), AfterValidator(_referrer)] = None
    name: Annotated[str, storable(100, least=1)] | None = None
    value: Amount | None = None
    currency: Annotated[str, StringConstraints(pattern=r"^[A-Z]{3}$")] | None = None
    order: Order | None = None
    engaged_ms: Annotated[int, Field(ge=0, le=86_400_000)] | None = None
    props: Annotated[dict[PropKey, PropValue], Field(max_length=MAX_PROPS)] | None = None
    fields: Annotated[dict[PropKey, Annotated[str, storable(500)]], Field(max_length=MAX_FIELDS)] | None = None
    language: Annotated[str, storable(35)] | None = None
    timezone: Annotated[str, storable(64)] | None = None
    screen: Annotated[str, storable(20)] | None = None
    user_agent: Annotated[str, storable(1000)] | None = None

    @model_validator(mode="after")
    def _belongs_to_its_kind(self) -> Self:
        if self.kind == "event" and self.name is None:
            raise ValueError("an event needs a name")
        if self.kind != "event" and self.name is not None:
            raise ValueError("only an event has a name")
        if self.kind == "engage" and self.engaged_ms is None:
            raise ValueError("an engage needs engaged_ms")
        if self.kind != "order" and self.order is not None:
            raise ValueError("only an order hit has an order")
        return self


class FileHit(Hit):
    """A hit read from a file: only there may the country be given."""

    country: Annotated[str, StringConstraints(pattern=r"^[A-Z]{2}$")] | None = None
