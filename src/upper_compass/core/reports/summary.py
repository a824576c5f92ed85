"""The answer at the head of the Overview: which channels and landing pages drive the goal, in words, by fixed rules.

* Under five conversions, nothing is said to drive them.
* Channels: the fewest of the largest, at most three, that bring half of the conversions or more; else the largest three.
* Landing pages: the fewest of the largest, at most three, where half begin or more; else the largest one, with its share.
* What a table marks as *few* (too few visits to expect five conversions at the rate of all) is never named.
"""

from __future__ import annotations

from pydantic import BaseModel, ConfigDict

from upper_compass.core.definitions.goals import Goal
from upper_compass.core.definitions.periods import Period
from upper_compass.core.definitions.requests import Column, GoalId, TableRequest
from upper_compass.core.definitions.segments import Segment
from upper_compass.core.engine.context import ReportContext
from upper_compass.core.engine.kept import told_once
from upper_compass.core.engine.statistics import FEW
from upper_compass.core.reports.tables import table

MAX_NAMED = 3
HALF = 0.5
SHARES = (
    (1 / 4, "a quarter of"), (1 / 3, "a third of"), (2 / 5, "two in five"), (1 / 2, "half of"), (3 / 5, "three in five"), (2 / 3, "two in three"),
    (3 / 4, "three in four"), (4 / 5, "four in five"), (9 / 10, "nine in ten"),
)  # fmt: skip


class AnswerRequest(BaseModel):
    """A goal over a period."""

    model_config = ConfigDict(extra="forbid")
    period: Period
    goal: GoalId
    segment: Segment | None = None

    @property
    def goals(self) -> set[int]:
        """The ids of all goals that are asked for."""
        return {self.goal}


class Phrase(BaseModel):
    """A piece of a sentence; with a dimension it names one of its values."""

    text: str
    dimension: str | None = None
    value: str | None = None


class Answer(BaseModel):
    """One or two sentences, in pieces."""

    phrases: list[Phrase]


def share_in_words(share: float) -> str:
    """A share as one would say it."""
    if share > 0.97:
        return "nearly all" if share < 1 else "all"
    if 0.51 < share < 0.58:
        return "more than half of"
    value, words = min(SHARES, key=lambda pair: abs(pair[0] - share))
    return words if abs(value - share) <= 0.02 else f"about {words}"


def _within(name: str) -> str:
    """A name as it stands inside a sentence: its first letter small, unless an abbreviation begins it."""
    return name if len(name) > 1 and name[1].isupper() else name[:1].lower() + name[1:]


@told_once
def answer(context: ReportContext, request: AnswerRequest, goal: Goal, name: str) -> Answer:
    """The sentences for one goal, under its name."""
    what = _within(name)
    when = "on this day" if request.period.days == 1 else f"in these {request.period.days} days"
    channels, total = _largest(context, request, goal, "channel")
    if total < FEW:
        if total == 0:
            return Answer(phrases=[Phrase(text=f"There are no {what} {when}.")])
        return Answer(phrases=[Phrase(text=f"{name}: {total} {when}, too few to say what drives them.")])
    phrases: list[Phrase] = []
    if channels and channels[0][1] < total:  # that all come by the one channel that there is says nothing
        named, share = _leading(channels, total)
        phrases += _listed(named, "channel", "and")
        phrases.append(Phrase(text=f" {'brings' if len(named) == 1 else 'bring'} {share_in_words(share)} {what}."))
    pages, _ = _largest(context, request, goal, "entry_page")
    if pages and pages[0][1] < total and pages[0][0]:
        phrases += _beginnings(pages, total, what if not phrases else None)
    return Answer(phrases=phrases or [Phrase(text=f"{name}: {total:,} {when}.")])


def _beginnings(pages: list[tuple[str, int]], total: int, what: str | None) -> list[Phrase]:
    """Where they begin; `what` is named unless the sentence before did."""
    begun, share = _leading([row for row in pages if row[0]], total)
    if share < HALF:
        subject = f"{what[:1].upper()}{what[1:]} begin" if what else " They begin"
        return [Phrase(text=f"{subject} on many pages, most often on "), *_listed(begun[:1], "entry_page", "or"), Phrase(text=".")]
    words = share_in_words(share)
    subject = f"{words[:1].upper()}{words[1:]} {what}" if what else f" {words[:1].upper()}{words[1:]}".removesuffix(" of")
    return [Phrase(text=f"{subject} begin on "), *_listed(begun, "entry_page", "or"), Phrase(text=".")]


def _largest(context: ReportContext, request: AnswerRequest, goal: Goal, dimension: str) -> tuple[list[tuple[str, int]], int]:
    """The values of a dimension by their conversions, those left out of which too little is known; and the conversions of all."""
    columns = [Column(id=name, measure=name) for name in ("conversions", "conversion_rate")]
    asked = TableRequest(period=request.period, versus="none", goal=request.goal, dimensions=[dimension], columns=columns, segment=request.segment, limit=20)
    found = table(context, asked, {request.goal: goal})
    conversions, rate = found.columns
    few = rate.few or [False] * len(found.rows)
    sure = [(row[0], int(count or 0)) for row, count, is_few in zip(found.rows, conversions.values, few, strict=True) if not is_few]
    return sure, int(found.total[0].values[0] or 0)


def _leading(rows: list[tuple[str, int]], total: int) -> tuple[list[str], float]:
    """The fewest of the largest rows that make half, at most three; and their share."""
    counted = 0
    for number, (_, count) in enumerate(rows[:MAX_NAMED], 1):
        counted += count
        if counted / total >= HALF or number == MAX_NAMED:
            return [name for name, _ in rows[:number]], counted / total
    return [name for name, _ in rows[:MAX_NAMED]], counted / total


def _listed(names: list[str], dimension: str, join: str) -> list[Phrase]:
    phrases = []
    for i, name in enumerate(names):
        if i:
            phrases.append(Phrase(text=f" {join} " if i == len(names) - 1 else ", "))
        shown = name if i == 0 or dimension != "channel" else _within(name)
        phrases.append(Phrase(text=shown or "(none)", dimension=dimension, value=name))
    return phrases
