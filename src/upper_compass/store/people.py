"""Who may enter a site, with which role, and the links by which others are invited."""

from __future__ import annotations

import secrets
from dataclasses import dataclass
from datetime import UTC, datetime, timedelta

import sqlalchemy as sa

from upper_compass.store.accounts import User, digest
from upper_compass.store.change_log import log_change
from upper_compass.store.sites import give_role
from upper_compass.store.tables import ROLES, invitations, roles, sites, users

INVITED_DAYS = 7
MAX_INVITATIONS = 200


@dataclass(frozen=True)
class Member:
    """Somebody with a role on a site."""

    user: User
    role: str


@dataclass(frozen=True)
class Invitation:
    """A link by which somebody may come in. `note`: whom it is for; `by` is None when they are gone."""

    id: int
    site_id: int
    site: str
    site_key: str
    role: str
    note: str
    by: str | None
    made: datetime
    until: datetime


class LastOwnerError(ValueError):
    """A site without an owner could never be changed again."""


class TooManyInvitationsError(ValueError):
    """More links are open than anybody oversees."""


def members_of(connection: sa.Connection, site_id: int) -> list[Member]:
    """Everybody with a role on a site, by name."""
    query = sa.select(users.c.id, users.c.email, users.c.name, roles.c.role).join(roles).where(roles.c.site_id == site_id)
    return [Member(User(row.id, row.email, row.name), row.role) for row in connection.execute(query.order_by(sa.func.lower(users.c.name), users.c.id))]


def _hold(connection: sa.Connection, site_id: int) -> dict[int, Member]:
    """Everybody on a site, whom nobody else changes until the transaction ends."""
    connection.execute(sa.select(sites.c.id).where(sites.c.id == site_id).with_for_update())
    return {one.user.id: one for one in members_of(connection, site_id)}


def _unless_last(members: dict[int, Member], user_id: int) -> None:
    if members[user_id].role == "owner" and sum(one.role == "owner" for one in members.values()) == 1:
        raise LastOwnerError


def _told(member: Member, role: str | None) -> dict[str, str | None]:
    return {"name": member.user.name, "email": member.user.email, "role": role}


def change_role(connection: sa.Connection, site_id: int, user_id: int, role: str, by: int) -> Member | None:
    """Give somebody who is in another role; None where they are not. Raises LastOwnerError."""
    members = _hold(connection, site_id)
    if user_id not in members:
        return None
    if role != "owner":
        _unless_last(members, user_id)
    give_role(connection, site_id, user_id, role)
    log_change(connection, site_id, "person", user_id, by, _told(members[user_id], members[user_id].role), _told(members[user_id], role))
    return Member(members[user_id].user, role)


def make_owner(connection: sa.Connection, site_id: int, user: User) -> None:
    """Make somebody an owner, whoever they were there: done by whoever runs the installation."""
    own = _hold(connection, site_id).get(user.id)
    give_role(connection, site_id, user.id, "owner")
    log_change(connection, site_id, "person", user.id, None, _told(own, own.role) if own else None, _told(Member(user, "owner"), "owner"))


def remove(connection: sa.Connection, site_id: int, user_id: int, by: int) -> bool:
    """Let somebody in no more; whether they were in. Raises LastOwnerError."""
    members = _hold(connection, site_id)
    if user_id not in members:
        return False
    _unless_last(members, user_id)
    connection.execute(roles.delete().where(roles.c.site_id == site_id, roles.c.user_id == user_id))
    log_change(connection, site_id, "person", user_id, by, _told(members[user_id], members[user_id].role), None)
    return True


def _invitations() -> sa.Select[tuple[object, ...]]:
    query = sa.select(invitations, sites.c.name.label("site"), sites.c.key.label("site_key"), users.c.name.label("by"))
    joined = query.join(sites, sites.c.id == invitations.c.site_id).outerjoin(users, users.c.id == invitations.c.created_by)
    return joined.where(invitations.c.expires_at > sa.func.now(), sites.c.deleted_at.is_(None))


def _invitation(row: sa.Row[tuple[object, ...]]) -> Invitation:
    return Invitation(row.id, row.site_id, row.site, row.site_key, row.role, row.note, row.by, row.created_at, row.expires_at)


def invitations_of(connection: sa.Connection, site_id: int) -> list[Invitation]:
    """Links of a site that still hold, the newest first."""
    return [_invitation(row) for row in connection.execute(_invitations().where(invitations.c.site_id == site_id).order_by(invitations.c.id.desc()))]


def invite(connection: sa.Connection, site_id: int, role: str, note: str, by: int) -> tuple[Invitation, str]:
    """A link by which somebody may come in, once: (it, its secret, which is shown this once). Raises TooManyInvitationsError."""
    connection.execute(invitations.delete().where(invitations.c.expires_at < sa.func.now()))
    if len(invitations_of(connection, site_id)) >= MAX_INVITATIONS:
        raise TooManyInvitationsError
    secret = secrets.token_urlsafe(32)
    until = datetime.now(UTC) + timedelta(days=INVITED_DAYS)
    values = {"site_id": site_id, "role": role, "note": note, "token_hash": digest(secret), "created_by": by, "expires_at": until}
    made = connection.execute(invitations.insert().values(values).returning(invitations.c.id)).scalar_one()
    log_change(connection, site_id, "invitation", made, by, None, {"role": role, "note": note})
    return _invitation(connection.execute(_invitations().where(invitations.c.id == made)).one()), secret


def take_back(connection: sa.Connection, site_id: int, number: int, by: int) -> bool:
    """Let a link hold no more; whether it did."""
    mine = invitations.delete().where(invitations.c.site_id == site_id, invitations.c.id == number)
    row = connection.execute(mine.returning(invitations.c.role, invitations.c.note)).one_or_none()
    if row is None:
        return False
    log_change(connection, site_id, "invitation", number, by, {"role": row.role, "note": row.note}, None)
    return True


def invited(connection: sa.Connection, secret: str) -> Invitation | None:
    """What a link lets in to, unless it was used, taken back, or has ended."""
    row = connection.execute(_invitations().where(invitations.c.token_hash == digest(secret))).one_or_none()
    return _invitation(row) if row else None


def come_in(connection: sa.Connection, secret: str, user: User) -> Invitation | None:
    """Use up a link: the user has its role from now on, or keeps their own where that is more. None where it does not hold; of two at once one does."""
    found = invited(connection, secret)
    if found is None or not connection.execute(invitations.delete().where(invitations.c.id == found.id)).rowcount:
        return None
    own = _hold(connection, found.site_id).get(user.id)
    if own is None or ROLES.index(own.role) < ROLES.index(found.role):
        give_role(connection, found.site_id, user.id, found.role)
        before = _told(own, own.role) if own else None
        log_change(connection, found.site_id, "person", user.id, user.id, before, _told(Member(user, found.role), found.role))
    return found
