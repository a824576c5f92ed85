"""A funnel of five steps with a window, and paths three steps either way, of ten million hits, against a hand-written DuckDB query each.

Run: ./compass bench sequences [hits]. Over 28 days, in one process with two threads on both sides. The query of the funnel finds the earliest next
step behind each hit of the first one (ASOF joins); that of the paths leaves out repeats and looks three pages on and back from the first view of the
centre. Both give the same counts as this side; this side's funnel also tells times, who was lost where to, and how many match each step alone. Medians
of five in one run; nothing is kept from one time to the next.
"""

from __future__ import annotations

import json
import sys
from collections.abc import Callable
from functools import partial

from bench.allocators import as_started
from bench.data import RULES, make
from bench.reports import MONTH, ZONE, _timed, into_duckdb
from upper_compass.core.dataset.coded_hits import Dictionaries, encode_hits
from upper_compass.core.definitions.funnels import Funnel, FunnelRequest
from upper_compass.core.definitions.paths import OpenedNode, PathsRequest, PathsResult
from upper_compass.core.definitions.periods import Period
from upper_compass.core.definitions.ways import Centre, WayStep
from upper_compass.core.engine.context import ReportContext
from upper_compass.core.reports.funnel import funnel
from upper_compass.core.reports.paths import paths
from upper_compass.frames.site_dataset import start
from upper_compass.reference import shipped

WINDOW_MINUTES = 20
_VIEWS = [{"kind": "view", "page": {"test": "is", "value": page}} for page in ("/p0", "/p1")]
STEPS = [*_VIEWS, {"kind": "view"}, {"kind": "event", "names": ["scroll depth"]}, {"kind": "event", "names": ["book"]}]
_STEPS_SQL = ("kind = 1 AND page = '/p0'", "kind = 1 AND page = '/p1'", "kind = 1", "kind = 2 AND name = 'scroll depth'", "kind = 2 AND name = 'book'")
CENTRE = "/p0"


def _inside(period: Period) -> str:
    first, last = period.bounds(ZONE)
    return f"BETWEEN {first} AND {last - 1}"


def _funnel_sql(units: str, period: Period = MONTH) -> str:
    """How many units reach each step; `units`: visits, or people."""
    unit = "visit" if units == "visits" else "visitor"
    started = f"AND visit IN (SELECT visit FROM visits WHERE start {_inside(period)})" if units == "visits" else ""
    parts = [f"s{i} AS (SELECT {unit} AS u, row, ts FROM hits WHERE ts {_inside(period)} {started} AND {step})" for i, step in enumerate(_STEPS_SQL)]
    parts.append("c0 AS (SELECT u, row, ts, ts AS began FROM s0)")
    for i in range(1, len(_STEPS_SQL)):
        joined = f"SELECT c.u, s.row, s.ts, c.began FROM c{i - 1} c ASOF JOIN s{i} s ON s.u = c.u AND c.row < s.row"
        parts.append(f"c{i} AS (SELECT * FROM ({joined}) WHERE ts - began <= {WINDOW_MINUTES * 60_000})")
    return f"WITH {', '.join(parts)} SELECT " + ", ".join(f"(SELECT count(DISTINCT u) FROM c{i})" for i in range(len(_STEPS_SQL)))


def _paths_sql() -> str:
    """Visits by the three steps behind the centre, and by the three before it; an empty step: the visit had ended, or not begun."""
    near = [f"{side}(page, {i}, '') OVER w AS {side}_{i}" for side in ("lead", "lag") for i in (1, 2, 3)]
    sets = [", ".join(f"{side}_{i}" for i in (1, 2, 3)) for side in ("lead", "lag")]
    return f"""
    WITH held AS (SELECT visit, min(row) AS first FROM hits WHERE kind = 1 AND page = '{CENTRE}'
                  AND visit IN (SELECT visit FROM visits WHERE start {_inside(MONTH)}) GROUP BY 1),
         v AS (SELECT h.visit, row, page, lag(page) OVER (PARTITION BY h.visit ORDER BY row) AS last
               FROM hits h JOIN held ON held.visit = h.visit WHERE kind = 1),
         s AS (SELECT visit, row, {", ".join(near)} FROM v WHERE page IS DISTINCT FROM last WINDOW w AS (PARTITION BY visit ORDER BY row))
    SELECT {sets[0]}, {sets[1]}, count(*) FROM s JOIN held ON held.visit = s.visit AND held.first = s.row GROUP BY GROUPING SETS (({sets[0]}), ({sets[1]}))"""


def _opened() -> list[OpenedNode]:
    """The centre, the largest behind it, and the largest behind that: three steps."""
    chains = [[], [WayStep(of="page", value="/p1")], [WayStep(of="page", value="/p1"), WayStep(of="page", value=CENTRE)]]
    return [OpenedNode(chain=chain, most=100) for chain in chains]


def _same_ways(found: PathsResult, rows: list[tuple[str | int | None, ...]]) -> None:
    for branches, offset in ((found.forward, 0), (found.backward, 3)):
        for one in branches:
            chain = [step.value for step in one.chain]
            theirs: dict[str | int | None, int] = {}
            for row in rows:
                steps = row[offset : offset + 3]
                if steps[0] is not None and list(steps[: len(chain)]) == chain:
                    theirs[steps[len(chain)]] = theirs.get(steps[len(chain)], 0) + int(row[-1] or 0)
            assert one.ended.visits == theirs.pop("", 0)
            assert all(node.visits == theirs[node.step.value] for node in one.nodes)
            assert sum(theirs.values()) == sum(node.visits for node in one.nodes) + one.more.visits


def main() -> None:
    """Measure for so many hits."""
    as_started("bench.sequences")
    count = int(sys.argv[1]) if len(sys.argv) > 1 else 10_000_000
    dictionaries = Dictionaries()
    dataset = start(RULES, shipped(), dictionaries, [encode_hits(make(count), dictionaries)])
    duck = into_duckdb(dataset.main.shards)

    def reading() -> ReportContext:
        for shard in dataset.main.shards:
            shard._kept.clear()
        return ReportContext(dataset.shards, ZONE)

    def compared(name: str, mine: Callable[[], object], query: str) -> None:
        ours, theirs = _timed(mine), _timed(lambda: duck.execute(query).fetchall())
        print(json.dumps({name: {"ms": round(ours * 1000), "duckdb, ms": round(theirs * 1000), "ratio": round(ours / theirs, 2)}}), flush=True)

    for units in ("visits", "people"):
        asked = Funnel.model_validate({"steps": STEPS, "units": units, "window_minutes": WINDOW_MINUTES})
        request = FunnelRequest(period=MONTH, versus="none", funnel=asked)
        ours, theirs = funnel(reading(), request).whole.reached, duck.execute(_funnel_sql(units)).fetchall()[0]
        assert tuple(ours) == theirs, (ours, theirs)
        compared(f"funnel of {units}", partial(_funnel_of, reading, request), _funnel_sql(units))
    ways = PathsRequest(period=MONTH, versus="none", centre=Centre(dimension="page", value=CENTRE), forward=_opened(), backward=_opened())
    _same_ways(paths(reading(), ways, {}), duck.execute(_paths_sql()).fetchall())
    compared("paths", lambda: paths(reading(), ways, {}), _paths_sql())


def _funnel_of(reading: Callable[[], ReportContext], request: FunnelRequest) -> object:
    return funnel(reading(), request)


if __name__ == "__main__":
    main()
