"""What was tallied and told once, for whoever asks the same again."""

from __future__ import annotations

from collections.abc import Callable, Hashable, Mapping
from contextlib import suppress
from functools import wraps
from threading import Lock
from typing import TYPE_CHECKING, Concatenate, ParamSpec, TypeVar, cast

from cachetools import LRUCache
from pydantic import BaseModel

from upper_compass.core.engine.protocol import Tally

if TYPE_CHECKING:
    from upper_compass.core.engine.context import ReportContext

P = ParamSpec("P")
A = TypeVar("A", bound=BaseModel)
# Of an answer as objects, to its bytes as JSON.
OBJECTS_TO_JSON = 6
# Of what is kept, whatever it holds.
ANYTHING = 1_000


class Kept:
    """What was tallied and told, for whoever asks the same again: up to so many bytes, those asked for last."""

    def __init__(self, max_bytes: int) -> None:
        self._kept: LRUCache[Hashable, Tally | BaseModel] = LRUCache(max_bytes, getsizeof=_size)
        self._lock = Lock()

    def get(self, key: Hashable) -> Tally | None:
        """The tally under a key."""
        with self._lock:
            return cast("Tally | None", self._kept.get(key))

    def answer(self, key: Hashable) -> BaseModel | None:
        """The answer of a report under a key; nobody may change it."""
        with self._lock:
            return cast("BaseModel | None", self._kept.get(key))

    def put(self, key: Hashable, told: Tally | BaseModel) -> None:
        """Keep a tally or an answer, unless it is larger than all that may be kept."""
        if not self._kept.maxsize:
            return  # nor is it weighed for nothing
        with self._lock, suppress(ValueError):  # which says that it is too large
            self._kept[key] = told

    @property
    def size(self) -> int:
        """Bytes that are held."""
        return int(self._kept.currsize)


def _size(told: Tally | BaseModel) -> int:
    return ANYTHING + (int(told.frame.estimated_size()) if isinstance(told, Tally) else OBJECTS_TO_JSON * len(told.model_dump_json()))


def told_once(report: Callable[Concatenate[ReportContext, P], A]) -> Callable[Concatenate[ReportContext, P], A]:
    """A report that hangs on hits, rules and what it is given alone: whoever asks the same of the same has the answer of before, and may not change it."""

    @wraps(report)
    def told(context: ReportContext, /, *given: P.args, **named: P.kwargs) -> A:
        key = (context.version, context.zone.key, report.__module__, report.__qualname__, _hashable(given), _hashable(named))
        found = context.kept.answer(key)
        if found is None:
            found = report(context, *given, **named)
            context.kept.put(key, found)
        return cast("A", found)

    return told


def _hashable(given: object) -> Hashable:
    """What was given to a report, so that the same is equal."""
    if isinstance(given, BaseModel):
        return given.model_dump_json()
    if isinstance(given, Mapping):
        return tuple((name, _hashable(value)) for name, value in sorted(given.items()))
    if isinstance(given, list | tuple):
        return tuple(map(_hashable, given))
    return given
