"""API tokens: by which programs call in the name of a user. Secrets are kept as hashes only."""

from __future__ import annotations

import secrets
from dataclasses import dataclass
from datetime import UTC, datetime, timedelta
from typing import Literal

import sqlalchemy as sa

from upper_compass.store.accounts import User, digest
from upper_compass.store.change_log import log_change
from upper_compass.store.tables import api_tokens, sites, users

Scope = Literal["read", "write", "import"]
MAX_TOKENS = 100


@dataclass(frozen=True)
class Bearer:
    """Whose token it is, what it may do, and the one site that it is for; None for all of theirs."""

    user: User
    scope: Scope
    site_id: int | None


@dataclass(frozen=True)
class Token:
    """A token as its user sees it. `site`: the key of the one that it is for."""

    id: int
    name: str
    scope: Scope
    site: str | None
    made: datetime
    used: datetime | None
    until: datetime | None


class TooManyTokensError(ValueError):
    """The user has as many tokens as one may."""


def add_token(
    connection: sa.Connection, user_id: int, name: str, scope: Scope = "write", site_id: int | None = None, days: int | None = None
) -> str:  # fmt: skip
    """A new token with rights of the user, for so many days, or without an end; it is shown this once. Raises TooManyTokensError."""
    mine = sa.select(sa.func.count()).select_from(api_tokens).where(api_tokens.c.user_id == user_id, api_tokens.c.revoked_at.is_(None))
    if connection.execute(mine).scalar_one() >= MAX_TOKENS:
        raise TooManyTokensError
    secret = "uct_" + secrets.token_urlsafe(32)
    until = datetime.now(UTC) + timedelta(days=days) if days else None
    values = {"user_id": user_id, "name": name, "token_hash": digest(secret), "scope": scope, "site_id": site_id, "expires_at": until}
    made = connection.execute(api_tokens.insert().values(values).returning(api_tokens.c.id)).scalar_one()
    after = {"name": name, "scope": scope, "until": until.isoformat() if until else None}
    log_change(connection, site_id, "token", made, user_id, None, after)
    return secret


def token_user(connection: sa.Connection, secret: str) -> Bearer | None:
    """Whose a token is that was not revoked and has not ended."""
    query = sa.select(users.c.id, users.c.email, users.c.name, api_tokens.c.id.label("token"), api_tokens.c.scope, api_tokens.c.site_id).join(api_tokens)
    holds = api_tokens.c.revoked_at.is_(None) & (api_tokens.c.expires_at.is_(None) | (api_tokens.c.expires_at > sa.func.now()))
    row = connection.execute(query.where(api_tokens.c.token_hash == digest(secret), holds)).one_or_none()
    if row is None:
        return None
    connection.execute(api_tokens.update().where(api_tokens.c.id == row.token).values(last_used_at=sa.func.now()))
    return Bearer(User(row.id, row.email, row.name), row.scope, row.site_id)


def tokens_of(connection: sa.Connection, user_id: int) -> list[Token]:
    """Tokens of a user that were not revoked, the newest first; what has ended is told too."""
    query = sa.select(api_tokens, sites.c.key).outerjoin(sites, sites.c.id == api_tokens.c.site_id)
    rows = connection.execute(query.where(api_tokens.c.user_id == user_id, api_tokens.c.revoked_at.is_(None)).order_by(api_tokens.c.id.desc()))
    return [Token(row.id, row.name, row.scope, row.key, row.created_at, row.last_used_at, row.expires_at) for row in rows]


def revoke_token(connection: sa.Connection, user_id: int, number: int) -> bool:
    """Let a token of a user hold no more, from now on; whether there was one."""
    mine = api_tokens.update().where(api_tokens.c.user_id == user_id, api_tokens.c.id == number, api_tokens.c.revoked_at.is_(None))
    row = connection.execute(mine.values(revoked_at=sa.func.now()).returning(api_tokens)).one_or_none()
    if row is None:
        return False
    log_change(connection, row.site_id, "token", number, user_id, {"name": row.name, "scope": row.scope}, None)
    return True
