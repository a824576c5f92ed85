"""How conversions are credited to the values of a dimension (rules, chapter 11)."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import BaseModel, ConfigDict, Field, model_validator

Weight = Annotated[float, Field(ge=0, le=1e6, allow_inf_nan=False)]


class PositionBased(BaseModel):
    """So much to the first touch, so much shared by those between, so much to the last; in proportion, whatever they add up to."""

    model_config = ConfigDict(extra="forbid", frozen=True)
    kind: Literal["position based"] = "position based"
    first: Weight = 40
    between: Weight = 20
    last: Weight = 40

    @model_validator(mode="after")
    def _something(self) -> PositionBased:
        if not self.first + self.between + self.last:
            raise ValueError("one of the weights is more than nothing")
        return self


class TimeDecay(BaseModel):
    """The nearer to the conversion the more: half as much for each half-life (days) before it."""

    model_config = ConfigDict(extra="forbid", frozen=True)
    kind: Literal["time decay"] = "time decay"
    half_life_days: Annotated[float, Field(ge=0.001, le=3650, allow_inf_nan=False)] = 7


CreditModel = Literal["first touch", "last touch", "linear", "every touch", "on the spot", "removal effect"] | PositionBased | TimeDecay
# The visit of the conversion alone, or visits that started at most so many days before it.
Reach = Literal["own visit"] | Annotated[int, Field(ge=1, le=365)]
USUAL_REACH = 30
