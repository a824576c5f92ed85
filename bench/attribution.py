"""A table of ten credited columns of ten million hits, against one hand-written DuckDB query for a single linear one. Run: ./compass bench attribution [hits].

By channel over 28 days: every model, with reaches of 30 days, 7 days and the visit of the conversion alone; DuckDB shares out linearly over 30 days, direct
visits passed over. The linear column must be the same on both sides. Medians of five in one run; nothing is kept from one time to the next. Then each
column alone, and by page.
"""

from __future__ import annotations

import json
import sys
from functools import partial

from bench.allocators import as_started
from bench.data import GOAL, RULES, make
from bench.reports import MONTH, ZONE, _timed, into_duckdb
from upper_compass.core.dataset.coded_hits import Dictionaries, encode_hits
from upper_compass.core.definitions.attribution import PositionBased, TimeDecay
from upper_compass.core.definitions.periods import Period
from upper_compass.core.definitions.requests import Column, TableRequest, TableResult
from upper_compass.core.engine.context import ReportContext
from upper_compass.core.reports.tables import table
from upper_compass.frames.site_dataset import start
from upper_compass.reference import shipped

DAYS = 30
TEN = [
    Column(id="linear", measure="conversions", model="linear"),
    Column(id="first", measure="conversions", model="first touch"),
    Column(id="last", measure="conversions", model="last touch"),
    Column(id="40/20/40", measure="conversions", model=PositionBased()),
    Column(id="20/20/60", measure="conversions", model=PositionBased(first=20, between=20, last=60)),
    Column(id="decay", measure="conversions", model=TimeDecay()),
    Column(id="every", measure="conversions", model="every touch"),
    Column(id="spot", measure="conversions", model="on the spot"),
    Column(id="linear, 7 days", measure="value", model="linear", reach=7),
    Column(id="linear, own visit", measure="value", model="linear", reach="own visit"),
]


def linear_sql(period: Period = MONTH) -> str:
    """Conversions of a period shared out linearly among the channels of the visits before, direct ones passed over."""
    first, last = period.bounds(ZONE)
    return f"""
    WITH c AS (SELECT row, visit, visitor, ts FROM hits WHERE kind = 2 AND name = 'book' AND ts BETWEEN {first} AND {last - 1}),
         t AS (SELECT c.row, w.channel, w.source = 'direct' AS direct FROM c JOIN visits w
               ON w.visitor = c.visitor AND w.visit <= c.visit AND w.start >= c.ts - {DAYS * 86_400_000}),
         n AS (SELECT row, count(*) FILTER (NOT direct) AS others, count(*) AS every FROM t GROUP BY row)
    SELECT channel, sum(1.0 / CASE WHEN others > 0 THEN others ELSE every END) FROM t JOIN n ON n.row = t.row WHERE NOT direct OR others = 0 GROUP BY 1"""


def main() -> None:
    """Measure for so many hits."""
    as_started("bench.attribution")
    count = int(sys.argv[1]) if len(sys.argv) > 1 else 10_000_000
    dictionaries = Dictionaries()
    dataset = start(RULES, shipped(), dictionaries, [encode_hits(make(count), dictionaries)])
    duck = into_duckdb(dataset.main.shards)

    def ask(columns: list[Column], dimension: str = "channel") -> TableResult:
        for shard in dataset.main.shards:  # conversions are looked up anew
            shard._kept.clear()
        request = TableRequest(period=MONTH, versus="none", goal=1, dimensions=[dimension], columns=columns, limit=10_000)
        return table(ReportContext(dataset.shards, ZONE), request, {1: GOAL})

    found = ask(TEN)
    ours = dict(zip((row[0] for row in found.rows), found.columns[0].values, strict=True))
    theirs = dict(duck.execute(linear_sql()).fetchall())
    assert ours.keys() == theirs.keys()
    assert all(abs((ours[name] or 0) - theirs[name]) <= 1e-9 * max(theirs[name], 1) for name in theirs), (ours, theirs)
    together, query = _timed(lambda: ask(TEN)), _timed(lambda: duck.execute(linear_sql()).fetchall())
    print(json.dumps({"ten columns, ms": round(together * 1000), "duckdb, one, ms": round(query * 1000), "ratio": round(together / query, 2)}), flush=True)
    print(json.dumps({"alone, ms": {one.id: round(_timed(partial(ask, [one])) * 1000) for one in TEN}}), flush=True)
    print(json.dumps({"ten columns by page, ms": round(_timed(lambda: ask(TEN, "page")) * 1000)}), flush=True)


if __name__ == "__main__":
    main()
