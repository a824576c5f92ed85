"""What a site keeps only so long, and sites that were deleted a month ago, are deleted for good when their time has come; old months are handed on."""

from __future__ import annotations

import asyncio
import time
from collections.abc import Callable
from contextlib import suppress
from dataclasses import dataclass
from datetime import datetime, timedelta
from zoneinfo import ZoneInfo

import sqlalchemy as sa
import structlog
from anyio import to_thread

from upper_compass.core.definitions.periods import midnight
from upper_compass.frames.reader import Reader, ReaderAwayError
from upper_compass.store import record, record_files, site_removal, sites, visitors
from upper_compass.store.storage import Storage, StorageAwayError

EVERY = 3600.0
log = structlog.get_logger()


def delete_what_is_over(engine: sa.Engine, storage: Storage | None, now: datetime) -> int:
    """Delete the hits of days at the site that lie further back than it keeps them; how many they were."""
    count = 0
    with engine.connect() as connection:
        kept = [site for site in sites.all_sites(connection) if site.tagging.keep_days is not None]
    for site in kept:
        zone = ZoneInfo(site.rules.timezone)
        first_day = now.astimezone(zone).date() - timedelta(days=site.tagging.keep_days or 0)
        with engine.begin() as connection:
            count += visitors.forget_before(connection, storage, site.id, datetime.fromtimestamp(midnight(first_day, zone) / 1000, zone))
    return count


def purge_what_was_deleted(engine: sa.Engine, reader: Reader, now: datetime) -> int:
    """Delete for good the sites that were deleted so long ago that nobody can bring them back; how many hits they had."""
    count = 0
    with engine.connect() as connection:
        gone = site_removal.over(connection, now)
    for site_id in gone:
        with engine.begin() as connection:
            count += site_removal.purge(connection, site_id)
        with suppress(ReaderAwayError, StorageAwayError):  # what is left on disk is of a site that there is not; `./compass doctor` finds it
            reader.forget(site_id)
        log.info("a deleted site is gone for good", site=site_id)
    return count


def hand_on_what_is_old(engine: sa.Engine, storage: Storage, after_months: int, now: datetime) -> int:
    """Hand on the hits of months that ended so long ago, site by site; how many they were. Raises StorageAwayError."""
    count = 0
    with engine.connect() as connection:
        old = record.months_before(connection, record.this_month(now, after_months))
    for partition, month in old:
        with engine.connect() as connection:
            held = record.sites_in(connection, partition)
        for site_id in held:
            handed_on = record_files.hand_on(engine, storage, site_id, month)
            log.info("a month was handed on", site=site_id, month=str(month), hits=handed_on)
            count += handed_on
        record.give_back(engine, partition)
    return count


@dataclass
class Job:
    """How often something was done and failed, how many seconds it took in all, and when it was done last (seconds since 1970)."""

    done: int = 0
    failed: int = 0
    seconds: float = 0.0
    last: float = 0.0


class Retention:
    """All that is done once an hour. `after_months`: hits are handed on after so many whole months, None: never."""

    def __init__(self, engine: sa.Engine, reader: Reader, storage: Storage | None, after_months: int | None) -> None:
        self._engine, self._reader, self._storage, self._after_months = engine, reader, storage, after_months
        self.jobs: dict[str, Job] = {}

    def once(self, now: datetime) -> None:
        """Do it; what fails is logged, and does not keep the rest from being done."""
        self._trying("delete hits whose time is over", lambda: delete_what_is_over(self._engine, self._storage, now))
        self._trying("purge deleted sites", lambda: purge_what_was_deleted(self._engine, self._reader, now))
        storage, after = self._storage, self._after_months
        if storage is not None:
            if after is not None:
                self._trying("hand on old months", lambda: hand_on_what_is_old(self._engine, storage, after, now))
            self._trying("tidy the storage", lambda: record_files.tidy(self._engine, storage))

    def _trying(self, what: str, do: Callable[[], int]) -> None:
        job, began = self.jobs.setdefault(what, Job()), time.perf_counter()
        try:
            if count := do():
                log.info("done once an hour", job=what, count=count)
        except Exception as why:  # there is another hour
            job.failed += 1
            log.error("not done, tried again in an hour", job=what, why=str(why)[:500])
        else:
            job.done, job.last = job.done + 1, time.time()
        job.seconds += time.perf_counter() - began


async def run_retention(retention: Retention, now: Callable[[], datetime]) -> None:
    """Do it once an hour, for ever."""
    while True:
        await to_thread.run_sync(retention.once, now())
        await asyncio.sleep(EVERY)
