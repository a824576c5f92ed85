"""What reports are read from, and what they are asked about."""

from __future__ import annotations

from collections.abc import Hashable, Sequence
from dataclasses import dataclass, field
from zoneinfo import ZoneInfo

import numpy as np

from upper_compass.core.dataset.shard import Shard
from upper_compass.core.dataset.shard_set import ShardSet
from upper_compass.core.definitions.goals import Counted, Goal
from upper_compass.core.definitions.periods import Period
from upper_compass.core.definitions.segments import DimensionCondition, Group, Segment, SegmentCondition
from upper_compass.core.engine.dimensions import Dimension, dimension_of
from upper_compass.core.engine.kept import Kept
from upper_compass.core.engine.merging import merge, settled
from upper_compass.core.engine.protocol import Breakdown, Question, Runner, Tally, Threads
from upper_compass.core.engine.segments import ASKED_IN
from upper_compass.core.engine.selection import ReportFilter

HERE = Threads(2)


@dataclass(frozen=True)
class ReportContext:
    """What a report is read from: a site's shards, its time zone, and who makes the tallies. Reports ask for merged tallies and nothing else of the shards."""

    shards: ShardSet
    zone: ZoneInfo
    kept: Kept = field(default_factory=lambda: Kept(0))
    runner: Runner = HERE

    @property
    def version(self) -> Hashable:
        """Which hits by which rules: equal as long as these are the same."""
        return self.shards.version

    @property
    def may_lack_rates(self) -> bool:
        """Whether amounts may have a currency without a rate; False where it is known that none has."""
        return bool(np.isnan(self.shards.lookups["rate"]).any())

    def dimension(self, name: str, asked_in: str) -> Dimension:
        """A dimension that the site can be read by. Raises UnknownNameError for the field that it is `asked_in`."""
        return dimension_of(name, self.shards.lookups.rules, asked_in)

    def tally(self, ask: ReportFilter, *breakdowns: Breakdown) -> list[Tally]:
        """The merged tally of each breakdown of one question; see `tallies`."""
        return self.tallies([(ask, breakdown) for breakdown in breakdowns])

    def tallies(self, questions: Sequence[Question], *, settle: bool = True) -> list[Tally]:
        """The merged tally of each question, kept for whoever asks the same again; `settle`: as it is told, unless others are still to be added.

        What can be added up and taken back costs no more than what came since the base was made.
        """
        keys = [self._key(None, *question) for question in questions]
        asked = dict(zip(keys, questions, strict=True))  # the same is counted once
        found = {key: self._kept(self.shards.version, question) for key, question in asked.items()}
        for additive in (True, False):
            missing = [key for key, (_, breakdown) in asked.items() if found[key] is None and breakdown.additive == additive]
            made = self._merged([asked[key] for key in missing], additive=additive) if missing else []
            for key, tally in zip(missing, map(settled, made) if settle else made, strict=True):
                found[key] = tally
                self._keep(self.shards.version, asked[key], tally)
        return [one for key in keys if (one := found[key]) is not None]

    def _merged(self, questions: list[Question], *, additive: bool) -> list[Tally]:
        shards = self.shards
        if not additive:
            return [merge(tallies) for tallies in self.runner.run(shards.valid, questions)]
        kept = [self._kept(shards.main_version, question) for question in questions]
        missing = [question for question, tally in zip(questions, kept, strict=True) if tally is None]
        made = iter([merge(tallies) for tallies in self.runner.run(shards.main, missing)] if missing else [])
        main = [next(made) if tally is None else tally for tally in kept]
        if not shards.deltas:
            return main
        for question, tally in zip(questions, main, strict=True):
            self._keep(shards.main_version, question, tally)
        deltas = [self._of_shard(shard, questions) for shard in shards.deltas]
        return [merge([tally, *tallies]) for tally, tallies in zip(main, zip(*deltas, strict=True), strict=True)]

    def _of_shard(self, shard: Shard, questions: list[Question]) -> list[Tally]:
        """The tallies of one of the shards that came since; those of a level that nobody left are kept."""
        kept = [self._kept(shard.version, question) for question in questions]
        missing = [question for question, tally in zip(questions, kept, strict=True) if tally is None]
        made = iter(tallies[0] for tallies in self.runner.run([shard], missing)) if missing else iter([])
        tallies = [next(made) if tally is None else tally for tally in kept]
        for question, tally in zip(questions, tallies, strict=True):
            self._keep(shard.version, question, tally)
        return tallies

    def _kept(self, version: object, question: Question) -> Tally | None:
        return self.kept.get(self._key(version, *question)) if question[0].keep else None

    def _keep(self, version: object, question: Question, tally: Tally) -> None:
        if question[0].keep:
            self.kept.put(self._key(version, *question), tally)

    @staticmethod
    def _key(version: object, ask: ReportFilter, breakdown: Breakdown) -> Hashable:
        return version, ask.key, type(breakdown), breakdown.key


def question(
    context: ReportContext, period: Period, segments: tuple[Segment | None, ...], *, goal: Counted | None = None, with_excluded: bool = False
) -> ReportFilter:
    """What is asked about, in the site's time, steered by its goal. Raises UnknownNameError for a dimension of a segment that there is not."""
    start, stop = period.bounds(context.zone)
    given = tuple(segment for segment in segments if segment is not None)
    for segment in given:
        _known(context, segment.where)
    return ReportFilter(start, stop, goal, given, goal if isinstance(goal, Goal) else None, with_excluded)


def _known(context: ReportContext, group: Group) -> None:
    for condition in group.conditions:
        if isinstance(condition, Group | SegmentCondition):
            _known(context, condition if isinstance(condition, Group) else condition.segment.where)
        elif isinstance(condition, DimensionCondition):
            context.dimension(condition.dimension, ASKED_IN)
