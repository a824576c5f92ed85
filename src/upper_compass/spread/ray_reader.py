"""Reading with Ray: an actor holds each part of the visitors, answers are merged up a tree of tasks. Only this file knows of Ray.

An actor that is lost is started again, on another machine where its own is gone, reads what it wrote to storage and what came since from the database, and
is asked once more; whoever asked waits, and learns nothing of it.
"""

from __future__ import annotations

import threading
from collections.abc import Callable, Hashable, Sequence
from contextlib import suppress
from dataclasses import dataclass, field
from functools import cached_property
from typing import Any, Concatenate, ParamSpec, TypeVar
from zoneinfo import ZoneInfo

import ray
from pydantic import BaseModel
from ray.exceptions import RayError, RayTaskError

from upper_compass.core.dataset.coded_hits import Dictionaries
from upper_compass.core.dataset.lookups import DimensionLookups
from upper_compass.core.dataset.shard_set import ShardSet
from upper_compass.core.engine.context import ReportContext
from upper_compass.core.engine.kept import Kept
from upper_compass.core.engine.merging import settled
from upper_compass.core.engine.protocol import Question, Tally
from upper_compass.frames.dataset_cache import AsOf
from upper_compass.frames.placing import Places
from upper_compass.frames.reader import TALLIES, ReaderAwayError, ReaderState, reading_from
from upper_compass.reference import shipped
from upper_compass.spread.order_ledger import OrderLedger
from upper_compass.spread.part import Part, merged
from upper_compass.store.database import connect
from upper_compass.store.record_files import VisitorPart
from upper_compass.store.sites import Site

P = ParamSpec("P")
T = TypeVar("T")
# How many answers one task merges.
BRANCHES = 8
# How often what a lost actor was asked is asked again.
RETRIES = 20
# Of a core, for Ray's account alone: what asks for nothing is not spread among the machines.
SHARE = 0.01

_PartActor: Any = ray.remote(Part)
_merged: Any = ray.remote(num_cpus=SHARE)(merged)


@dataclass(frozen=True)
class SpreadContext(ReportContext):
    """Reads from the parts, wherever they are; here it has no shards, only what the rules say without any hit. `ask` hands questions to all parts."""

    ask: Callable[[Sequence[Question]], list[Tally]] = field(kw_only=True)
    state: Hashable = field(kw_only=True)

    @property
    def version(self) -> Hashable:
        """See ReportContext."""
        return self.state

    @property
    def may_lack_rates(self) -> bool:
        """Which currencies there are, only the parts know."""
        return True

    def tallies(self, questions: Sequence[Question], *, settle: bool = True) -> list[Tally]:
        """See ReportContext."""
        keys = [self._key(self.state, *question) for question in questions]
        asked = dict(zip(keys, questions, strict=True))
        found = {key: self._kept(self.state, question) for key, question in asked.items()}
        missing = [key for key, tally in found.items() if tally is None]
        made = self.ask([asked[key] for key in missing]) if missing else []
        for key, tally in zip(missing, map(settled, made) if settle else made, strict=True):
            found[key] = tally
            self._keep(self.state, asked[key], tally)
        return [one for key in keys if (one := found[key]) is not None]


class RayReader:
    """See Reader. `places`: storage that all machines reach, and a folder of each; `address`: of a cluster, else Ray is started on this machine."""

    def __init__(self, database_url: str, places: Places, max_bytes: int, parts: int, address: str = "") -> None:
        self._started = not ray.is_initialized()
        if self._started:
            # Never one that happens to run here.
            ray.init(address or "local", log_to_driver=False, include_dashboard=False if not address else None, configure_logging=False)
        each = max_bytes // parts
        options: dict[str, Any] = {"max_restarts": -1, "max_task_retries": RETRIES, "num_cpus": SHARE, "scheduling_strategy": "SPREAD"}
        self._parts = [_PartActor.options(**options).remote(database_url, places, each, VisitorPart(number, parts)) for number in range(parts)]
        self._engine = connect(database_url, pool_size=2)
        self._orders = OrderLedger(reading_from(self._engine), places.storage)
        self._kept = Kept(max_bytes // parts // TALLIES)
        self._lookups: dict[str, DimensionLookups] = {}
        # Parts are asked in the same order, so that none is asked of an earlier state after a later one.
        self._asking = threading.Lock()

    @cached_property
    def _reference(self) -> Any:  # noqa: ANN401
        return shipped()

    def read(self, site: Site, ask: Callable[Concatenate[ReportContext, P], T], *given: P.args, **named: P.kwargs) -> T:
        """See Reader. One report is read of one state, however many questions it asks."""
        as_of = self._orders.as_of_now(site)
        version = site.rules.version()
        if version not in self._lookups:  # those of rules that were go
            self._lookups = {version: DimensionLookups(site.rules, self._reference, Dictionaries()), **dict(list(self._lookups.items())[-100:])}
        shards = ShardSet(self._lookups[version], (), ())
        state = (site.id, version, site.deletion_epoch, as_of.seq, as_of.tip)
        context = SpreadContext(shards, ZoneInfo(site.rules.timezone), self._kept, ask=lambda questions: self._tallies(site, as_of, questions), state=state)
        return ask(context, *given, **named)

    def read_json(self, site: Site, ask: Callable[Concatenate[ReportContext, P], BaseModel], *given: P.args, **named: P.kwargs) -> bytes:
        """See Reader."""
        return self.read(site, ask, *given, **named).model_dump_json().encode()

    def _tallies(self, site: Site, as_of: AsOf, questions: Sequence[Question]) -> list[Tally]:
        try:
            asked = ray.put((site, as_of, list(questions)))
            with self._asking:
                answers = [part.tallies.remote(asked) for part in self._parts]
            while len(answers) > 1:
                answers = [_merged.remote(*answers[at : at + BRANCHES]) for at in range(0, len(answers), BRANCHES)]
            found: list[Tally] = ray.get(answers[0])
        except RayError as why:
            raise _cause(why) from why
        return found

    def forget(self, site_id: int) -> None:
        """See Reader."""
        self._orders.forget(site_id)
        self._of_all("forget", site_id)

    def state(self) -> ReaderState:
        """See Reader."""
        found: list[ReaderState] = self._of_all("state")
        sites = {site_id: sum(one.sites.get(site_id, 0) for one in found) for site_id in set().union(*(one.sites for one in found))}
        newest = {site_id: min(one.newest.get(site_id, 0) for one in found) for site_id in sites}
        # Parts take in what is new at the same time.
        advances, seconds = max(one.advances for one in found), max(one.advance_seconds for one in found)
        return ReaderState(sites, self._kept.size + sum(one.tallies for one in found), advances, seconds, newest)

    def close(self) -> None:
        """See Reader."""
        with suppress(ReaderAwayError):  # what was not written is read of the database again
            self._of_all("save")
        for part in self._parts:
            ray.kill(part)
        self._engine.dispose()
        if self._started:
            ray.shutdown()

    def _of_all(self, what: str, *given: object) -> list[Any]:
        try:
            found: list[Any] = ray.get([getattr(part, what).remote(*given) for part in self._parts])
        except RayError as why:
            raise ReaderAwayError from why
        return found


def _cause(error: RayError) -> Exception:
    """What a part raised, as if it had been raised here; that a part cannot be reached is said by ReaderAwayError."""
    cause = error.cause if isinstance(error, RayTaskError) else None
    return cause if isinstance(cause, Exception) and not isinstance(cause, RayError) else ReaderAwayError()
