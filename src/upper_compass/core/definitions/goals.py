"""Goals, and the conversions that they count (rules, chapter 5)."""

from __future__ import annotations

import operator
from collections.abc import Callable
from typing import Annotated, Any, Literal, Self

from pydantic import BaseModel, ConfigDict, Field, ValidationInfo, model_validator

from upper_compass.core.definitions.text_tests import TextTest, check_pattern, storable

NumberTest = Literal["=", "≠", "<", "≤", ">", "≥"]
Pattern = Annotated[str, storable(500, least=1)]

# Of numbers, or of whole columns of them.
NUMBER_TESTS: dict[str, Callable[[Any, float], Any]] = {
    "=": operator.eq,
    "≠": operator.ne,
    "<": operator.lt,
    "≤": operator.le,
    ">": operator.gt,
    "≥": operator.ge,
}


class PropTest(BaseModel):
    """A condition on one property of an event (rules, chapter 5).

    A test on numbers fails on text; to a test on text a number is its shortest decimal form. *Is not* and ≠ hold where there is no value.
    """

    model_config = ConfigDict(extra="forbid")
    key: Annotated[str, storable(100, least=1)]
    test: TextTest | NumberTest
    value: Pattern | float

    @model_validator(mode="after")
    def _fits(self, info: ValidationInfo) -> Self:
        if (self.test in NUMBER_TESTS) != isinstance(self.value, float):
            raise ValueError("this test and this value do not go together")
        if isinstance(self.value, str):
            check_pattern(self.test, self.value, info)
        return self


class PageMatch(BaseModel):
    """Views of pages."""

    model_config = ConfigDict(extra="forbid")
    kind: Literal["page"]
    test: Literal["is", "starts with", "contains", "regular expression"]
    pattern: Pattern

    @model_validator(mode="after")
    def _readable(self, info: ValidationInfo) -> Self:
        check_pattern(self.test, self.pattern, info)
        return self


class EventMatch(BaseModel):
    """Events by name; every condition on their properties must hold. A call by name is an event of that name."""

    model_config = ConfigDict(extra="forbid")
    kind: Literal["event"]
    name: Annotated[str, storable(100, least=1)]
    props: Annotated[list[PropTest], Field(max_length=10)] = []


class OrderMatch(BaseModel):
    """Orders."""

    model_config = ConfigDict(extra="forbid")
    kind: Literal["order"]


class NoValue(BaseModel):
    """The goal is worth nothing by itself."""

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


class FieldTest(BaseModel):
    """A condition on a site field, by its key: of the hit, or of the visit that the hit belongs to. No value passes only *is not*."""

    model_config = ConfigDict(extra="forbid")
    field: Annotated[str, storable(40, least=1)]
    test: TextTest
    value: Pattern

    @model_validator(mode="after")
    def _readable(self, info: ValidationInfo) -> Self:
        check_pattern(self.test, self.value, info)
        return self


class Goal(BaseModel):
    """What counts as a conversion, how often in a visit, and what it is worth. Every condition on site fields (`where`) must hold."""

    model_config = ConfigDict(extra="forbid")
    match: Annotated[PageMatch | EventMatch | OrderMatch, Field(discriminator="kind")]
    where: Annotated[list[FieldTest], Field(max_length=10)] = []
    counts: Literal["once a visit", "every time"] = "once a visit"
    value: Annotated[NoValue | FixedValue | HitValue, Field(discriminator="kind")] = NoValue()
