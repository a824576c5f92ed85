"""What a hit is: the model that the collector and the import validate with (rules, chapter 1)."""

from __future__ import annotations

from datetime import UTC, datetime
from enum import IntEnum
from typing import Annotated, Literal, Self
from urllib.parse import urlsplit
from uuid import UUID

from pydantic import AfterValidator, AwareDatetime, BaseModel, ConfigDict, Field, StringConstraints, model_validator

MOST_HITS_IN_A_BODY = 100
FIRST_YEAR, LAST_YEAR = 1995, 2100


class Kind(IntEnum):
    """The kinds of hit, by the number they have in a frame."""

    view = 1
    event = 2
    order = 3
    engage = 4


# Events that say nothing about intent; every other event is active.
PASSIVE_EVENTS = ("form view", "media progress", "scroll depth", "promo view", "test exposure")


def _absolute(url: str) -> str:
    if not url.isprintable():
        raise ValueError("an address may not hold control characters")
    try:
        parts = urlsplit(url)
        hostname = parts.hostname
    except ValueError as why:
        raise ValueError("this is not an absolute address") from why
    if parts.scheme not in ("http", "https") or not hostname:
        raise ValueError("this is not an absolute address that begins with http:// or https://")
    return url


def _referrer(url: str | None) -> str | None:
    """A referrer may come from an app (`android-app://…`); what is no address at all says nothing and is dropped."""
    if not url:
        return None
    return url if "://" in url and url.isprintable() else None


def _no_nul(text: str) -> str:
    if "\x00" in text:
        raise ValueError("the character NUL cannot be stored")
    return text


def _to_utc(at: datetime) -> datetime:
    if not FIRST_YEAR < at.year < LAST_YEAR:
        raise ValueError(f"this lies outside the years {FIRST_YEAR} to {LAST_YEAR}")
    return at.astimezone(UTC)


Text = Annotated[str, AfterValidator(_no_nul)]
Short = Annotated[str, StringConstraints(max_length=200), AfterValidator(_no_nul)]
Amount = Annotated[float, Field(allow_inf_nan=False, ge=-1e12, le=1e12)]
Moment = Annotated[AwareDatetime, AfterValidator(_to_utc)]
PropKey = Annotated[str, StringConstraints(min_length=1, max_length=100), AfterValidator(_no_nul)]
PropValue = Annotated[str, StringConstraints(max_length=1000), AfterValidator(_no_nul)] | bool | Amount


class OrderItem(BaseModel):
    """One line of an order; `price` and `unit_cost` are for one piece."""

    model_config = ConfigDict(extra="forbid")
    sku: Short = ""
    name: Short = ""
    category: Short = ""
    quantity: Annotated[float, Field(ge=0, le=1e9, allow_inf_nan=False)] = 1
    price: Amount = 0
    unit_cost: Amount | None = None


class Order(BaseModel):
    """A purchase; the same id on one site counts once, the earliest. An order without an id counts."""

    model_config = ConfigDict(extra="forbid")
    id: Short = ""
    items: Annotated[list[OrderItem], Field(max_length=200)] = []
    shipping: Amount | None = None
    tax: Amount | None = None
    discount: Amount | None = None


class Hit(BaseModel):
    """One fact sent by a site."""

    model_config = ConfigDict(extra="forbid")
    id: UUID
    at: Moment
    visitor: Annotated[str, StringConstraints(min_length=1, max_length=64), AfterValidator(_no_nul)]
    kind: Literal["view", "event", "order", "engage"]
    url: Annotated[str, StringConstraints(max_length=4000), AfterValidator(_absolute)]
    title: Annotated[Text, StringConstraints(max_length=500)] | None = None
    referrer: Annotated[str | None, Field(max_length=4000), AfterValidator(_referrer)] = None
    name: Annotated[Text, StringConstraints(min_length=1, max_length=100)] | None = None
    value: Amount | None = None
    currency: Annotated[str, StringConstraints(pattern=r"^[A-Z]{3}$")] | None = None
    order: Order | None = None
    engaged_ms: Annotated[int, Field(ge=0, le=86_400_000)] | None = None
    props: Annotated[dict[PropKey, PropValue], Field(max_length=32)] | None = None
    fields: Annotated[dict[PropKey, Annotated[Text, StringConstraints(max_length=500)]], Field(max_length=20)] | None = None
    language: Annotated[str, StringConstraints(max_length=35), AfterValidator(_no_nul)] | None = None
    timezone: Annotated[str, StringConstraints(max_length=64), AfterValidator(_no_nul)] | None = None
    screen: Annotated[str, StringConstraints(max_length=20), AfterValidator(_no_nul)] | None = None
    user_agent: Annotated[str, StringConstraints(max_length=1000), AfterValidator(_no_nul)] | None = None

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
