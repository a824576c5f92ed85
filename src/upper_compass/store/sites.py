"""Sites, their goals, and who may do what there."""

from __future__ import annotations

import secrets
from collections.abc import Callable, Collection, Sequence
from dataclasses import dataclass, field
from datetime import datetime
from typing import Any

import sqlalchemy as sa
from pydantic import ValidationError

from upper_compass.core.definitions.goals import Goal
from upper_compass.core.definitions.log_reading import LogReading
from upper_compass.core.definitions.script_settings import Tagging
from upper_compass.core.definitions.site_rules import SiteRules
from upper_compass.core.definitions.text_tests import STORED
from upper_compass.core.definitions.validation_messages import sentence
from upper_compass.store.change_log import log_change
from upper_compass.store.tables import goals, roles, sites


@dataclass(frozen=True)
class Site:
    """A site: `key` stands in its addresses and in the code on its pages."""

    id: int
    key: str
    name: str
    rules: SiteRules
    created_at: datetime
    tagging: Tagging
    deletion_epoch: int
    secret: bytes = field(repr=False, default=b"")
    # How server logs are read; None as is usual.
    logs: LogReading | None = None


@dataclass(frozen=True)
class StoredGoal:
    """A goal of a site under its name."""

    id: int
    name: str
    goal: Goal


class UnfitError(ValueError):
    """Settings that do not go together: the field, and a sentence."""

    def __init__(self, field: str, text: str) -> None:
        super().__init__(text)
        self.field, self.text = field, text


def _rules(given_rules: Any) -> SiteRules:  # noqa: ANN401
    """Rules that were checked when they were written."""
    return SiteRules.model_validate(given_rules, context=STORED)


def _fits_together(rules: SiteRules) -> None:
    fault = rules.fault_together()
    if fault:
        raise UnfitError("", fault)


def _site(row: sa.Row[Any]) -> Site:
    return Site(
        row.id, row.key, row.name, _rules(row.rules), row.created_at, Tagging.model_validate(row.tagging, context=STORED), row.deletion_epoch, row.secret,
        LogReading.model_validate(row.log_reading) if row.log_reading else None,
    )  # fmt: skip


def _goal(row: sa.Row[Any]) -> StoredGoal:
    return StoredGoal(row.id, row.name, Goal.model_validate(row.definition, context=STORED))


def new_key() -> str:
    """A key that no other site has."""
    alphabet = "abcdefghjkmnpqrstuvwxyz23456789"
    return "".join(secrets.choice(alphabet) for _ in range(10))


def _settings(name: str, rules: SiteRules, tagging: Tagging) -> dict[str, Any]:
    return {"name": name, "rules": rules.model_dump(mode="json"), "tagging": tagging.model_dump(mode="json")}


def add_site(connection: sa.Connection, name: str, rules: SiteRules, owner_id: int, key: str | None = None, tagging: Tagging | None = None) -> Site:
    """Add a site; who adds it owns it."""
    after = _settings(name, rules, tagging or Tagging())
    made = after | {"key": key or new_key(), "created_by": owner_id, "secret": secrets.token_bytes(32)}
    row = connection.execute(sites.insert().values(made).returning(sites)).one()
    connection.execute(roles.insert().values(site_id=row.id, user_id=owner_id, role="owner"))
    log_change(connection, row.id, "site", row.id, owner_id, None, after)
    return _site(row)


# Parts of the rules that are changed through doors of their own; who changes the rest has perhaps not seen the newest of them.
OWN_DOORS = ("aliases", "channels", "events", "fields")


def change_site(connection: sa.Connection, site: Site, name: str, rules: SiteRules, tagging: Tagging, user_id: int) -> Site:
    """Give a site another name and other settings. Aliases, channels, notes on events and fields stay as they are, see `change_rules`."""
    given_rules = _rules(connection.execute(sa.select(sites.c.rules).where(sites.c.id == site.id).with_for_update()).scalar_one())
    kept = rules.model_copy(update={part: getattr(given_rules, part) for part in OWN_DOORS})
    _fits_together(kept)
    after = _settings(name, kept, tagging)
    row = connection.execute(sites.update().where(sites.c.id == site.id).values(after).returning(sites)).one()
    log_change(connection, site.id, "site", site.id, user_id, _settings(site.name, site.rules, site.tagging), after)
    return _site(row)


def change_rules(
    connection: sa.Connection, site_id: int, edit: Callable[[SiteRules], SiteRules], user_id: int, thing: str, beside: dict[str, Any] | None = None
) -> SiteRules:
    """Change a part of how a site is read. Who else changes it at the same time waits, so that no change is lost.

    `thing` names the part in the history; `beside` is written down next to what it becomes.

    `edit` may raise what its caller handles; nothing is changed then. Raises UnfitError for what is no good as a whole, such as too long a list.
    """
    before = _rules(connection.execute(sa.select(sites.c.rules).where(sites.c.id == site_id).with_for_update()).scalar_one())
    edited = edit(before)
    try:
        after = _rules(edited.model_dump())
    except ValidationError as why:
        first = why.errors(include_url=False, include_input=False)[0]
        raise UnfitError(".".join(str(part) for part in first["loc"]), sentence(first)) from why
    _fits_together(after)
    was, becomes = before.model_dump(mode="json"), after.model_dump(mode="json")
    changed = [name for name in becomes if becomes[name] != was[name]]
    if changed:
        connection.execute(sites.update().where(sites.c.id == site_id).values(rules=becomes))
        parts = ({name: state[name] for name in changed} for state in (was, becomes))
        log_change(connection, site_id, thing, site_id, user_id, next(parts), next(parts) | (beside or {}))
    return after


def site_by_key(connection: sa.Connection, key: str) -> Site | None:
    """The site with this key."""
    row = connection.execute(sa.select(sites).where(sites.c.key == key, sites.c.deleted_at.is_(None))).one_or_none()
    return _site(row) if row else None


def all_sites(connection: sa.Connection) -> list[Site]:
    """Every site, for the collector."""
    return [_site(row) for row in connection.execute(sa.select(sites).where(sites.c.deleted_at.is_(None)))]


def sites_of(connection: sa.Connection, user_id: int) -> list[tuple[Site, str]]:
    """(site, role) of a user, by name."""
    query = sa.select(sites, roles.c.role).join(roles).where(roles.c.user_id == user_id, sites.c.deleted_at.is_(None))
    return [(_site(row), row.role) for row in connection.execute(query.order_by(sites.c.name))]


def site_for(connection: sa.Connection, user_id: int, key: str) -> tuple[Site, str] | None:
    """(site, role) of a user at one site, or None where they have none."""
    query = sa.select(sites, roles.c.role).join(roles).where(sites.c.key == key, sites.c.deleted_at.is_(None), roles.c.user_id == user_id)
    row = connection.execute(query).one_or_none()
    return (_site(row), row.role) if row else None


def give_role(connection: sa.Connection, site_id: int, user_id: int, role: str) -> None:
    """Let a user in, as viewer, analyst or owner."""
    connection.execute(roles.delete().where(roles.c.site_id == site_id, roles.c.user_id == user_id))
    connection.execute(roles.insert().values(site_id=site_id, user_id=user_id, role=role))


def goals_of(connection: sa.Connection, site_id: int, *, archived: bool = False) -> Sequence[StoredGoal]:
    """The site's goals in the order in which they were made; the first is steered by unless another is chosen. Or those put away, the last one first."""
    order = (goals.c.deleted_at.desc(), goals.c.id) if archived else (goals.c.id,)
    query = sa.select(goals).where(goals.c.site_id == site_id, goals.c.deleted_at.is_not(None) == archived).order_by(*order)
    return [_goal(row) for row in connection.execute(query)]


def goal_of(connection: sa.Connection, site_id: int, goal_id: int) -> StoredGoal | None:
    """One goal of the site, unless it was deleted."""
    row = connection.execute(sa.select(goals).where(goals.c.site_id == site_id, goals.c.id == goal_id, goals.c.deleted_at.is_(None))).one_or_none()
    return _goal(row) if row else None


def goals_among(connection: sa.Connection, site_id: int, ids: Collection[int]) -> dict[int, StoredGoal]:
    """Those of these goals that the site has, by id, unless they were deleted."""
    rows = connection.execute(sa.select(goals).where(goals.c.site_id == site_id, goals.c.id.in_(ids), goals.c.deleted_at.is_(None)))
    return {row.id: _goal(row) for row in rows}


def add_goal(connection: sa.Connection, site_id: int, name: str, goal: Goal, user_id: int) -> StoredGoal:
    """Add a goal."""
    definition = goal.model_dump(mode="json")
    row = connection.execute(goals.insert().values(site_id=site_id, name=name, definition=definition, created_by=user_id).returning(goals)).one()
    log_change(connection, site_id, "goal", row.id, user_id, None, {"name": name, "definition": definition})
    return _goal(row)


def change_goal(connection: sa.Connection, site_id: int, stored: StoredGoal, name: str, goal: Goal, user_id: int) -> StoredGoal:
    """Change a goal; history is read anew by it."""
    after = {"name": name, "definition": goal.model_dump(mode="json")}
    row = connection.execute(goals.update().where(goals.c.id == stored.id).values(after).returning(goals)).one()
    log_change(connection, site_id, "goal", stored.id, user_id, {"name": stored.name, "definition": stored.goal.model_dump(mode="json")}, after)
    return _goal(row)


def delete_goal(connection: sa.Connection, site_id: int, goal_id: int, user_id: int) -> None:
    """Put a goal away; `restore_goal` brings it back."""
    connection.execute(goals.update().where(goals.c.site_id == site_id, goals.c.id == goal_id).values(deleted_at=sa.func.now()))
    log_change(connection, site_id, "goal", goal_id, user_id, {"deleted": False}, {"deleted": True})


def restore_goal(connection: sa.Connection, site_id: int, goal_id: int, user_id: int) -> StoredGoal | None:
    """Bring back a goal that was put away."""
    found = goals.update().where(goals.c.site_id == site_id, goals.c.id == goal_id, goals.c.deleted_at.is_not(None))
    row = connection.execute(found.values(deleted_at=None).returning(goals)).one_or_none()
    if row is None:
        return None
    log_change(connection, site_id, "goal", goal_id, user_id, {"deleted": True}, {"deleted": False})
    return _goal(row)
