"""The registry of measures (rules, chapter 6). Adding one is one entry here, and one in `tally.py` when it needs a new sum."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass
from typing import Literal

import numpy as np

from upper_compass.core.dataset.coded_hits import Floats

# From additive columns by name (f64), a row each, to the measure (f64), NaN over nothing.
Formula = Callable[[Mapping[str, Floats]], Floats]
Unit = Literal["count", "percent", "number", "seconds", "money"]
Chance = Literal["count", "share", "mean", "sum", "none"]


@dataclass(frozen=True)
class Measure:
    """One measure, computed from additive columns.

    `needs`: the columns; `of`: the measure from them. `chance`: how far it moves by chance alone (see `statistics.py`), from
    `parts`: for a share (successes, tries), for a mean (sum, sum of squares, count), for a sum (sum, sum of squares), for a count itself.
    `distinct`: counts people or the like, so parts of a whole cannot be added up. `better`: which way is good. `hidden`: no site has a record of it yet,
    so no screen offers it.
    """

    name: str
    title: str
    unit: Unit
    meaning: str
    formula: str
    needs: tuple[str, ...]
    of: Formula
    chance: Chance
    parts: tuple[str, ...] = ()
    distinct: bool = False
    better: Literal["more", "less", "neither"] = "more"
    hidden: bool = False


def _sum(name: str) -> Formula:
    return lambda sums: sums[name]


def _ratio(above: str, below: str, times: float = 1.0) -> Formula:
    def ratio(sums: Mapping[str, Floats]) -> Floats:
        counted, of = sums[above] * times, sums[below]
        return np.divide(counted, of, out=np.full(len(of), np.nan), where=of > 0)

    return ratio


def _count(name: str, title: str, meaning: str, formula: str, *, distinct: bool = False, better: Literal["more", "less", "neither"] = "more") -> Measure:
    return Measure(name, title, "count", meaning, formula, (name,), _sum(name), "count", (name,), distinct, better)


def _share(
    name: str, title: str, meaning: str, formula: str, above: str, below: str, *, distinct: bool = False, better: Literal["more", "less", "neither"] = "more"
) -> Measure:
    return Measure(name, title, "percent", meaning, formula, (above, below), _ratio(above, below), "share", (above, below), distinct, better)


def _mean(name: str, title: str, unit: Unit, meaning: str, formula: str, of: str, per: str = "visits") -> Measure:
    scale = 0.001 if unit == "seconds" else 1.0
    parts = (of, f"{of}_squared", per)
    return Measure(name, title, unit, meaning, formula, parts, _ratio(of, per, scale), "mean", parts)


def _registry(*measures: Measure) -> dict[str, Measure]:
    return {measure.name: measure for measure in measures}


MEASURES = _registry(
    _count("visitors", "Visitors", "Browsers that were on the site.", "distinct visitors with a hit in the period", distinct=True),
    _count("visits", "Visits", "Times somebody came; a pause ends a visit, and so does coming anew from elsewhere.", "visits that started in the period"),
    _count("views", "Views", "Pages shown.", "view hits in the period"),
    _count("new_visitors", "New visitors", "Visitors never seen before.", "visitors whose first ever visit started in the period"),
    _count("bounces", "Bounces", "Visits that saw one page and did nothing there.", "visits with one view, no active event and no order", better="less"),
    _share("bounce_rate", "Bounce rate", "How many visits saw one page and did nothing there.", "bounces ÷ visits", "bounces", "visits", better="less"),
    _mean("views_per_visit", "Views per visit", "number", "How many pages a visit sees.", "views of the visits ÷ visits", "visit_views"),
    _mean("time_per_visit", "Time per visit", "seconds", "How long a visit lasts, from its first hit to its last.", "sum of durations ÷ visits", "duration"),
    _mean("engaged_per_visit", "Engaged time per visit", "seconds", "How long pages were visible and in use.", "sum of engaged time ÷ visits", "engaged"),
    _count("entries", "Entries", "Visits that began here.", "visits with this entry page"),
    Measure(
        "reached_later", "Gone on to", "count", "Visits that saw the page and began elsewhere.", "visits that saw it − entries",
        ("seen", "entries"), lambda sums: sums["seen"] - sums["entries"], "none", better="neither",
    ),
    _share(
        "entry_rate", "Entered by", "How many of the visits that saw the page began there.", "entries ÷ visits that saw it",
        "entries", "seen", better="neither",
    ),
    _count("exits", "Exits", "Visits that ended here.", "visits with this exit page", better="neither"),
    _share("exit_rate", "Exit rate", "How many of the visits that saw the page ended there.", "exits ÷ visits that saw it", "exits", "seen", better="neither"),
    Measure(
        "time_on_page", "Time on page", "seconds", "How long the page was visible and in use each time it was shown.",
        "engaged time on the page ÷ its views", ("page_engaged", "views"), _ratio("page_engaged", "views", 0.001), "none",
    ),
    _count("people", "People", "Visitors who did it.", "distinct visitors with the event in the period", distinct=True),
    _count("times", "Times", "How often it was done.", "event hits in the period"),
    Measure(
        "event_value", "Event value", "money", "What the events were said to be worth.", "sum of the values of the event hits",
        ("event_value", "event_value_squared"), _sum("event_value"), "sum", ("event_value", "event_value_squared"),
    ),
    _count("conversions", "Conversions", "How often the goal was reached.", "counted matches of the goal in the period"),
    _count("converting_visits", "Converting visits", "Visits that reached the goal.", "visits that started in the period and hold a conversion"),
    _count("converters", "Converters", "Visitors who reached the goal.", "distinct visitors with a conversion in the period", distinct=True),
    _share("conversion_rate", "Conversion rate", "How many visits reach the goal.", "converting visits ÷ visits", "converting_visits", "visits"),
    _share(
        "people_conversion_rate", "People's conversion rate", "How many visitors reach the goal.", "converters ÷ visitors",
        "converters", "visitors", distinct=True,
    ),
    Measure(
        "value", "Value", "money", "What the conversions are worth, as the goal says.", "sum of the values of the conversions",
        ("value", "value_squared"), _sum("value"), "sum", ("value", "value_squared"),
    ),
    Measure(
        "value_per_visit", "Value per visit", "money", "What a visit is worth on average.", "value ÷ visits",
        ("value", "visits"), _ratio("value", "visits"), "none",
    ),
    _count("orders", "Orders", "Purchases; the same order sent twice counts once.", "order hits in the period"),
    Measure(
        "revenue", "Revenue", "money", "The totals of the orders.", "sum of the totals of the orders",
        ("revenue", "revenue_squared"), _sum("revenue"), "sum", ("revenue", "revenue_squared"),
    ),
    Measure(
        "average_order", "Average order", "money", "What an order comes to on average.", "revenue ÷ orders",
        ("revenue", "revenue_squared", "orders"), _ratio("revenue", "orders"), "mean", ("revenue", "revenue_squared", "orders"),
    ),
    Measure(
        "spend", "Spend", "money", "What was paid for visits to come.", "sum of what was spent", ("spend",), _sum("spend"), "none",
        better="less", hidden=True,
    ),
)  # fmt: skip


def measured_parts(measure: Measure) -> list[str]:
    """The measures that a measure is computed from, itself left out."""
    return [name for name in measure.needs if name in MEASURES and name != measure.name]
