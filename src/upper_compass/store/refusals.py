"""What the collector turned away, or stored without a part of it, so that whoever tags a site learns why. By page; nothing of the visitors."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass
from datetime import datetime, timedelta
from typing import Literal

import sqlalchemy as sa
from sqlalchemy.dialects.postgresql import insert

from upper_compass.store.tables import refusals

KEPT_FOR = timedelta(days=30)
MAX_ROWS = 5_000
MAX_ROWS_TOGETHER = 50_000

# *fetched* is no refusal: the script was asked for by a page of the host, which tells a blocked answer from a missing script.
Why = Literal["unknown key", "unknown host", "refused", "shortened", "too many", "fetched"]


@dataclass(frozen=True)
class Place:
    """What is counted together. `site_key`: as it was given; `field`: of the hit; `page`: its path."""

    site_key: str
    why: Why
    host: str
    field: str = ""
    page: str = ""


@dataclass(frozen=True)
class Refused:
    """How often something was turned away at a place, and when first and last."""

    place: Place
    times: int
    first: datetime
    last: datetime


def add_refusals(connection: sa.Connection, counted: Iterable[Refused], now: datetime) -> None:
    """Add to what is counted; what is old, or more than anybody will read, goes."""
    rows = [{**vars(one.place), "times": one.times, "first_at": one.first, "last_at": one.last} for one in counted]
    if not rows:
        return
    added = insert(refusals)
    more = {"times": refusals.c.times + added.excluded.times, "last_at": sa.func.greatest(refusals.c.last_at, added.excluded.last_at)}
    connection.execute(added.on_conflict_do_update(index_elements=list(refusals.primary_key), set_=more), rows)
    connection.execute(refusals.delete().where(refusals.c.last_at < now - KEPT_FOR))
    keys = list(refusals.primary_key.columns)
    for most, within in ((MAX_ROWS, [refusals.c.site_key]), (MAX_ROWS_TOGETHER, [])):
        numbered = sa.select(*keys, sa.func.row_number().over(partition_by=within or None, order_by=refusals.c.last_at.desc()).label("place")).subquery()
        over = sa.select(*(numbered.c[key.name] for key in keys)).where(numbered.c.place > most)
        connection.execute(refusals.delete().where(sa.tuple_(*keys).in_(over)))


def refusals_of(connection: sa.Connection, site_key: str, hosts: frozenset[str], since: datetime | None = None) -> list[Refused]:
    """What concerns a site, latest first: of its key, and of its hosts with a key that no site has. `since`: only what came last since then."""
    mine = (refusals.c.site_key == site_key) | ((refusals.c.why == "unknown key") & refusals.c.host.in_(hosts))
    if since is not None:
        mine &= refusals.c.last_at >= since
    found = connection.execute(sa.select(refusals).where(mine).order_by(refusals.c.last_at.desc()).limit(500))
    return [Refused(Place(row.site_key, row.why, row.host, row.field, row.page), row.times, row.first_at, row.last_at) for row in found]
