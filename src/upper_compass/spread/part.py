"""One part of the visitors of all sites: it brings itself up to date, tallies on request, and can be made anew from storage and database at any time."""

from __future__ import annotations

from collections.abc import Hashable, Sequence
from zoneinfo import ZoneInfo

from cachetools import LRUCache

from upper_compass.core.dataset.shard_set import ShardSet
from upper_compass.core.engine.context import ReportContext
from upper_compass.core.engine.kept import Kept
from upper_compass.core.engine.merging import merge
from upper_compass.core.engine.protocol import Question, Tally
from upper_compass.frames.dataset_cache import AsOf, DatasetCache
from upper_compass.frames.placing import Places
from upper_compass.frames.reader import TALLIES, ReaderState, reading_from
from upper_compass.reference import shipped
from upper_compass.store.database import connect
from upper_compass.store.record_files import VisitorPart
from upper_compass.store.sites import Site

STATES = 8


class Part:
    """The hits of those visitors who belong here. `max_bytes`: what it may take."""

    def __init__(self, database_url: str, places: Places, max_bytes: int, part: VisitorPart) -> None:
        self._engine = connect(database_url, pool_size=2, more=2)
        self._cache = DatasetCache(reading_from(self._engine), shipped(), places, max_bytes - max_bytes // TALLIES, part)
        self._kept = Kept(max_bytes // TALLIES)
        # A report asks several times, and is read of one state, whatever comes meanwhile. Newer states share nearly all with those before.
        self._states: LRUCache[Hashable, ShardSet] = LRUCache(STATES)

    def tallies(self, asked: tuple[Site, AsOf, Sequence[Question]]) -> list[Tally]:
        """The merged tally of each question, over all of a site's visitors who belong here, with texts as keys."""
        site, as_of, questions = asked
        state = (site.id, site.rules.version(), site.deletion_epoch, as_of.seq, as_of.tip)
        if state not in self._states:
            self._states[state] = self._cache.frames(site, as_of).shards
        context = ReportContext(self._states[state], ZoneInfo(site.rules.timezone), self._kept)
        return [tally.as_texts() for tally in context.tallies(questions, settle=False)]

    def state(self) -> ReaderState:
        """What it holds."""
        return ReaderState(self._cache.sizes(), self._kept.size, self._cache.advances, self._cache.advance_seconds, self._cache.newest())

    def forget(self, site_id: int) -> None:
        """Keep nothing of a site."""
        self._cache.forget(site_id)

    def save(self) -> None:
        """Write what came since to storage."""
        self._cache.save()


def merged(*answers: Sequence[Tally]) -> list[Tally]:
    """The answers of several parts to the same questions, brought together, a tally for each question."""
    return [merge(tallies) for tallies in zip(*answers, strict=True)]
