"""What the screens of Tag and Watch ask of ten million hits, against the report by page over 28 days. Run: ./compass bench tagging [hits].

All in one process, one after the other, medians of five; the yardstick is timed in the same run.
"""

from __future__ import annotations

import json
import sys
import time
from datetime import timedelta
from functools import partial

import numpy as np
import polars as pl

from bench.allocators import as_started
from bench.data import GOAL, RULES, make
from bench.reports import LAST, MONTH, PAGE_MEASURES, ZONE, _timed, columns
from upper_compass.core.dataset.coded_hits import Dictionaries, encode_hits, in_order
from upper_compass.core.dataset.conversions import Conversions, conversions
from upper_compass.core.dataset.lookups import DimensionLookups
from upper_compass.core.dataset.shard import Shard
from upper_compass.core.definitions.goals import Goal
from upper_compass.core.definitions.hits import Kind
from upper_compass.core.definitions.periods import Period, midnight
from upper_compass.core.definitions.requests import TableRequest
from upper_compass.core.definitions.site_rules import Alias
from upper_compass.core.engine.context import ReportContext
from upper_compass.core.engine.selection import ReportFilter
from upper_compass.core.reports.event_list import events
from upper_compass.core.reports.goal_preview import preview_goal
from upper_compass.core.reports.real_time import arrivals, newest_seq, present
from upper_compass.core.reports.tables import table
from upper_compass.core.tag_health import HISTORY, Inspection, look
from upper_compass.core.tagging.reclassification import reclassification_preview
from upper_compass.frames.site_dataset import start
from upper_compass.reference import shipped

SETS = 40_000
PLACES = {"key": "places", "test": "≥", "value": 3.0}


def _with_properties(hits: pl.DataFrame, dictionaries: Dictionaries) -> pl.DataFrame:
    """Every event with one of so many distinct sets of properties."""
    sets = pl.Series([json.dumps({"places": i % 9, "course": f"course {i}", "gift": i % 7 == 0}) for i in range(SETS)])
    codes = pl.Series(dictionaries["props"].encode(sets))
    spread = codes.gather(pl.Series(np.arange(len(hits)) % SETS))
    return hits.with_columns(pl.when(pl.col("kind") == int(Kind.event)).then(spread).otherwise(0).cast(pl.UInt32).alias("props"))


def measure(count: int) -> dict[str, object]:
    """Milliseconds of each, and how many times the yardstick that is."""
    dictionaries = Dictionaries()
    ordered = _with_properties(in_order(encode_hits(make(count), dictionaries)), dictionaries)
    lookups = DimensionLookups(RULES, shipped(), dictionaries)
    shard = Shard.of(ordered, lookups, np.empty(0, np.int64))
    reading = ReportContext(start(RULES, shipped(), dictionaries, [ordered]).shards, ZONE)
    today = LAST + timedelta(days=1)
    midnights = [midnight(today - timedelta(days=back), ZONE) for back in range(HISTORY, -1, -1)]
    month = ReportFilter(*MONTH.bounds(ZONE))
    quarter = ReportFilter(*Period(first=today - timedelta(days=90), last=today).bounds(ZONE))
    joined = RULES.model_copy(update={"aliases": [Alias(field="medium", this="cpc", that="email")]})
    by_page = TableRequest(period=MONTH, versus="none", goal=1, dimensions=["page"], columns=columns(PAGE_MEASURES), limit=10_000)
    asked = {
        "tag health": lambda: look(Inspection(reading, RULES, midnights, midnights[-1] + 1, [("Bookings", GOAL)])),
        "events": lambda: events(reading, month, RULES),
        "goal preview": lambda: preview_goal(reading, ReportFilter(*MONTH.bounds(ZONE), goal=GOAL, keep=False)),
        "what another alias moves in 90 days": lambda: reclassification_preview(reading, quarter, joined, shipped()),
        "now": lambda: (arrivals(reading, newest_seq(reading) - 50, 50), present(reading, midnights[-1])),
    }
    plain, tested = (Goal.model_validate({"match": {"kind": "event", "names": GOAL.match.names, "props": props}}) for props in ([], [PLACES]))

    def count_goal(goal: Goal) -> Conversions:
        return conversions(goal, ordered, shard.derived, lookups)

    began = time.perf_counter()
    count_goal(tested)
    first = time.perf_counter() - began
    without, with_test = (_timed(partial(count_goal, goal)) for goal in (plain, tested))
    yardstick = _timed(lambda: table(reading, by_page, {1: GOAL}))
    told: dict[str, object] = {"hits": count, "by page, 28 days, ms": round(yardstick * 1000, 1)}
    told[f"a goal with a test on a property, {SETS:,} distinct sets"] = {
        "ms": round(with_test * 1000, 1), "ms_without_it": round(without * 1000, 1), "ratio": round(with_test / without, 2),
        "the first time, with the sets parsed, ms": round(first * 1000, 1), "ratio of the first time": round(first / without, 2),
    }  # fmt: skip
    for name, run in asked.items():
        took = _timed(run)
        told[name] = {"ms": round(took * 1000, 1), "ratio": round(took / yardstick, 2)}
    return told


def main() -> None:
    """Measure for so many hits."""
    as_started("bench.tagging")
    print(json.dumps(measure(int(sys.argv[1]) if len(sys.argv) > 1 else 10_000_000)))


if __name__ == "__main__":
    main()
