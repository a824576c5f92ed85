"""Which hits are meant: one model for goals, for what a segment's visitors *did*, for steps of funnels and of paths (rules, chapters 5 and 7)."""

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


class PageTest(BaseModel):
    """A condition on the page of a hit."""

    model_config = ConfigDict(extra="forbid")
    test: TextTest
    value: Pattern

    @model_validator(mode="after")
    def _readable(self, info: ValidationInfo) -> Self:
        check_pattern(self.test, self.value, info)
        return self


class FieldTest(PageTest):
    """The same on a site field, by its key: of the hit, or of the visit that the hit belongs to. No value passes only *is not*."""

    field: Annotated[str, storable(40, least=1)]


class ValueTest(BaseModel):
    """A condition on what a hit is worth: the total of an order, the value of an event, in the site's currency. Without a value it is 0."""

    model_config = ConfigDict(extra="forbid")
    test: NumberTest
    than: Annotated[float, Field(ge=-1e12, le=1e12, allow_inf_nan=False)]


class HitMatch(BaseModel):
    """Hits of one kind for which every condition that is given holds.

    `names`: of the event, any of them, as it is sent or as reports show it; with `name_test` *starts with*, names that begin so. A goal call by
    name is an event of that name. `page`: of the hit's address; `props`: of the event or order; `value`: what it is worth; `fields`: the site's own.
    """

    model_config = ConfigDict(extra="forbid")
    kind: Literal["view", "event", "order"]
    names: Annotated[list[Annotated[str, storable(100, least=1)]], Field(max_length=20)] = []
    name_test: Literal["is", "starts with"] = "is"
    page: PageTest | None = None
    props: Annotated[list[PropTest], Field(max_length=10)] = []
    value: ValueTest | None = None
    fields: Annotated[list[FieldTest], Field(max_length=10)] = []

    @model_validator(mode="after")
    def _named(self) -> Self:
        if self.kind == "event" and not self.names:
            raise ValueError("name the event")
        if self.kind != "event" and self.names:
            raise ValueError("only events have names")
        if self.kind == "view" and (self.props or self.value):
            raise ValueError("views have no properties and no value")
        return self
