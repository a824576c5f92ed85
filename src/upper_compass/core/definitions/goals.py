"""Goals, and the conversions that they count (rules, chapter 5)."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import BaseModel, ConfigDict, Field

from upper_compass.core.definitions.hit_match import HitMatch
from upper_compass.core.definitions.text_tests import storable

# The `sku` of a line of an order, or its `name` where it has none.
Product = Annotated[str, storable(200, least=1)]


class NoValue(BaseModel):
    """The goal is worth nothing."""

    model_config = ConfigDict(extra="forbid")
    kind: Literal["none"] = "none"


class FixedValue(BaseModel):
    """Each conversion is worth the same."""

    model_config = ConfigDict(extra="forbid")
    kind: Literal["fixed"]
    amount: Annotated[float, Field(allow_inf_nan=False, ge=-1e12, le=1e12)]


class HitValue(BaseModel):
    """A conversion is worth the value of its hit, or the total of its order; missing is 0."""

    model_config = ConfigDict(extra="forbid")
    kind: Literal["hit", "order"]


class Goal(BaseModel):
    """What counts as a conversion, how often in a visit, and what it is worth."""

    model_config = ConfigDict(extra="forbid")
    match: HitMatch
    counts: Literal["once a visit", "every time"] = "once a visit"
    value: Annotated[NoValue | FixedValue | HitValue, Field(discriminator="kind")] = NoValue()


class ProductSales(BaseModel):
    """Orders that hold a product, each a conversion that is worth quantity × price of it (rules, chapter 11)."""

    model_config = ConfigDict(extra="forbid")
    product: Product


# What the conversions of a column are of.
Counted = Goal | ProductSales
