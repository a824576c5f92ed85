"""The history of a site and of accounts: who made what of what, and when."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime
from typing import Any

import sqlalchemy as sa

from upper_compass.store.tables import changes, users


@dataclass(frozen=True)
class Change:
    """One entry of the history: who made what of what, and when. `by` is None when they are gone."""

    id: int
    at: datetime
    by: str | None
    thing: str
    before: Any
    after: Any


def _change(row: sa.Row[Any]) -> Change:
    return Change(row.id, row.at, row.name, row.thing, row.before, row.after)


def _changes(site_id: int | None, limit: int) -> sa.Select[Any]:
    query = sa.select(changes, users.c.name).outerjoin(users, users.c.id == changes.c.user_id).where(changes.c.site_id == site_id)
    return query.order_by(changes.c.id.desc()).limit(limit)


def account_changes(connection: sa.Connection, user_id: int, limit: int) -> list[Change]:
    """The newest changes of a user's own account, whoever made them, newest first."""
    return [_change(row) for row in connection.execute(_changes(None, limit).where(changes.c.thing_id == user_id))]


def all_changes(connection: sa.Connection, site_id: int, limit: int, text: str = "", before: int | None = None) -> list[Change]:
    """The newest changes of a site, newest first; only those with this text in who did it, what it was or a value, and older than a number."""
    query = _changes(site_id, limit)
    if before is not None:
        query = query.where(changes.c.id < before)
    if text:
        places = (users.c.name, changes.c.thing, sa.cast(changes.c.before, sa.Text), sa.cast(changes.c.after, sa.Text))
        query = query.where(sa.or_(*(place.icontains(text, autoescape=True) for place in places)))
    return [_change(row) for row in connection.execute(query)]


def changes_of(connection: sa.Connection, site_id: int, things: Sequence[str], limit: int, bearing: str | None = None) -> list[Change]:
    """The newest changes of some kinds of things, newest first; `bearing`: only those that this stands beside, see `change_rules`."""
    query = _changes(site_id, limit).where(changes.c.thing.in_(things))
    if bearing:
        query = query.where(changes.c.after.has_key(bearing))
    return [_change(row) for row in connection.execute(query)]


def log_change(connection: sa.Connection, site_id: int | None, thing: str, thing_id: int, user_id: int | None, before: object, after: object) -> None:
    """Write down who changed what; of their own account, without a site."""
    row = {"site_id": site_id, "thing": thing, "thing_id": thing_id, "user_id": user_id, "before": before, "after": after}
    connection.execute(changes.insert().values(row))
