"""Findings of Tag health that somebody accepted, with a reason."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import datetime

import sqlalchemy as sa
from sqlalchemy.dialects.postgresql import insert

from upper_compass.store.change_log import log_change
from upper_compass.store.tables import accepted, users


@dataclass(frozen=True)
class Accepted:
    """Why a finding is left as it is, who said so, and when. `by` is None when they are gone."""

    finding: str
    reason: str
    by: str | None
    at: datetime


def accepted_of(connection: sa.Connection, site_id: int) -> dict[str, Accepted]:
    """What was accepted on a site, by the finding's key."""
    query = sa.select(accepted, users.c.name).outerjoin(users, users.c.id == accepted.c.user_id).where(accepted.c.site_id == site_id)
    return {row.finding: Accepted(row.finding, row.reason, row.name, row.at) for row in connection.execute(query)}


def accept(connection: sa.Connection, site_id: int, finding: str, reason: str, user_id: int) -> None:
    """Accept a finding, or give another reason."""
    row = {"site_id": site_id, "finding": finding, "reason": reason, "user_id": user_id}
    connection.execute(insert(accepted).values(row).on_conflict_do_update(index_elements=["site_id", "finding"], set_={"reason": reason, "user_id": user_id}))
    log_change(connection, site_id, "finding", site_id, user_id, None, {"finding": finding, "reason": reason})


def take_back(connection: sa.Connection, site_id: int, finding: str, user_id: int) -> bool:
    """No longer accept a finding; whether it had been accepted."""
    gone = connection.execute(accepted.delete().where(accepted.c.site_id == site_id, accepted.c.finding == finding)).rowcount
    if gone:
        log_change(connection, site_id, "finding", site_id, user_id, {"finding": finding}, None)
    return bool(gone)
