"""Goals, and the conversions that they count (rules, chapter 5)."""

from __future__ import annotations

import json
from collections.abc import Callable
from dataclasses import dataclass
from typing import Annotated, Literal, Self

import numpy as np
import polars as pl
from pydantic import BaseModel, ConfigDict, Field, ValidationInfo, model_validator

from upper_compass.core.fields import field_of_hits, field_of_visits
from upper_compass.core.frame import Bools, Floats, Ints
from upper_compass.core.hits import Kind
from upper_compass.core.lexicon import Lexicon, prop_text
from upper_compass.core.texts import TextTest, check_pattern, storable, text_test
from upper_compass.core.visits import NO_VISIT, Derived, Rows

NumberTest = Literal["=", "≠", "<", "≤", ">", "≥"]
Pattern = Annotated[str, storable(500, least=1)]

_NUMBER_TESTS: dict[str, Callable[[float, float], bool]] = {
    "=": lambda a, b: a == b,
    "≠": lambda a, b: a != b,
    "<": lambda a, b: a < b,
    "≤": lambda a, b: a <= b,
    ">": lambda a, b: a > b,
    "≥": lambda a, b: a >= b,
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
        if (self.test in _NUMBER_TESTS) != isinstance(self.value, float):
            raise ValueError("this test and this value do not go together")
        if isinstance(self.value, str):
            check_pattern(self.test, self.value, info)
        return self

    def holds(self, value: object) -> bool:
        """Whether one value passes; None is no value."""
        if isinstance(self.value, float):
            number = isinstance(value, int | float) and not isinstance(value, bool)
            return _NUMBER_TESTS[self.test](value, self.value) if number else self.test == "≠"  # type: ignore[arg-type]
        if value is None:
            return self.test == "is not"
        return bool(text_test(pl.Series([prop_text(value)]), self.test, self.value)[0])


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


@dataclass(frozen=True)
class Conversions:
    """Counted matches in the order of the hits: `row` of the hit, `visit`, `at` in ms, `value` in the site's currency."""

    row: Rows
    visit: Rows
    at: Ints
    value: Floats


def conversions(goal: Goal, hits: pl.DataFrame, derived: Derived, lexicon: Lexicon) -> Conversions:
    """All conversions of a shard, over all of its history."""
    rows = np.flatnonzero(_matches(goal, hits, derived, lexicon) & (derived.visit_of != NO_VISIT)).astype(np.int32)
    for test in goal.where:
        rows = rows[_field_holds(test, hits, derived, rows, lexicon)]
    visit = derived.visit_of[rows]
    if goal.counts == "once a visit" and len(rows):
        first = np.diff(visit, prepend=np.int32(-1)) != 0
        rows, visit = rows[first], visit[first]
    return Conversions(rows, visit, hits["at"].to_numpy()[rows], _values(goal, hits, derived, rows, lexicon))


def _matches(goal: Goal, hits: pl.DataFrame, derived: Derived, lexicon: Lexicon) -> Bools:
    match goal.match:
        case PageMatch(test=test, pattern=pattern):
            wanted = text_test(lexicon.words.texts, test, pattern).to_numpy()
            on_page: Bools = wanted[lexicon["page"]][hits["url"].to_numpy()]
            return (derived.kind == Kind.view) & on_page
        case EventMatch(name=name, props=props):
            meant = lexicon.events_called(name)
            if not len(meant):
                return np.zeros(len(hits), bool)
            named: Bools = (derived.kind == Kind.event) & np.isin(hits["name"].to_numpy(), meant)
            return named & _props_hold(props, hits, named, lexicon) if props else named
        case OrderMatch():
            return derived.kind == Kind.order


def _props_hold(tests: list[PropTest], hits: pl.DataFrame, named: Bools, lexicon: Lexicon) -> Bools:
    """Judges each distinct set of properties among the named events once."""
    codes = hits["props"].to_numpy()
    distinct = np.unique(codes[named])
    texts = lexicon.dictionaries["props"].decode(distinct)
    held = [_all_hold(tests, json.loads(text) if text else {}) for text in texts]
    passing: Bools = np.isin(codes, distinct[np.array(held, bool)])
    return passing


def _field_holds(test: FieldTest, hits: pl.DataFrame, derived: Derived, rows: Rows, lexicon: Lexicon) -> Bools:
    """Which rows pass a condition on a field; a field that the site no longer has has no value anywhere."""
    field = next((one for one in lexicon.rules.fields if one.key == test.field), None)
    if field is None:
        codes = np.zeros(len(rows), np.uint32)
    elif field.of == "hit":
        codes = field_of_hits(field, hits, lexicon, rows)
    else:
        codes = field_of_visits(field, hits, derived, lexicon)[derived.visit_of[rows]]
    distinct, places = np.unique(codes, return_inverse=True)
    passing: Bools = text_test(lexicon.words.decode(distinct), test.test, test.value).to_numpy()
    return passing[places]


def _all_hold(tests: list[PropTest], props: dict[str, object]) -> bool:
    return all(test.holds(props.get(test.key)) for test in tests)


def _values(goal: Goal, hits: pl.DataFrame, derived: Derived, rows: Rows, lexicon: Lexicon) -> Floats:
    if isinstance(goal.value, FixedValue):
        return np.full(len(rows), goal.value.amount)
    if isinstance(goal.value, NoValue):
        return np.zeros(len(rows))
    amounts = money(hits, rows, lexicon)
    return amounts if goal.value.kind == "hit" else np.where(derived.kind[rows] == Kind.order, amounts, 0.0)


def money(hits: pl.DataFrame, rows: Rows, lexicon: Lexicon) -> Floats:
    """Amounts of hits in the site's currency; a missing amount and a currency without a rate are 0."""
    rates = lexicon["rate"][hits["currency"].to_numpy()[rows]]
    amounts: Floats = np.nan_to_num(hits["value"].to_numpy()[rows] * rates, nan=0.0)
    return amounts
