"""Segments: which visits, or which people, are meant (rules, chapter 7)."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Mapping
from typing import Annotated, Any, Literal, Self, TypeVar

from pydantic import BaseModel, ConfigDict, Field, JsonValue, ValidationInfo, model_validator

from upper_compass.core.definitions.hit_match import HitMatch, NumberTest
from upper_compass.core.definitions.text_tests import check_pattern, check_weights, storable
from upper_compass.core.definitions.ways import Way

Value = Annotated[str, storable(4000)]
# Of a measure or a dimension; whether there is one of that name is known where it is read.
Name = Annotated[str, storable(100, least=1)]
MAX_CONDITIONS, MAX_DEPTH = 60, 5
MAX_STEPS = 10
SegmentId = Annotated[int, Field(ge=1, le=2**31 - 1)]
Asked = TypeVar("Asked", bound=BaseModel)


class DimensionCondition(BaseModel):
    """What a dimension says. *Is*, *is not* and tests on text take one value, *one of* takes several, *is empty* none.

    Of a dimension of the hit, a visit has the values of all its hits: *is not* and *is empty* say that none of them is so.
    """

    model_config = ConfigDict(extra="forbid")
    kind: Literal["dimension"] = "dimension"
    dimension: Name
    test: Literal["is", "is not", "one of", "contains", "starts with", "regular expression", "is empty"]
    values: Annotated[list[Value], Field(max_length=50)] = []

    @model_validator(mode="after")
    def _fits(self, info: ValidationInfo) -> Self:
        fitting = {"is empty": len(self.values) == 0, "one of": len(self.values) >= 1}.get(self.test, len(self.values) == 1)
        if not fitting:
            raise ValueError("this test and these values do not go together")
        if self.values:
            check_pattern(self.test, self.values[0], info)
        return self


class NumberCondition(BaseModel):
    """A number of the visit: `duration` and `engaged` in seconds, `value` that of its conversions of the goal steered by."""

    model_config = ConfigDict(extra="forbid")
    kind: Literal["number"] = "number"
    of: Literal["views", "duration", "engaged", "number", "value"]
    test: NumberTest
    than: Annotated[float, Field(allow_inf_nan=False)]


class DidCondition(BaseModel):
    """Hits that match came so many times."""

    model_config = ConfigDict(extra="forbid")
    kind: Literal["did"] = "did"
    match: HitMatch
    test: Literal["at least", "at most", "exactly"] = "at least"
    times: Annotated[int, Field(ge=0, le=1_000_000)] = 1


class OrderCondition(BaseModel):
    """Hits that match each step, each later than the one before; within so many minutes from the first to the last, where that is given.

    `directly_next`: no other view lies between two steps.
    """

    model_config = ConfigDict(extra="forbid")
    kind: Literal["in order"] = "in order"
    steps: Annotated[list[HitMatch], Field(min_length=2, max_length=MAX_STEPS)]
    within_minutes: Annotated[float, Field(gt=0, le=1e7, allow_inf_nan=False)] | None = None
    directly_next: bool | None = None


class SavedCondition(BaseModel):
    """To be in a segment that is saved at the site, as it is now."""

    model_config = ConfigDict(extra="forbid")
    kind: Literal["saved"] = "saved"
    id: SegmentId


class SegmentCondition(BaseModel):
    """To be in another segment: a visit is when that holds it, a person when it holds one of their visits that started in the period, or the person."""

    model_config = ConfigDict(extra="forbid")
    kind: Literal["segment"] = "segment"
    segment: Segment


class WayCondition(Way):
    """To have gone a way from a centre (rules, chapter 10): a visit, or one of a person's visits that started in the period."""

    kind: Literal["way"] = "way"


class Group(BaseModel):
    """Conditions and groups of which all, any or none hold; *one hit*: conditions on dimensions that all hold for one and the same hit.

    An empty *any* does not hold, each other empty group does.
    """

    model_config = ConfigDict(extra="forbid")
    kind: Literal["group"] = "group"
    of: Literal["all", "any", "none", "one hit"] = "all"
    conditions: Annotated[list[Condition], Field(max_length=MAX_CONDITIONS)] = []

    @model_validator(mode="after")
    def _of_a_hit(self) -> Self:
        if self.of == "one hit" and not all(isinstance(one, DimensionCondition) for one in self.conditions):
            raise ValueError("for one and the same hit only conditions on dimensions can hold")
        return self

    def size(self) -> tuple[int, int]:
        """How many conditions there are in all, a step *in order* counts as one, and how many groups lie within each other."""
        inner = [one.size() for one in self.conditions if isinstance(one, Group)]
        inner += [one.segment.where.size() for one in self.conditions if isinstance(one, SegmentCondition)]
        steps = sum(len(one.steps) - 1 for one in self.conditions if isinstance(one, OrderCondition))
        return len(self.conditions) + steps + sum(count for count, _ in inner), 1 + max((depth for _, depth in inner), default=0)


Condition = Annotated[
    DimensionCondition | NumberCondition | DidCondition | OrderCondition | WayCondition | SavedCondition | SegmentCondition | Group,
    Field(discriminator="kind"),
]


_BY_MAIL: JsonValue = {"where": {"conditions": [{"kind": "dimension", "dimension": "channel", "test": "is", "values": ["Email"]}]}}


class Segment(BaseModel):
    """Visits for which the conditions hold, each judged whole; or people whose hits in the period satisfy them."""

    model_config = ConfigDict(extra="forbid", json_schema_extra={"examples": [_BY_MAIL]})
    of: Literal["visits", "people"] = "visits"
    where: Group

    @model_validator(mode="before")
    @classmethod
    def _patterns_fit(cls, given: object) -> object:
        return check_weights(given)

    @model_validator(mode="after")
    def _not_too_large(self) -> Self:
        count, depth = self.where.size()
        if self.where.of == "one hit":
            raise ValueError("what holds for one and the same hit stands in a group of its own, within another")
        if count > MAX_CONDITIONS or depth > MAX_DEPTH:
            raise ValueError(f"a segment has at most {MAX_CONDITIONS} conditions, in groups at most {MAX_DEPTH} deep")
        return self


SegmentCondition.model_rebuild()
Group.model_rebuild()


class UnfitSegmentError(ValueError):
    """A segment names one that is not saved, or grows too large with those that it names."""


def every_segment(asked: Any) -> Iterator[Segment]:  # noqa: ANN401
    """The segments that stand in a request, wherever, the outermost of each place."""
    if isinstance(asked, Segment):
        yield asked
    elif isinstance(asked, BaseModel):
        for name in type(asked).model_fields:
            yield from every_segment(getattr(asked, name))
    elif isinstance(asked, list):
        for one in asked:
            yield from every_segment(one)


def saved_in(group: Group) -> set[int]:
    """The ids of all saved segments that a group names."""
    found: set[int] = set()
    for one in group.conditions:
        if isinstance(one, SavedCondition):
            found.add(one.id)
        elif isinstance(one, Group | SegmentCondition):
            found |= saved_in(one if isinstance(one, Group) else one.segment.where)
    return found


def resolved(segment: Segment, saved: Mapping[int, Segment]) -> Segment:
    """The segment with each saved one that it names, or that one of those names, in its place. Raises UnfitSegmentError."""
    made = segment.model_copy(update={"where": _resolved(segment.where, saved, ())})
    if made.where.size()[0] > MAX_CONDITIONS:
        raise UnfitSegmentError(f"with the segments that are used in it, a segment has at most {MAX_CONDITIONS} conditions")
    try:
        check_weights(made.model_dump())
    except ValueError as error:
        raise UnfitSegmentError(str(error)) from error
    return made


def _resolved(group: Group, saved: Mapping[int, Segment], within: tuple[int, ...]) -> Group:
    conditions: list[Condition] = []
    for one in group.conditions:
        if isinstance(one, Group):
            conditions.append(_resolved(one, saved, within))
        elif isinstance(one, SegmentCondition):
            conditions.append(_put_in(one.segment, saved, within))
        elif isinstance(one, SavedCondition):
            if one.id not in saved:
                raise UnfitSegmentError("the site has no such segment")
            if one.id in within:
                raise UnfitSegmentError("a segment cannot be used in itself")
            if len(within) >= MAX_DEPTH:
                raise UnfitSegmentError(f"saved segments can be used in each other at most {MAX_DEPTH} deep")
            conditions.append(_put_in(saved[one.id], saved, (*within, one.id)))
        else:
            conditions.append(one)
    return group.model_copy(update={"conditions": conditions})


def _put_in(segment: Segment, saved: Mapping[int, Segment], within: tuple[int, ...]) -> SegmentCondition:
    return SegmentCondition.model_construct(segment=segment.model_copy(update={"where": _resolved(segment.where, saved, within)}))


def with_segments(asked: Asked, to: Callable[[Segment], Segment]) -> Asked:
    """A request with each of its segments, wherever it stands, made another."""
    changed = {name: _changed(getattr(asked, name), to) for name in type(asked).model_fields}
    return asked.model_copy(update=changed)


def _changed(value: Any, to: Callable[[Segment], Segment]) -> Any:  # noqa: ANN401
    if isinstance(value, Segment):
        return to(value)
    if isinstance(value, BaseModel):
        return with_segments(value, to)
    return [_changed(one, to) for one in value] if isinstance(value, list) else value
