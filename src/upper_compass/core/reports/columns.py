"""The columns of a report: what is tallied for them, and their figures as whole columns."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import dataclass, replace
from functools import cached_property

import numpy as np
import polars as pl
from pydantic import BaseModel

from upper_compass.core.dataset.coded_hits import Floats
from upper_compass.core.definitions.attribution import USUAL_REACH, CreditModel
from upper_compass.core.definitions.goals import Counted, Goal, ProductSales
from upper_compass.core.definitions.periods import Period
from upper_compass.core.definitions.requests import Column, ColumnValues, ReportRequest
from upper_compass.core.engine.context import ReportContext, question
from upper_compass.core.engine.credits import Crediting, Credits
from upper_compass.core.engine.dimensions import UnknownNameError
from upper_compass.core.engine.keys import KeyedBy
from upper_compass.core.engine.measures import MEASURES, Measure
from upper_compass.core.engine.merging import merge
from upper_compass.core.engine.protocol import PRESENCE, Breakdown, Question, Tally
from upper_compass.core.engine.removal import TooManyValuesError, WaySteps, credited_by_removal
from upper_compass.core.engine.selection import ReportFilter
from upper_compass.core.engine.statistics import is_significant, too_few, wilson
from upper_compass.core.engine.tally import CREDITED, GOAL_COLUMNS, GroupBy

GOAL_SUMS = frozenset(GOAL_COLUMNS)
# What stands beside what the removal effect credits: on how many touches it rests, and how large it is. Fewer touches say too little.
EVIDENCE, FEW_TOUCHES = ("touches", "effect"), 30
# Frames of sums: a column `n name` for the additive column of that name of the n-th question, `n name before` for the versus period.
Sums = pl.DataFrame
# Additive columns by their own names (f64), a row each.
Additive = Mapping[str, Floats]


@dataclass(frozen=True)
class AskedColumn:
    """A column with its measure, and of which question each additive column that it needs is."""

    column: Column
    measure: Measure
    places: Mapping[str, int]

    def sums(self, frame: Sums, *, before: bool = False) -> Additive:
        """The additive columns that the measure needs (f64), by their own names, a row each."""
        return {name: frame[sum_name(place, name, before=before)].to_numpy() for name, place in self.places.items()}

    def values(self, frame: Sums, *, before: bool = False) -> Floats:
        """The measure of each row (f64, NaN over nothing)."""
        return self.measure.of(self.sums(frame, before=before))


@dataclass(frozen=True)
class Asked:
    """What a report's columns ask: `whole`, what the report is about; the columns' questions, the same of the versus period, which sums each wants, and
    by which model its conversions are credited."""

    columns: tuple[AskedColumn, ...]
    whole: ReportFilter
    questions: tuple[ReportFilter, ...]
    earlier: tuple[ReportFilter, ...]
    wanted: tuple[frozenset[str], ...]
    credited: tuple[Crediting | None, ...]
    versus: Period | None

    def only(self, names: Iterable[str]) -> Asked:
        """The same with only these additive columns."""
        return replace(self, wanted=tuple(wanted & frozenset(names) for wanted in self.wanted))

    def names(self, *, before: bool = True) -> list[str]:
        """The names of all sums, those of the versus period too."""
        times = (False, True) if before and self.versus else (False,)
        return [sum_name(place, name, before=when) for place, wanted in enumerate(self.wanted) for name in sorted(wanted) for when in times]

    @cached_property
    def by_id(self) -> dict[str, AskedColumn]:
        """Columns by id."""
        return {one.column.id: one for one in self.columns}


def sum_name(place: int, name: str, *, before: bool) -> str:
    """The name of an additive column of a question in a frame of sums."""
    return f"{place} {name} before" if before else f"{place} {name}"


def plan(context: ReportContext, request: ReportRequest, goals: Mapping[int, Goal]) -> Asked:
    """What the columns of a request ask. What needs no goal is asked once, together with what is asked of a goal. Raises UnknownNameError."""
    steered_by = goals[request.goal] if request.goal is not None else None
    versus = request.period.versus(request.versus)
    whole = question(context, request.period, (request.segment,), with_excluded=request.with_excluded)
    needs = [(column, _measure(column), _counted(column, goals) or steered_by) for column in request.columns]
    # Whatever a question counts besides, the keys of its hits and visits are looked up once: so what needs no goal goes with the first that has one.
    company: dict[str | None, Counted] = {}
    for column, measure, goal in needs:
        if goal is not None and column.model is None and not GOAL_SUMS.isdisjoint(measure.needs):
            company.setdefault(_text(column.segment), goal)
    places: dict[tuple[str | None, str | None, Crediting | None, CreditModel | None], int] = {}
    questions: list[ReportFilter] = []
    wanted: list[set[str]] = []
    credited: list[Crediting | None] = []
    columns = []
    for column, measure, goal in needs:
        segment, of = _text(column.segment), {}
        for name in measure.needs:
            counted, crediting = (goal, _crediting(column)) if name in GOAL_SUMS else (company.get(segment), None)
            # What its children share out by another model is a question of its own, for its sums become others.
            key = (segment, _text(counted), crediting, column.model_below if crediting else None)
            if key not in places:
                places[key] = len(questions)
                ask = question(context, request.period, (request.segment, column.segment), goal=counted, with_excluded=request.with_excluded)
                questions.append(replace(ask, steered_by=steered_by))
                wanted.append(set())
                credited.append(crediting)
            of[name] = places[key]
            wanted[places[key]].add(name)
        columns.append(AskedColumn(column, measure, of))
    start, stop = versus.bounds(context.zone) if versus else (0, 0)
    earlier = tuple(replace(one, start=start, stop=stop) for one in questions) if versus else ()
    sums = tuple(frozenset(one) for one in wanted)
    return Asked(tuple(columns), replace(whole, steered_by=steered_by), tuple(questions), earlier, sums, tuple(credited), versus)


def _measure(column: Column) -> Measure:
    if column.measure not in MEASURES:
        raise UnknownNameError("columns", f"there is no measure {column.measure!r}; the registry lists them all")
    measure = MEASURES[column.measure]
    if column.model is not None and not CREDITED.issuperset(measure.needs):
        raise UnknownNameError("columns", f"{measure.title} is not credited by a model; conversions and their value are")
    if column.product is not None and GOAL_SUMS.isdisjoint(measure.needs):
        raise UnknownNameError("columns", f"{measure.title} is not counted of a product; conversions, their value and who converted are")
    return measure


def _counted(column: Column, goals: Mapping[int, Goal]) -> Counted | None:
    """What a column counts of its own."""
    if column.product is not None:
        return ProductSales(product=column.product)
    return goals[column.goal] if column.goal is not None else None


def _crediting(column: Column) -> Crediting | None:
    if column.model is None:
        return None
    return Crediting(column.model, USUAL_REACH if column.reach is None else column.reach, bool(column.counts_direct))


def _text(model: BaseModel | None) -> str | None:
    return model.model_dump_json() if model is not None else None


def joined(context: ReportContext, *breakdowns: tuple[Asked, KeyedBy], edges_before: tuple[int, ...] = ()) -> list[Tally]:
    """For each breakdown the sums of all questions by key, those of the versus period beside them; a key that one of them lacks counts nothing there.

    `edges_before`: those of the versus period, for breakdowns over time.
    """
    questions: list[Question] = []
    names: list[tuple[int, dict[str, str]]] = []
    for number, (asked, by) in enumerate(breakdowns):
        for before, filters in ((False, asked.questions), (True, asked.earlier)):
            for place, ask in enumerate(filters):
                if wanted := asked.wanted[place]:
                    edges = edges_before if before and by.edges else by.edges
                    crediting = asked.credited[place] if by.dimensions else None  # in all, every conversion is credited once
                    made: Breakdown = GroupBy(by.dimensions, edges, by.within, columns=wanted) if crediting is None else _credits(by, edges, wanted, crediting)
                    questions.append((ask, made))
                    names.append((number, {name: sum_name(place, name, before=before) for name in wanted}))
    parts: list[list[Tally]] = [[] for _ in breakdowns]
    for (number, renaming), (_, made), tally in zip(names, questions, context.tallies(questions), strict=True):
        parts[number].append(_finished(tally, made, breakdowns[number][1], frozenset(renaming)).renamed(_with_evidence(renaming, made)))
    return [_filled(merge(one)) for one in parts]


def _finished(tally: Tally, made: Breakdown, by: KeyedBy, columns: frozenset[str]) -> Tally:
    """What is worked out of sums, where it is no sum itself."""
    if not isinstance(made, WaySteps):
        return tally
    try:
        return credited_by_removal(tally, by, columns)
    except TooManyValuesError as error:
        raise UnknownNameError("columns", str(error)) from None


def _with_evidence(renaming: dict[str, str], made: Breakdown) -> dict[str, str]:
    """By the removal effect also what it rests on, and how large the effect is."""
    if not isinstance(made, WaySteps):
        return renaming
    [(name, renamed), *_] = renaming.items()
    return renaming | {one: renamed.replace(name, one) for one in EVIDENCE}


def _credits(by: KeyedBy, edges: tuple[int, ...], wanted: frozenset[str], crediting: Crediting) -> Credits | WaySteps:
    if crediting.model == "removal effect":
        if edges:
            raise UnknownNameError("columns", "the removal effect has no course: it is of a whole period")
        return WaySteps(by.dimensions, crediting=crediting)
    return Credits(by.dimensions, edges, by.within, columns=wanted, crediting=crediting)


def _filled(whole: Tally) -> Tally:
    columns = [column.fill_null(0.0) if column.null_count() and column.name not in whole.keys else column for column in whole.frame]
    return replace(whole, frame=pl.DataFrame([column for column in columns if column.name != PRESENCE]))


def column_values(asked: Asked, rows: Sums, total: Sums) -> list[ColumnValues]:
    """The figures of each column: values, versus, intervals, what is too few to say, what is beyond chance."""
    return [_column_values(one, rows, total, versus=asked.versus is not None) for one in asked.columns]


def figures(one: AskedColumn, rows: Sums, *, versus: bool) -> dict[str, Floats]:
    """The figures of one column (f64, NaN over nothing), a row each, as far as it has them: `values`, `before`, `low` and `high`."""
    return _figures(one, rows, one.sums(rows), one.sums(rows, before=True) if versus else None)


def _figures(one: AskedColumn, rows: Sums, now: Additive, then: Additive | None) -> dict[str, Floats]:
    measure = one.measure
    made = {"values": measure.of(now)}
    if then is not None:
        made["before"] = measure.of(then)
    if (place := sum_name(one.places[measure.needs[0]], EVIDENCE[0], before=False)) in rows.columns:
        made["touches"] = rows[place].to_numpy()
        made["effect"] = rows[sum_name(one.places[measure.needs[0]], EVIDENCE[1], before=False)].to_numpy()
    if measure.chance == "share":
        made["low"], made["high"] = wilson(*(now[part] for part in measure.parts))
    return made


def told(figures: Floats) -> list[float | None]:
    """Figures as they are told: null over nothing."""
    listed: list[float | None] = figures.tolist()
    for place in np.flatnonzero(np.isnan(figures)):
        listed[place] = None
    return listed


def _column_values(one: AskedColumn, rows: Sums, total: Sums, *, versus: bool) -> ColumnValues:
    measure, now, then = one.measure, one.sums(rows), one.sums(rows, before=True) if versus else None
    found = _figures(one, rows, now, then)
    made = ColumnValues(id=one.column.id, **{name: told(part) for name, part in found.items()})
    if measure.chance == "share":
        tries, share = now[measure.parts[1]], float(one.values(total)[0])
        made.few = (np.ones(len(tries), bool) if np.isnan(share) else too_few(tries, share)).tolist()
    if "touches" in found:
        made.few = (~(found["touches"] >= FEW_TOUCHES)).tolist()
    if then is not None and measure.chance != "none":
        made.is_significant = is_significant(measure.chance, *(tuple(part[name] for name in measure.parts) for part in (now, then))).tolist()
    return made
