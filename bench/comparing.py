"""Two groups of ten million hits held against each other, over all dimensions at once. Run: ./compass bench comparing [hits].

Group A fits a segment of three conditions, one of them *did in order*, and is held against the rest, in people: over all dimensions, and by each one
alone. Then Worth a look, against the slowest single table of one dimension with its versus, and against the slowest that it reads itself. Medians of five; nothing is kept from one time to the next.
"""

from __future__ import annotations

import json
import sys
from collections.abc import Callable
from functools import partial

from bench.allocators import as_started
from bench.asking import ORDERED, SCROLLED
from bench.data import RULES, make
from bench.reports import MONTH, ZONE, _timed, columns
from upper_compass.core.dataset.coded_hits import Dictionaries, encode_hits
from upper_compass.core.definitions.comparisons import CompareRequest
from upper_compass.core.definitions.requests import TableRequest
from upper_compass.core.engine.comparison import own_dimensions
from upper_compass.core.engine.context import ReportContext
from upper_compass.core.engine.dimensions import DIMENSIONS
from upper_compass.core.engine.selection import ReportFilter
from upper_compass.core.engine.tally import GroupBy
from upper_compass.core.insights.looking import worth_a_look
from upper_compass.core.insights.models import InsightsRequest
from upper_compass.core.insights.moving import Windows
from upper_compass.core.reports.compare import compare
from upper_compass.core.reports.tables import table
from upper_compass.frames.site_dataset import start
from upper_compass.reference import shipped


def main() -> None:
    """Measure for so many hits."""
    as_started("bench.comparing")
    count = int(sys.argv[1]) if len(sys.argv) > 1 else 10_000_000
    dictionaries = Dictionaries()
    dataset = start(RULES, shipped(), dictionaries, [encode_hits(make(count), dictionaries)])

    def ask(dimensions: list[str]) -> None:
        for shard in dataset.main.shards:  # masks are worked out anew
            shard._kept.clear()
        compare(ReportContext(dataset.shards, ZONE), CompareRequest(period=MONTH, group=ORDERED, dimensions=dimensions), {})

    names = [dimension.name for dimension in own_dimensions(ReportContext(dataset.shards, ZONE))]
    alone = {name: round(_timed(partial(ask, [name])) * 1000, 1) for name in names}
    slowest = max(alone, key=lambda name: alone[name])
    together = round(_timed(lambda: ask([])) * 1000, 1)
    print(json.dumps({"all, ms": together, "slowest alone": slowest, "ms": alone[slowest], "ratio": round(together / alone[slowest], 2)}), flush=True)
    print(json.dumps({"alone, ms": dict(sorted(alone.items(), key=lambda pair: -pair[1]))}), flush=True)

    def forgetting(what: Callable[[ReportContext], object]) -> float:
        def anew() -> None:
            for shard in dataset.main.shards:
                shard._kept.clear()
            what(ReportContext(dataset.shards, ZONE))

        return round(_timed(anew) * 1000, 1)

    counted = columns(["visits", "conversions"])
    asked = InsightsRequest(period=MONTH, goal=1)
    looked = forgetting(lambda context: worth_a_look(context, asked, {1: SCROLLED}))

    def by(name: str, context: ReportContext) -> object:
        return table(context, TableRequest(period=MONTH, versus="before", dimensions=[name], columns=counted, goal=1), {1: SCROLLED})

    tables = {name: forgetting(partial(by, name)) for name in names}
    slowest = max(tables, key=lambda name: tables[name])
    told = {"worth a look, ms": looked, "slowest table": slowest, "ms": tables[slowest], "ratio": round(looked / tables[slowest], 2)}
    print(json.dumps(told), flush=True)

    def over_windows(context: ReportContext) -> None:
        windows = Windows.before(*MONTH.bounds(ZONE))
        by = GroupBy((DIMENSIONS["page"],), windows.edges, columns=frozenset({"visits"}))
        context.tally(ReportFilter(windows.edges[0], windows.edges[-1]), by)

    own = forgetting(over_windows)
    print(json.dumps({"slowest table of its own": "page, over nine windows", "ms": own, "ratio": round(looked / own, 2)}), flush=True)


if __name__ == "__main__":
    main()
