"""Sites that their owners deleted: out of sight at once, brought back for a month, then gone with all that was collected."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime, timedelta
from typing import Any

import sqlalchemy as sa

from upper_compass.store.change_log import log_change
from upper_compass.store.record import erase_all
from upper_compass.store.sites import Site
from upper_compass.store.tables import roles, sites

KEPT_DAYS = 30


@dataclass(frozen=True)
class DeletedSite:
    """A site that can still be brought back, until then."""

    id: int
    key: str
    name: str
    deleted: datetime
    until: datetime


def delete_site(connection: sa.Connection, site: Site, now: datetime, user_id: int) -> None:
    """Put a site out of everybody's sight; `bring_back` undoes it."""
    connection.execute(sites.update().where(sites.c.id == site.id).values(deleted_at=now))
    log_change(connection, site.id, "site", site.id, user_id, {"name": site.name, "deleted": False}, {"name": site.name, "deleted": True})


def _deleted(now: datetime) -> sa.Select[Any]:
    return sa.select(sites.c.id, sites.c.key, sites.c.name, sites.c.deleted_at).where(sites.c.deleted_at > now - timedelta(days=KEPT_DAYS))


def deleted_of(connection: sa.Connection, user_id: int, now: datetime) -> Sequence[DeletedSite]:
    """Sites of which a user is an owner and that can be brought back, the last one first."""
    mine = _deleted(now).join(roles).where(roles.c.user_id == user_id, roles.c.role == "owner").order_by(sites.c.deleted_at.desc(), sites.c.id)
    rows = connection.execute(mine)
    return [DeletedSite(row.id, row.key, row.name, row.deleted_at, row.deleted_at + timedelta(days=KEPT_DAYS)) for row in rows]


def bring_back(connection: sa.Connection, user_id: int, key: str, now: datetime) -> DeletedSite | None:
    """Let a site be there again; None where the user owns no such one that was deleted."""
    found = next((one for one in deleted_of(connection, user_id, now) if one.key == key), None)
    if found is not None:
        connection.execute(sites.update().where(sites.c.id == found.id).values(deleted_at=None))
        log_change(connection, found.id, "site", found.id, user_id, {"name": found.name, "deleted": True}, {"name": found.name, "deleted": False})
    return found


def over(connection: sa.Connection, now: datetime) -> list[int]:
    """Sites whose month is over."""
    return list(connection.execute(sa.select(sites.c.id).where(sites.c.deleted_at <= now - timedelta(days=KEPT_DAYS))).scalars())


def purge(connection: sa.Connection, site_id: int) -> int:
    """Delete a site with all that belongs to it, for good; how many hits it had."""
    count = erase_all(connection, site_id)
    connection.execute(sites.delete().where(sites.c.id == site_id, sites.c.deleted_at.is_not(None)))
    return count
