"""What a site keeps only so long, and sites that were deleted a month ago, are deleted for good when their time has come."""

from __future__ import annotations

import asyncio
from collections.abc import Callable
from contextlib import suppress
from datetime import datetime, timedelta
from zoneinfo import ZoneInfo

import sqlalchemy as sa
import structlog
from anyio import to_thread

from upper_compass.core.definitions.periods import midnight
from upper_compass.frames.reader import Reader, ReaderAwayError
from upper_compass.store import site_removal, sites, visitors

EVERY = 3600.0
log = structlog.get_logger()


def delete_what_is_over(engine: sa.Engine, now: datetime) -> int:
    """Delete the hits of days at the site that lie further back than it keeps them; how many they were."""
    count = 0
    with engine.connect() as connection:
        kept = [site for site in sites.all_sites(connection) if site.tagging.keep_days is not None]
    for site in kept:
        zone = ZoneInfo(site.rules.timezone)
        first_day = now.astimezone(zone).date() - timedelta(days=site.tagging.keep_days or 0)
        with engine.begin() as connection:
            count += visitors.forget_before(connection, site.id, datetime.fromtimestamp(midnight(first_day, zone) / 1000, zone))
    return count


def purge_what_was_deleted(engine: sa.Engine, reader: Reader, now: datetime) -> int:
    """Delete for good the sites that were deleted so long ago that nobody can bring them back; how many hits they had."""
    count = 0
    with engine.connect() as connection:
        gone = site_removal.over(connection, now)
    for site_id in gone:
        with engine.begin() as connection:
            count += site_removal.purge(connection, site_id)
        with suppress(ReaderAwayError):  # what is left on disk is of a site that there is not; `./compass doctor` finds it
            reader.forget(site_id)
        log.info("a deleted site is gone for good", site=site_id)
    return count


def _once(engine: sa.Engine, reader: Reader, now: datetime) -> int:
    return delete_what_is_over(engine, now) + purge_what_was_deleted(engine, reader, now)


async def run_retention(engine: sa.Engine, reader: Reader, now: Callable[[], datetime]) -> None:
    """Delete what is over, once an hour, for ever."""
    while True:
        try:
            count = await to_thread.run_sync(_once, engine, reader, now())
            if count:
                log.info("hits deleted, their time was over", hits=count)
        except Exception as why:  # there is another hour
            log.error("hits whose time is over not deleted", why=str(why)[:500])
        await asyncio.sleep(EVERY)
