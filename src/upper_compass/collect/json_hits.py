"""JSON Lines as hits, many lines at a time.

Most lines are written as they must be, and of most fields the same values come again and again: a value is judged once, by the very type that the model of
a hit has for it, and masked once. A line that is not plain in every field is read by itself, as the collector reads hits; what comes of it is the same.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass, field
from datetime import UTC, datetime
from functools import partial
from math import isfinite
from typing import TYPE_CHECKING, Annotated, Any

import orjson
import polars as pl
from pydantic import ConfigDict, TypeAdapter, ValidationError

from upper_compass.collect.checking import AHEAD, KINDS, as_json, as_rows, check_line, first_problem, foreign
from upper_compass.collect.file_lines import MAX_LINE
from upper_compass.collect.marking import are_robots
from upper_compass.collect.masking import masked_fields, masked_props
from upper_compass.core.definitions.hits import FIRST_YEAR, LAST_YEAR, FileHit
from upper_compass.core.definitions.personal_data import mask_address, mask_text
from upper_compass.core.definitions.site_rules import host_of
from upper_compass.store.hits import ROW, ROW_SCHEMA, HitRow

if TYPE_CHECKING:
    from upper_compass.collect.importing import Import

# Of each field so many values are remembered.
MAX_KNOWN = 100_000
_BAD = object()
# An order is read by itself.
_PLAIN_FIELDS = frozenset(FileHit.model_fields) - {"order"}
_ID = r"^[0-9a-f]{8}-[0-9a-f]{4}-[0-9a-f]{4}-[0-9a-f]{4}-[0-9a-f]{12}$"
_AT = r"^\d{4}-\d\d-\d\dT[0-2]\d:[0-5]\d:[0-5]\d(\.\d{1,6})?(Z|[+-](0\d|1\d|2[0-3]):[0-5]\d)$"
# A day from either end, so that no time zone matters; what lies there is judged by the model.
_FIRST, _LAST = datetime(FIRST_YEAR + 1, 1, 2, tzinfo=UTC), datetime(LAST_YEAR - 1, 12, 30, tzinfo=UTC)
MAX_ENGAGED, MAX_AMOUNT = 86_400_000, 1e12


@dataclass
class Read:
    """What some lines hold: hits in their order (columns of ROW_SCHEMA), what was refused (number of the line among them, field, sentence), and of how
    many lines a part was left out."""

    hits: pl.DataFrame
    refused: list[tuple[int, str, str]] = field(default_factory=list)
    shortened: int = 0


class _Field:
    """What becomes of each value of a field of texts. `reads`: whether it stands there as JSON of its own."""

    def __init__(self, name: str, then: Callable[[Any], Any] = lambda value: value, *, reads: bool = False) -> None:
        of = FileHit.model_fields[name]
        kind: Any = Annotated[(of.annotation, *of.metadata)] if of.metadata else of.annotation
        self._adapter: TypeAdapter[Any] = TypeAdapter(kind, config=ConfigDict(strict=True))
        self._then, self._reads = then, reads
        self._known: dict[Any, Any] = {} if of.is_required() else {None: None}

    def __call__(self, values: Sequence[Any]) -> list[Any]:
        """What is stored of each value, _BAD of one that is not as it must be."""
        known = self._known
        for value in set(values) - known.keys():
            if len(known) > MAX_KNOWN:
                known = self._known = {None: known[None]} if None in known else {}
            known[value] = self._judged(value)
        try:
            return [known[value] for value in values]
        except KeyError:  # so many differ that what was judged is forgotten again
            return [self._judged(value) for value in values]

    def _judged(self, value: Any) -> Any:  # noqa: ANN401
        if not isinstance(value, str):
            return None if value is None and None in self._known else _BAD
        try:
            held = self._adapter.validate_json(value) if self._reads else self._adapter.validate_python(value)
        except ValidationError:
            return _BAD
        return None if held is None else self._then(held)


def _stored_json(mask: Callable[[dict[str, Any]], dict[str, Any]], held: dict[str, Any]) -> str | None:
    return as_json(mask(held)) if held else None


class JsonHits:
    """Reads lines of one file."""

    def __init__(self, into: Import) -> None:
        self._into = into
        self._texts = {
            "url": _Field("url", self._address), "title": _Field("title", mask_text), "referrer": _Field("referrer", mask_address),
            "name": _Field("name", mask_text), "visitor": _Field("visitor"), "kind": _Field("kind", KINDS.__getitem__),
        } | {name: _Field(name) for name in ("currency", "language", "timezone", "screen", "user_agent", "country")}  # fmt: skip
        self._objects = {
            "props": _Field("props", partial(_stored_json, masked_props), reads=True),
            "fields": _Field("fields", partial(_stored_json, masked_fields), reads=True),
        }

    def _address(self, url: str) -> Any:  # noqa: ANN401
        return _BAD if self._into.hosts is not None and host_of(url) not in self._into.hosts else mask_address(url)

    def read(self, lines: Sequence[bytes]) -> Read:
        """What lines hold."""
        whole = {place: item for place, line in enumerate(lines) if (item := _parsed(line)) is not None}
        plain = self._plain(list(whole.values()), list(whole))
        read = Read(plain.drop("place"))
        apart = sorted(set(range(len(lines))) - set(plain["place"].to_list()))
        if apart:
            rows: list[tuple[int, HitRow]] = []
            for place in apart:
                self._by_itself(place, lines[place], rows, read)
            made = pl.DataFrame([row for _, row in rows], ROW_SCHEMA, orient="row").with_columns(pl.Series("place", [place for place, _ in rows], pl.Int64))
            read.hits = pl.concat([plain, made.select(plain.columns)]).sort("place").drop("place")
        return read

    def _by_itself(self, place: int, line: bytes, rows: list[tuple[int, HitRow]], read: Read) -> None:
        if not line.strip():
            return
        if len(line) > MAX_LINE:
            read.refused.append((place, "", f"this line is longer than {MAX_LINE} bytes"))
            return
        try:
            hit, left = check_line(line)
        except ValidationError as why:
            read.refused.append((place, *first_problem(why)))
            return
        problem = foreign(hit, self._into.hosts) or (("at", "this is in the future") if hit.at > self._into.now + AHEAD else None)
        if problem:
            read.refused.append((place, *problem))
            return
        read.shortened += bool(left)
        rows.extend((place, row) for row in as_rows(self._into.site_id, [hit], country=None, internal=False))

    def _plain(self, items: Sequence[dict[str, Any]], places: Sequence[int]) -> pl.DataFrame:
        """Those that are plain in every field (columns of ROW_SCHEMA, and `place`)."""
        try:
            columns = self._columns(items)
        except TypeError:  # a list or an object where a text belongs: one of these is read by itself, and so are all around it
            return pl.DataFrame(schema=ROW_SCHEMA | {"place": pl.Int64()})
        bad = {place for values in columns.values() if _BAD in set(values) for place, value in enumerate(values) if value is _BAD}
        kept = [place for place in range(len(items)) if place not in bad] if bad else range(len(items))
        frame = pl.DataFrame({name: [values[place] for place in kept] if bad else values for name, values in columns.items()}, _READ_SCHEMA)
        times = frame["at"].str.contains(_AT)
        frame = frame.with_columns(
            pl.col("at").str.to_datetime("%+", strict=False, time_unit="us", time_zone="UTC"), pl.Series("place", [places[place] for place in kept], pl.Int64),
            pl.lit(self._into.site_id, pl.Int64).alias("site_id"), pl.lit(None, pl.String).alias("order_id"), pl.lit(None, pl.String).alias("order_data"),
            pl.Series("robot", are_robots(frame["user_agent"].to_list()), pl.Boolean), pl.lit(False).alias("internal"),
        )  # fmt: skip
        kind, name = pl.col("kind"), pl.col("name")
        fits = (
            times & pl.col("id").str.contains(_ID) & pl.col("at").is_between(_FIRST, min(_LAST, self._into.now + AHEAD))
            & (kind != KINDS["order"]) & ((kind == KINDS["event"]) == name.is_not_null()) & ((kind != KINDS["engage"]) | pl.col("engaged_ms").is_not_null())
        )  # fmt: skip
        return frame.filter(fits).select(*ROW, "place")

    def _columns(self, items: Sequence[dict[str, Any]]) -> dict[str, list[Any]]:
        """Raises TypeError."""
        columns: dict[str, list[Any]] = {}
        columns["id"] = [item["id"] if _PLAIN_FIELDS.issuperset(item) and isinstance(item.get("id"), str) else _BAD for item in items]
        columns["at"] = [value if isinstance(value := item.get("at"), str) else _BAD for item in items]
        for name, judge in self._texts.items():
            columns[name] = judge([item.get(name) for item in items])
        for name, judge in self._objects.items():
            given = [item.get(name) for item in items]
            columns[name] = judge([None if value is None else orjson.dumps(value).decode() for value in given])
        columns["value"] = [_amount(item.get("value")) for item in items]
        columns["engaged_ms"] = [_engaged(item.get("engaged_ms")) for item in items]
        return columns


_READ_SCHEMA = {name: pl.String() if name == "at" else kind for name, kind in ROW_SCHEMA.items()}
for _made in ("site_id", "order_id", "order_data", "robot", "internal"):
    del _READ_SCHEMA[_made]


def _parsed(line: bytes) -> dict[str, Any] | None:
    """A line that is an object of a length that lines may have."""
    if len(line) > MAX_LINE:
        return None
    try:
        item = orjson.loads(line)
    except orjson.JSONDecodeError:
        return None
    return item if isinstance(item, dict) else None


def _amount(value: Any) -> Any:  # noqa: ANN401
    if value is None:
        return None
    return float(value) if type(value) in (int, float) and isfinite(value) and abs(value) <= MAX_AMOUNT else _BAD


def _engaged(value: Any) -> Any:  # noqa: ANN401
    if value is None:
        return None
    return value if type(value) is int and 0 <= value <= MAX_ENGAGED else _BAD
