"""A user's second factor: the secret of their device and what is left of their recovery codes, as hashes."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import datetime

import sqlalchemy as sa
from sqlalchemy.dialects.postgresql import insert

from upper_compass.store.accounts import User, digest
from upper_compass.store.change_log import log_change
from upper_compass.store.tables import recovery_codes, second_factors

THING = "second factor"


@dataclass(frozen=True)
class SecondFactor:
    """The secret, since when it is asked for (None while it was never confirmed), and how many recovery codes are left."""

    secret: str
    since: datetime | None
    codes_left: int


def of_user(connection: sa.Connection, user_id: int) -> SecondFactor | None:
    """The second factor of a user, confirmed or not."""
    left = sa.select(sa.func.count()).select_from(recovery_codes).where(recovery_codes.c.user_id == user_id).scalar_subquery()
    row = connection.execute(sa.select(second_factors, left.label("left")).where(second_factors.c.user_id == user_id)).one_or_none()
    return SecondFactor(row.secret, row.confirmed_at, row.left) if row else None


def begin(connection: sa.Connection, user: User, secret: str) -> bool:
    """Keep a secret that asks for nothing until it is confirmed; False where one is asked for already."""
    begun = insert(second_factors).values(user_id=user.id, secret=secret)
    begun = begun.on_conflict_do_update(index_elements=["user_id"], set_={"secret": secret, "last_step": 0}, where=second_factors.c.confirmed_at.is_(None))
    return connection.execute(begun.returning(second_factors.c.user_id)).first() is not None


def confirm(connection: sa.Connection, user: User, step: int, codes: list[str]) -> bool:
    """From now on it is asked for; False where it already was. `codes`: the recovery codes, bare."""
    mine = second_factors.c.user_id == user.id, second_factors.c.confirmed_at.is_(None)
    if not connection.execute(second_factors.update().where(*mine).values(confirmed_at=sa.func.now(), last_step=step)).rowcount:
        return False
    _keep(connection, user, codes)
    log_change(connection, None, THING, user.id, user.id, None, {"asked for": True})
    return True


def renew_codes(connection: sa.Connection, user: User, codes: list[str]) -> None:
    """Other recovery codes; those that were hold no more."""
    _keep(connection, user, codes)
    log_change(connection, None, "recovery codes", user.id, user.id, None, None)


def _keep(connection: sa.Connection, user: User, codes: list[str]) -> None:
    connection.execute(recovery_codes.delete().where(recovery_codes.c.user_id == user.id))
    connection.execute(recovery_codes.insert(), [{"user_id": user.id, "code_hash": digest(code)} for code in codes])


def use_step(connection: sa.Connection, user: User, step: int) -> bool:
    """Take the code of a half minute; False where it, or a later one, was taken before."""
    newer = second_factors.c.user_id == user.id, second_factors.c.last_step < step
    return connection.execute(second_factors.update().where(*newer).values(last_step=step)).rowcount == 1


def use_code(connection: sa.Connection, user: User, code: str) -> bool:
    """Take a recovery code; False where it is none that is left."""
    spent = recovery_codes.delete().where(recovery_codes.c.user_id == user.id, recovery_codes.c.code_hash == digest(code))
    if not connection.execute(spent).rowcount:
        return False
    log_change(connection, None, "recovery code", user.id, user.id, None, {"used": True})
    return True


def end(connection: sa.Connection, user: User, by: int | None) -> bool:
    """Ask for none any more; whether one was asked for."""
    connection.execute(recovery_codes.delete().where(recovery_codes.c.user_id == user.id))
    ended = connection.execute(second_factors.delete().where(second_factors.c.user_id == user.id).returning(second_factors.c.confirmed_at)).scalar()
    if ended is None:
        return False
    log_change(connection, None, THING, user.id, by, {"asked for": True}, None)
    return True
