"""Asking for reports as tests write it: measures by name, filters by dimension; and the answers by row instead of by column."""

from __future__ import annotations

from types import SimpleNamespace
from zoneinfo import ZoneInfo

from tests.core.building import numbered, rules, shards_of
from upper_compass.core.dataset.shard_set import ShardSet
from upper_compass.core.definitions.requests import SeriesRequest, TableRequest
from upper_compass.core.engine.context import ReportContext
from upper_compass.core.reports.tables import series, table

UTC = ZoneInfo("UTC")


def shard_set(shards):
    """Shards with common look-ups and disjoint visitors, of whom none came back."""
    (lookups,) = {shard.lookups for shard in shards}
    return ShardSet(lookups, tuple(shards), tuple(shards))


def reading_of(hits, site_rules=None, count=1, **more):
    """Numbered hits as reports read them."""
    return ReportContext(shard_set(shards_of(hits, site_rules or rules(), count, **more)), UTC)


def condition(dimension, values, *, without=False):
    """A condition on a dimension as a chip makes it."""
    plain = {"kind": "dimension", "dimension": dimension, "test": "one of", "values": list(values)}
    return {"kind": "group", "of": "none", "conditions": [plain]} if without else plain


def only(*filters):
    """A segment of visits of which all filters hold, each a dict of dimension, values, without."""
    return {"where": {"conditions": [condition(**one) for one in filters]}} if filters else None


def asked(measures=("visits",), filters=(), **more):
    """A request: a column for each measure."""
    columns = [{"id": name, "measure": name} for name in measures]
    return {"versus": "none", "columns": columns, "segment": only(*filters)} | more


def _row(columns, place, keys=None):
    def by(name, of=columns):
        return {one.id: getattr(one, name)[place] for one in of if getattr(one, name) is not None}

    before = by("before")
    return SimpleNamespace(
        keys=keys,
        values=by("values"),
        before=before or None,
        interval={one.id: (one.low[place], one.high[place]) for one in columns if one.low and one.low[place] is not None},
        few=[one.id for one in columns if one.few and one.few[place]],
        is_significant=by("is_significant"),
    )


def by_row(result):
    """A result by row: `rows` or `points`, `total`, `rest`."""
    more = {"total": _row(result.total, 0), "notes": result.notes, "versus": result.versus}
    if hasattr(result, "at"):
        return SimpleNamespace(points=[_row(result.columns, i, at) for i, at in enumerate(result.at)], courses=result.courses, **more)
    rest = result.rest and SimpleNamespace(rows=result.rest.rows, figures=_row(result.rest.columns, 0))
    return SimpleNamespace(rows=[_row(result.columns, i, keys) for i, keys in enumerate(result.rows)], rest=rest, count=result.count, **more)


def ask_table(hits_or_reading, goal=None, *, first="1970-01-01", last="1970-01-01", **more):
    """A table of hits, by row; `goal` is what all its columns are of."""
    read = hits_or_reading if isinstance(hits_or_reading, ReportContext) else reading_of(numbered(hits_or_reading))
    request = TableRequest.model_validate({"period": {"first": first, "last": last}, "goal": goal and 1} | asked(**more))
    return by_row(table(read, request, {1: goal}))


def ask_series(read, goal=None, *, first="1970-01-01", last="1970-01-01", **more):
    """A series, by bucket."""
    request = SeriesRequest.model_validate({"period": {"first": first, "last": last}, "goal": goal and 1} | asked(**more))
    return by_row(series(read, request, {1: goal}))
