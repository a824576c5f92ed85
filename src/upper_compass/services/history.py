"""What a change was, field by field: from which value to which."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterator
from dataclasses import dataclass
from itertools import islice
from typing import Any

# Of one change so many fields are told, and so much of a value.
MAX_FIELDS, MAX_TEXT = 40, 400


@dataclass(frozen=True)
class Difference:
    """One field. `before` is None where there was none, `after` where there is none any more."""

    field: str
    before: str | None
    after: str | None


def differences(before: Any, after: Any) -> list[Difference]:  # noqa: ANN401
    """What differs between two states of a thing, the first fields of it; each value as text."""
    return list(islice(_between("", before, after), MAX_FIELDS))


def _between(field: str, before: Any, after: Any) -> Iterator[Difference]:  # noqa: ANN401
    if before == after:
        return
    if isinstance(before, dict | None) and isinstance(after, dict | None) and (before or after):
        was, becomes = before or {}, after or {}
        for name in dict.fromkeys([*was, *becomes]):
            yield from _between(f"{field}.{name}" if field else name, was.get(name), becomes.get(name))
    elif isinstance(before, list) and isinstance(after, list):
        yield from _between_lists(field, before, after)
    elif _text(before) != _text(after):
        yield Difference(field, _text(before), _text(after))


def _between_lists(field: str, before: list[Any], after: list[Any]) -> Iterator[Difference]:
    """What left a list and what came to it; where only the order differs, the lists."""
    was, becomes = ([_text(one) or "" for one in items] for items in (before, after))
    gone, come = Counter(was) - Counter(becomes), Counter(becomes) - Counter(was)
    if not gone and not come:
        yield Difference(field, _text(before), _text(after))
    yield from (Difference(field, one, None) for one in gone.elements())
    yield from (Difference(field, None, one) for one in come.elements())


def _text(value: Any) -> str | None:  # noqa: ANN401
    """A value as one reads it: what is in a list one after the other, what is in a thing by its name; what is empty is left out."""
    text = _plain(value)
    return (text if len(text) <= MAX_TEXT else f"{text[:MAX_TEXT]}…") or None


def _plain(value: Any) -> str:  # noqa: ANN401
    match value:
        case None:
            return ""
        case bool():
            return "yes" if value else "no"
        case list():
            return "; ".join(text for one in value if (text := _plain(one)))
        case dict():
            return ", ".join(f"{name.replace('_', ' ')} {text}" for name, one in value.items() if (text := _plain(one)))
        case _:
            return str(value)
