"""Tag rules of a site: versions that went live, the draft of the next one, and trials in single browsers."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime
from typing import Any

import sqlalchemy as sa
from sqlalchemy.dialects.postgresql import insert

from upper_compass.core.tagging.tag_rules import Rule, RuleSet
from upper_compass.store.accounts import digest
from upper_compass.store.change_log import log_change
from upper_compass.store.tables import roles, rule_drafts, rule_trials, rule_versions, sites, users


@dataclass(frozen=True)
class Version:
    """Rules that were made live. `by` is None when they are gone."""

    number: int
    rules: list[Rule]
    note: str
    by: str | None
    at: datetime


def _read(stored: Any) -> list[Rule]:  # noqa: ANN401
    return RuleSet.model_validate({"rules": stored}).rules


def _plain(rules: Sequence[Rule]) -> list[dict[str, Any]]:
    return [rule.model_dump(mode="json") for rule in rules]


def _versions(site_id: int) -> sa.Select[Any]:
    newest_first = sa.select(rule_versions, users.c.name).outerjoin(users, users.c.id == rule_versions.c.created_by)
    return newest_first.where(rule_versions.c.site_id == site_id).order_by(rule_versions.c.number.desc())


def _version(row: sa.Row[Any]) -> Version:
    return Version(row.number, _read(row.rules), row.note, row.name, row.created_at)


def versions_of(connection: sa.Connection, site_id: int, limit: int) -> list[Version]:
    """The newest versions of a site, the first of which is live."""
    return [_version(row) for row in connection.execute(_versions(site_id).limit(limit))]


def version_of(connection: sa.Connection, site_id: int, number: int) -> Version | None:
    """The version of a site with this number."""
    row = connection.execute(_versions(site_id).where(rule_versions.c.number == number)).one_or_none()
    return _version(row) if row else None


def live_rules(connection: sa.Connection, site_id: int) -> list[Rule]:
    """The rules of a site that are live."""
    live = versions_of(connection, site_id, 1)
    return live[0].rules if live else []


def live_numbers(connection: sa.Connection) -> dict[int, int]:
    """The number of the version that is live, by site; a version never changes."""
    newest = sa.select(rule_versions.c.site_id, sa.func.max(rule_versions.c.number)).group_by(rule_versions.c.site_id)
    return {site: number for site, number in connection.execute(newest)}


def live_number(connection: sa.Connection, site_id: int) -> int:
    """The number of the version that is live, 0 when none is."""
    return connection.execute(sa.select(sa.func.max(rule_versions.c.number)).where(rule_versions.c.site_id == site_id)).scalar() or 0


def draft_of(connection: sa.Connection, site_id: int) -> list[Rule] | None:
    """The draft; None when nothing was changed since what is live."""
    stored = connection.execute(sa.select(rule_drafts.c.rules).where(rule_drafts.c.site_id == site_id)).scalar_one_or_none()
    return None if stored is None else _read(stored)


def hold(connection: sa.Connection, site_id: int) -> None:
    """Let nobody else change the site's rules until the transaction ends."""
    connection.execute(sa.select(sites.c.id).where(sites.c.id == site_id).with_for_update())


def keep_draft(connection: sa.Connection, site_id: int, rules: Sequence[Rule], user_id: int) -> None:
    """Replace the draft; one that is just what is live is none."""
    before, live = draft_of(connection, site_id), live_rules(connection, site_id)
    if list(rules) == live:
        connection.execute(rule_drafts.delete().where(rule_drafts.c.site_id == site_id))
    else:
        row = {"site_id": site_id, "rules": _plain(rules), "user_id": user_id}
        connection.execute(insert(rule_drafts).values(row).on_conflict_do_update(index_elements=["site_id"], set_=row | {"at": sa.func.now()}))
    log_change(connection, site_id, "rules", 0, user_id, {"rules": _plain(live if before is None else before)}, {"rules": _plain(rules)})


def make_live(connection: sa.Connection, site_id: int, rules: Sequence[Rule], note: str, user_id: int, at: datetime | None = None) -> int:
    """Make rules live as the next version, dated `at` or now; its number."""
    last = connection.execute(sa.select(sa.func.max(rule_versions.c.number)).where(rule_versions.c.site_id == site_id)).scalar() or 0
    row = {"site_id": site_id, "number": last + 1, "rules": _plain(rules), "note": note, "created_by": user_id}
    connection.execute(rule_versions.insert().values(row | ({"created_at": at} if at else {})))
    draft = draft_of(connection, site_id)
    if draft == list(rules):
        connection.execute(rule_drafts.delete().where(rule_drafts.c.site_id == site_id))
    log_change(connection, site_id, "rules", last + 1, user_id, {"live": last or None}, {"live": last + 1, "note": note})
    return last + 1


def begin_trial(connection: sa.Connection, site_id: int, user_id: int, token: str, now: datetime, until: datetime) -> None:
    """Let the browser that has this token be given the draft, until then."""
    connection.execute(rule_trials.delete().where(rule_trials.c.expires_at < now))
    connection.execute(rule_trials.insert().values(token_hash=digest(token), site_id=site_id, user_id=user_id, expires_at=until))


def may_try(connection: sa.Connection, site_id: int, token: str, now: datetime) -> bool:
    """Whether the token is one of this site, not yet over, of somebody who may still change its rules."""
    mine = (rule_trials.c.token_hash == digest(token)) & (rule_trials.c.site_id == site_id) & (rule_trials.c.expires_at > now)
    editable = (roles.c.site_id == rule_trials.c.site_id) & (roles.c.user_id == rule_trials.c.user_id) & roles.c.role.in_(["analyst", "owner"])
    return connection.execute(sa.select(rule_trials.c.site_id).join(roles, editable).where(mine)).first() is not None
