"""As whom a provider of identities knows a user."""

from __future__ import annotations

import sqlalchemy as sa

from upper_compass.store.accounts import User
from upper_compass.store.change_log import log_change
from upper_compass.store.tables import identities, users


def user_of(connection: sa.Connection, issuer: str, subject: str) -> User | None:
    """The user whom the provider knows as this."""
    query = sa.select(users.c.id, users.c.email, users.c.name).join(identities)
    row = connection.execute(query.where(identities.c.issuer == issuer, identities.c.subject == subject)).one_or_none()
    return User(row.id, row.email, row.name) if row else None


def remember(connection: sa.Connection, user: User, issuer: str, subject: str) -> None:
    """From now on the provider's word on this subject lets this user in."""
    connection.execute(identities.insert().values(issuer=issuer, subject=subject, user_id=user.id))
    log_change(connection, None, "sign-in", user.id, user.id, None, {"by": issuer})
