"""Users, sign-in sessions and API tokens. Secrets are kept as hashes only."""

from __future__ import annotations

import hashlib
import secrets
from dataclasses import dataclass
from datetime import UTC, datetime, timedelta
from functools import cache

import sqlalchemy as sa
from argon2 import PasswordHasher
from argon2.exceptions import Argon2Error, InvalidHashError

from upper_compass.store.tables import api_tokens, known_browsers, roles, sessions, sites, users

SESSION_DAYS = 30
KNOWN_DAYS = 365
_hasher = PasswordHasher()


@cache
def _nobody() -> str:
    """Compared against when nobody has the address, so that a wrong address takes as long as a wrong password."""
    return _hasher.hash(secrets.token_hex(8))


@dataclass(frozen=True)
class User:
    """Somebody who may sign in."""

    id: int
    email: str
    name: str


def digest(secret: str) -> bytes:
    """What is kept of a secret."""
    return hashlib.sha256(secret.encode()).digest()


def add_user(connection: sa.Connection, email: str, name: str, password: str) -> User:
    """Add a user, or give the one with this address a new name and password."""
    values = {"email": email.strip().lower(), "name": name, "password_hash": _hasher.hash(password)}
    found = connection.execute(sa.select(users.c.id).where(users.c.email == values["email"])).scalar()
    if found is None:
        found = connection.execute(users.insert().values(values).returning(users.c.id)).scalar_one()
    else:
        connection.execute(users.update().where(users.c.id == found).values(values))
    return User(found, values["email"], name)


def password_of(connection: sa.Connection, email: str) -> tuple[User | None, str | None]:
    """(user, hash of their password) of an address, or nothing."""
    row = connection.execute(sa.select(users).where(users.c.email == email.strip().lower())).one_or_none()
    return (User(row.id, row.email, row.name), row.password_hash) if row else (None, None)


def fits(hashed: str | None, password: str) -> bool:
    """Whether a password is that of the hash; without one it takes as long, and is not. Takes a moment of a core and no connection."""
    try:
        return _hasher.verify(hashed or _nobody(), password) and hashed is not None
    except (Argon2Error, InvalidHashError):
        return False


def remember_browser(connection: sa.Connection, user: User) -> str:
    """A secret by which a browser is known from which this user signed in."""
    secret = secrets.token_urlsafe(32)
    connection.execute(known_browsers.delete().where(known_browsers.c.expires_at < sa.func.now()))
    expires = datetime.now(UTC) + timedelta(days=KNOWN_DAYS)
    connection.execute(known_browsers.insert().values(token_hash=digest(secret), user_id=user.id, expires_at=expires))
    return secret


def knows_browser(connection: sa.Connection, user: User, secret: str) -> bool:
    """Whether this user signed in before from the browser with this secret."""
    known = (known_browsers.c.token_hash == digest(secret)) & (known_browsers.c.user_id == user.id) & (known_browsers.c.expires_at > sa.func.now())
    return connection.execute(sa.select(sa.literal(1)).where(known)).first() is not None


def open_session(connection: sa.Connection, user: User) -> tuple[str, str]:
    """A new sign-in session: (its secret, its token against forged requests)."""
    secret, csrf = secrets.token_urlsafe(32), secrets.token_urlsafe(24)
    expires = datetime.now(UTC) + timedelta(days=SESSION_DAYS)
    connection.execute(sessions.delete().where(sessions.c.expires_at < sa.func.now()))
    connection.execute(sessions.insert().values(token_hash=digest(secret), user_id=user.id, csrf=csrf, expires_at=expires))
    return secret, csrf


def session_user(connection: sa.Connection, secret: str) -> tuple[User, str] | None:
    """(user, token against forged requests) of a session that still holds."""
    query = sa.select(users.c.id, users.c.email, users.c.name, sessions.c.csrf).join(sessions)
    row = connection.execute(query.where(sessions.c.token_hash == digest(secret), sessions.c.expires_at > sa.func.now())).one_or_none()
    return (User(row.id, row.email, row.name), row.csrf) if row else None


def close_session(connection: sa.Connection, secret: str) -> None:
    """Sign out."""
    connection.execute(sessions.delete().where(sessions.c.token_hash == digest(secret)))


def add_token(connection: sa.Connection, user_id: int, name: str) -> str:
    """A new API token with the rights of the user; it is shown this once."""
    secret = "uct_" + secrets.token_urlsafe(32)
    connection.execute(api_tokens.insert().values(user_id=user_id, name=name, token_hash=digest(secret)))
    return secret


def token_user(connection: sa.Connection, secret: str) -> User | None:
    """The user of a token that was not revoked."""
    query = sa.select(users.c.id, users.c.email, users.c.name, api_tokens.c.id.label("token")).join(api_tokens)
    row = connection.execute(query.where(api_tokens.c.token_hash == digest(secret), api_tokens.c.revoked_at.is_(None))).one_or_none()
    if row is None:
        return None
    connection.execute(api_tokens.update().where(api_tokens.c.id == row.token).values(last_used_at=sa.func.now()))
    return User(row.id, row.email, row.name)


def role_on(connection: sa.Connection, user: User, site_key: str) -> tuple[int, str] | None:
    """(id of the site, the user's role there), or None where they have none."""
    query = sa.select(sites.c.id, roles.c.role).join(roles)
    row = connection.execute(query.where(sites.c.key == site_key, sites.c.deleted_at.is_(None), roles.c.user_id == user.id)).one_or_none()
    return (row.id, row.role) if row else None


def anyone(connection: sa.Connection) -> bool:
    """Whether there is any user yet."""
    return connection.execute(sa.select(sa.exists().where(users.c.id > 0))).scalar_one()


def user_by_email(connection: sa.Connection, email: str) -> User | None:
    """The user with this address."""
    row = connection.execute(sa.select(users.c.id, users.c.email, users.c.name).where(users.c.email == email.strip().lower())).one_or_none()
    return User(row.id, row.email, row.name) if row else None
