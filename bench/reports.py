"""Ten reports on ten million hits, against a hand-written DuckDB query each, in one process. Run: ./compass bench reports [hits].

Both read columns in memory: this side the core's frames, DuckDB its own tables of the same hits and of the same derived visits. Both have two
threads. Each report must give the same figures on both sides; then each is timed five times, medians are compared.
"""

from __future__ import annotations

import ctypes
import gc
import json
import os
import statistics
import sys
import tempfile
import threading
import time
from collections.abc import Callable, Iterator, Sequence
from concurrent.futures import ProcessPoolExecutor
from datetime import date, timedelta
from functools import partial
from multiprocessing import get_context
from typing import Any
from zoneinfo import ZoneInfo

os.environ["POLARS_MAX_THREADS"] = "2"

import duckdb
import numpy as np
import polars as pl
import psutil

from bench.allocators import as_started
from bench.data import GOAL, RULES, make
from upper_compass.core.dataset.coded_hits import CODED, Dictionaries, encode_hits, in_order
from upper_compass.core.dataset.lookups import DimensionLookups
from upper_compass.core.dataset.shard import Shard
from upper_compass.core.dataset.visits import derive
from upper_compass.core.definitions.periods import Period
from upper_compass.core.definitions.requests import Column, ColumnValues, SeriesRequest, TableRequest
from upper_compass.core.engine.context import ReportContext
from upper_compass.core.engine.dimensions import DIMENSIONS
from upper_compass.core.reports.tables import series, table
from upper_compass.frames.site_dataset import start
from upper_compass.reference import shipped

ZONE = ZoneInfo("UTC")
LAST = date(2026, 10, 31)
MONTH = Period(first=LAST - timedelta(days=27), last=LAST)
YEAR = Period(first=LAST - timedelta(days=363), last=LAST)
# What deriving visits reads of a hit; DuckDB's query reads five columns.
DERIVED_FROM = ["seq", "visitor", "at", "kind", "url", "referrer", "name", "engaged_ms", "user_agent", "language", "country", "timezone", "robot", "internal"]
ROUNDS, DERIVINGS = 5, 3
GAP = 30 * 60_000


def _bounds(period: Period) -> str:
    start, stop = period.bounds(ZONE)
    return f"BETWEEN {start} AND {stop - 1}"


def _visit_table(dimension: str, period: Period) -> str:
    """Visits, visitors, views, bounces, conversions, value by a dimension of the visit."""
    inside = _bounds(period)
    return f"""
    WITH v AS (SELECT {dimension} AS k, count(*) AS visits, sum(bounce::int) AS bounces FROM visits WHERE start {inside} GROUP BY 1),
         h AS (SELECT w.{dimension} AS k, sum((h.kind = 1)::int) AS views, count(DISTINCT h.visitor) AS visitors
               FROM hits h JOIN visits w ON w.visit = h.visit WHERE h.ts {inside} GROUP BY 1),
         c AS (SELECT w.{dimension} AS k, count(*) AS conversions, sum(h.value) AS value
               FROM hits h JOIN visits w ON w.visit = h.visit WHERE h.ts {inside} AND h.kind = 2 AND h.name = 'book' GROUP BY 1)
    SELECT coalesce(v.k, h.k, c.k) AS k, coalesce(visits, 0), coalesce(visitors, 0), coalesce(views, 0), coalesce(bounces, 0),
           coalesce(conversions, 0), coalesce(value, 0)
    FROM v FULL JOIN h ON v.k = h.k FULL JOIN c ON coalesce(v.k, h.k) = c.k"""


VISIT_MEASURES = ["visits", "visitors", "views", "bounces", "conversions", "value"]


def _page_table(period: Period) -> str:
    """Views, visits, visitors and conversions by page."""
    inside = _bounds(period)
    return f"""
    WITH h AS (SELECT page AS k, sum((kind = 1)::int) AS views, count(DISTINCT visitor) AS visitors FROM hits WHERE ts {inside} GROUP BY 1),
         v AS (SELECT h.page AS k, count(DISTINCT h.visit) AS visits FROM hits h JOIN visits w ON w.visit = h.visit WHERE w.start {inside} GROUP BY 1),
         c AS (SELECT row, visit FROM hits WHERE kind = 2 AND name = 'book' AND ts {inside}),
         f AS (SELECT visit, page AS k, min(row) AS first FROM hits WHERE visit IN (SELECT visit FROM c) GROUP BY 1, 2),
         g AS (SELECT f.k, count(*) AS conversions FROM f JOIN c ON c.visit = f.visit AND c.row >= f.first GROUP BY 1)
    SELECT coalesce(h.k, v.k) AS k, coalesce(views, 0), coalesce(visits, 0), coalesce(visitors, 0), coalesce(conversions, 0)
    FROM h FULL JOIN v ON h.k = v.k LEFT JOIN g ON g.k = coalesce(h.k, v.k)"""


PAGE_MEASURES = ["views", "visits", "visitors", "conversions"]


def _course(period: Period, bucket: str) -> str:
    """Visits, visitors and views over time."""
    inside = _bounds(period)
    start = f"strftime(date_trunc('{bucket}', make_timestamp(start * 1000)), '%Y-%m-%d')"
    at = start.replace("start", "ts")
    return f"""
    WITH v AS (SELECT {start} AS k, count(*) AS visits FROM visits WHERE start {inside} GROUP BY 1),
         h AS (SELECT {at} AS k, sum((kind = 1)::int) AS views, count(DISTINCT visitor) AS visitors FROM hits WHERE ts {inside} GROUP BY 1)
    SELECT coalesce(v.k, h.k) AS k, coalesce(visits, 0), coalesce(visitors, 0), coalesce(views, 0) FROM v FULL JOIN h ON v.k = h.k"""


COURSE_MEASURES = ["visits", "visitors", "views"]


def columns(measures: Sequence[str]) -> list[Column]:
    """A column for each measure."""
    return [Column(id=name, measure=name) for name in measures]


def _by_row(columns: Sequence[ColumnValues]) -> Iterator[tuple[float, ...]]:
    return zip(*([value or 0 for value in one.values] for one in columns), strict=True)


def reports(reading: ReportContext) -> list[tuple[str, Callable[[], dict[str, list[float]]], str]]:
    """(name, this side, DuckDB's query) of ten reports."""

    def ask_table(dimension: str, period: Period, measures: list[str]) -> Callable[[], dict[str, list[float]]]:
        request = TableRequest(period=period, versus="none", goal=1, dimensions=[dimension], columns=columns(measures), limit=10_000)

        def run() -> dict[str, list[float]]:
            found = table(reading, request, {1: GOAL})
            return {row[0]: list(figures) for row, figures in zip(found.rows, _by_row(found.columns), strict=True)}

        return run

    def ask_series(period: Period, bucket: str) -> Callable[[], dict[str, list[float]]]:
        request = SeriesRequest.model_validate({"period": period, "versus": "none", "columns": columns(COURSE_MEASURES), "bucket": bucket})

        def run() -> dict[str, list[float]]:
            found = series(reading, request, {})
            return dict(zip(found.at, map(list, _by_row(found.columns)), strict=True))

        return run

    made = []
    for name, period in (("28 days", MONTH), ("364 days", YEAR)):
        for dimension in ("channel", "entry_page", "device"):
            made.append((f"{dimension}, {name}", ask_table(dimension, period, VISIT_MEASURES), _visit_table(dimension, period)))
        made.append((f"page, {name}", ask_table("page", period, PAGE_MEASURES), _page_table(period)))
    made.append(("by day, 28 days", ask_series(MONTH, "day"), _course(MONTH, "day")))
    made.append(("by day, 364 days", ask_series(YEAR, "day"), _course(YEAR, "day")))
    return made


def _timed(run: Callable[[], object], rounds: int = ROUNDS) -> float:
    times = []
    for _ in range(rounds):
        began = time.perf_counter()
        run()
        times.append(time.perf_counter() - began)
    return statistics.median(times)


def into_duckdb(shards: Sequence[Shard]) -> duckdb.DuckDBPyConnection:
    """The same hits and the same derived visits as tables; dimensions as texts."""
    visits_before = rows_before = 0
    parts = []
    for shard in shards:
        parts.append(_tables(shard, visits_before, rows_before))
        visits_before, rows_before = visits_before + len(shard.derived.visits), rows_before + len(shard.hits)
    v, h = (pl.concat(tables) for tables in zip(*parts, strict=True))  # noqa: RUF059 - DuckDB finds them by name
    connection = duckdb.connect(config={"threads": 2})
    connection.execute("CREATE TABLE visits AS SELECT * FROM v")
    connection.execute("CREATE TABLE hits AS SELECT * FROM h")
    return connection


def _tables(shard: Shard, visits_before: int, rows_before: int) -> tuple[pl.DataFrame, pl.DataFrame]:
    lookups = shard.lookups
    words = lookups.labels.texts
    visits = np.arange(len(shard.derived.visits), dtype=np.int32)

    def text(codes: np.ndarray) -> pl.Series:
        return words.gather(pl.Series(codes))

    v = pl.DataFrame(
        {"visit": visits + visits_before, "visitor": shard.visit("visitor"), "start": shard.visit("start"), "bounce": shard.visit("bounce")}
        | {name: text(DIMENSIONS[name].read(shard, visits)) for name in ("channel", "entry_page", "device", "source")}
    )
    with_visit = shard.derived.visit_of >= 0  # an engage before any visit is ignored on both sides
    h = pl.DataFrame(
        {
            "row": np.arange(rows_before, rows_before + len(shard.hits), dtype=np.int32),
            "visit": shard.derived.visit_of + np.int32(visits_before),
            "visitor": shard.hit("visitor"),
            "ts": shard.hit("at"),
            "kind": shard.hit("kind"),
            "value": shard.hit("value"),
            "page": text(lookups["page"][shard.hit("url")]),
            "name": lookups.dictionaries["name"].texts.gather(shard.hits["name"]),
        }
    ).filter(with_visit)
    return v, h


_NUMBERED = f"""
WITH ordered AS (
    SELECT *, lag(ts) OVER w AS before, last_value(CASE WHEN traffic_source >= 0 THEN traffic_source END IGNORE NULLS) OVER (w ROWS BETWEEN UNBOUNDED PRECEDING AND 1 PRECEDING) AS held
    FROM raw WINDOW w AS (PARTITION BY visitor ORDER BY ts, seq)
), numbered AS (
    SELECT *, sum((before IS NULL OR ts - before > {GAP} OR (traffic_source >= 0 AND traffic_source IS DISTINCT FROM held))::int)
              OVER (PARTITION BY visitor ORDER BY ts, seq ROWS UNBOUNDED PRECEDING) AS number
    FROM ordered)"""
# The window query alone: the number of each hit's visit.
_WINDOW = f"CREATE OR REPLACE TABLE derived AS {_NUMBERED} SELECT visitor, number, ts, kind FROM numbered"
# With the columns that this side derives of each visit.
_VISITS = f"""CREATE OR REPLACE TABLE derived AS {_NUMBERED}
SELECT visitor, number, min(ts) AS start, max(ts) FILTER (kind != 4) AS stop, max(ts) AS until, sum(engaged_ms) AS engaged,
       count(*) FILTER (kind = 1) AS views, count(*) FILTER (active) AS acted, arg_min(url, ts) FILTER (kind = 1) AS entry,
       arg_max(url, ts) FILTER (kind = 1) AS exit, arg_min(traffic_source, ts) FILTER (kind = 1) AS traffic_source, arg_min(user_agent, ts) AS agent,
       arg_min(language, ts) AS language, arg_min(timezone, ts) AS country, arg_min(robot OR internal, ts) AS excluded
FROM numbered GROUP BY visitor, number"""


# Hits are handed over in so many parts, as a snapshot holds them.
PARTS = 8


class Peak:
    """The most resident memory at any time while it watches, in bytes."""

    def __enter__(self) -> Peak:
        self._process = psutil.Process()
        self._ended = threading.Event()
        self.most = 0
        self._watch = threading.Thread(target=self._look)
        self._watch.start()
        return self

    def _look(self) -> None:
        while not self._ended.wait(0.005):
            self.most = max(self.most, self._process.memory_info().rss)

    def __exit__(self, *_: object) -> None:
        self._ended.set()
        self._watch.join()


def _release() -> None:
    """Give freed memory back to the system, so that what is resident is what is held."""
    gc.collect()
    ctypes.CDLL("libc.so.6").malloc_trim(0)


def _memory(folder: str) -> float:
    """Bytes that deriving and the ten reports take at most, beyond the raw columns; in a process of its own, with all that it does not give back."""
    texts = {name: pl.read_ipc(f"{folder}/{name}.arrow")["text"] for name in CODED}
    dictionaries = Dictionaries(texts)
    _release()
    before = psutil.Process().memory_info().rss
    hits = [pl.read_parquet(f"{folder}/hits-{part}.parquet") for part in range(PARTS)]
    raw = sum(part.estimated_size() for part in hits)
    _release()
    with Peak() as peak:
        dataset = start(RULES, shipped(), dictionaries, hits)
        for _, mine, _ in reports(ReportContext(dataset.shards, ZONE)):
            mine()
    return peak.most - before - raw


def _memory_of(hits: pl.DataFrame, dictionaries: Dictionaries) -> float:
    with tempfile.TemporaryDirectory() as folder, ProcessPoolExecutor(1, get_context("spawn")) as pool:
        for name in CODED:
            dictionaries[name].texts.to_frame("text").write_ipc(f"{folder}/{name}.arrow")
        for part in range(PARTS):
            hits.gather_every(PARTS, part).write_parquet(f"{folder}/hits-{part}.parquet", compression="lz4")
        return pool.submit(_memory, folder).result()


def measure(count: int) -> dict[str, object]:
    """All figures for so many hits."""
    dictionaries = Dictionaries()
    coded = encode_hits(make(count), dictionaries)
    lookups = DimensionLookups(RULES, shipped(), dictionaries)
    shuffled = coded.sample(fraction=1, shuffle=True, seed=1)
    del coded
    read = shuffled.select(DERIVED_FROM)
    order_s = _timed(partial(in_order, read), DERIVINGS)
    order_all_s = _timed(partial(in_order, shuffled), DERIVINGS)
    ordered = in_order(shuffled)
    del shuffled, read
    derive_s = _timed(lambda: derive(ordered, lookups, np.empty(0, np.int64)), DERIVINGS)
    memory = _memory_of(ordered, dictionaries)
    dataset = start(RULES, shipped(), dictionaries, [ordered])
    runs = reports(ReportContext(dataset.shards, ZONE))
    raw = ordered.sample(fraction=1, shuffle=True, seed=2)
    traffic_source, active = _origin_of(raw, lookups), (raw["kind"] == 2) & ~pl.Series(lookups["passive"])[raw["name"]]
    raw = raw.select(DERIVED_FROM).rename({"at": "ts"}).with_columns(pl.Series("traffic_source", traffic_source), active.alias("active"))
    connection = into_duckdb(dataset.main.shards)
    connection.execute("CREATE TABLE raw AS SELECT * FROM raw")
    window_s, visits_s = (_timed(partial(connection.execute, query), DERIVINGS) for query in (_WINDOW, _VISITS))
    rows: list[dict[str, Any]] = []
    for name, mine, query in runs:
        theirs = {row[0]: [float(x) for x in row[1:]] for row in connection.execute(query).fetchall()}
        found = mine()
        same = {k: v for k, v in found.items() if any(v)} == {k: v for k, v in theirs.items() if any(v)} or _close(found, theirs)
        ours, duck = _timed(mine), _timed(partial(fetched, connection, query))
        rows.append({"report": name, "same": same, "ms": round(ours * 1000, 1), "duckdb_ms": round(duck * 1000, 1), "ratio": round(ours / duck, 2)})
        print(json.dumps(rows[-1]), flush=True)
    return {
        "hits": count, "visits": sum(len(shard.derived.visits) for shard in dataset.main.shards), "order_s": round(order_s, 2), "order_all_columns_s": round(order_all_s, 2), "derive_s": round(derive_s, 2), "duckdb_window_s": round(window_s, 2), "duckdb_visits_s": round(visits_s, 2),
        "ratio_to_window": round((order_s + derive_s) / window_s, 2), "ratio_to_visits": round((order_s + derive_s) / visits_s, 2),
        "bytes_per_hit_beyond_raw_at_most": round(memory / count, 1),
        "raw_bytes_per_hit": round(ordered.estimated_size() / count, 1),
        "total_ms": round(sum(row["ms"] for row in rows), 1), "all_same": all(row["same"] for row in rows), "worst_ratio": max(row["ratio"] for row in rows),
    }  # fmt: skip


def fetched(connection: duckdb.DuckDBPyConnection, query: str) -> list[Any]:
    """What a query gives."""
    return connection.execute(query).fetchall()


def _close(mine: dict[str, list[float]], theirs: dict[str, list[float]]) -> bool:
    something = {k: v for k, v in theirs.items() if any(v)}
    return something.keys() == {k for k, v in mine.items() if any(v)} and all(np.allclose(mine[k], v, rtol=1e-12) for k, v in something.items())


def _origin_of(hits: pl.DataFrame, lookups: DimensionLookups) -> np.ndarray:
    """Evidence of each hit, worked out beforehand for DuckDB, which is spared reading addresses."""
    found = lookups["url_source"][hits["url"].to_numpy()]
    return np.where((hits["kind"].to_numpy() == 1) & (found >= 0), lookups["source_key"][np.maximum(found, 0)], -1).astype(np.int32)


def main() -> None:
    """Measure at a tenth of the hits and at all of them."""
    as_started("bench.reports")
    count = int(sys.argv[1]) if len(sys.argv) > 1 else 10_000_000
    small = measure(count // 10)
    print(json.dumps(small), flush=True)
    large = measure(count)
    print(json.dumps(large), flush=True)
    print(json.dumps({"growth_from_a_tenth": round(large["total_ms"] / small["total_ms"], 2)}))  # type: ignore[operator]


if __name__ == "__main__":
    main()
