"""Users and their sign-in sessions. Secrets are kept as hashes only."""

from __future__ import annotations

import hashlib
import secrets
from dataclasses import dataclass
from datetime import UTC, datetime, timedelta
from functools import cache

import sqlalchemy as sa
from argon2 import PasswordHasher
from argon2.exceptions import Argon2Error, InvalidHashError
from sqlalchemy.dialects.postgresql import insert

from upper_compass.store.change_log import log_change
from upper_compass.store.tables import known_browsers, sessions, users

SESSION_DAYS = 30
KNOWN_DAYS = 365
# How often it is noted that a session is used.
SEEN_EVERY = timedelta(minutes=15)
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


def hash_of(password: str) -> str:
    """What is kept of a password. Takes a moment of a core and no connection."""
    return _hasher.hash(password)


def join(connection: sa.Connection, email: str, name: str, hashed: str | None) -> User | None:
    """A new user with a password of which this is the hash, or without one; None where somebody has the address."""
    address = email.strip().lower()
    made = insert(users).values(email=address, name=name, password_hash=hashed).on_conflict_do_nothing(index_elements=["email"])
    number = connection.execute(made.returning(users.c.id)).scalar()
    return User(number, address, name) if number is not None else None


def add_user(connection: sa.Connection, email: str, name: str, password: str) -> User:
    """Add a user, or give the one with this address a new name and password."""
    values = {"email": email.strip().lower(), "name": name, "password_hash": hash_of(password)}
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


def open_session(connection: sa.Connection, user: User, browser: str = "") -> tuple[str, str]:
    """A new sign-in session from a browser, in words: (its secret, its token against forged requests)."""
    secret, csrf = secrets.token_urlsafe(32), secrets.token_urlsafe(24)
    expires = datetime.now(UTC) + timedelta(days=SESSION_DAYS)
    connection.execute(sessions.delete().where(sessions.c.expires_at < sa.func.now()))
    connection.execute(sessions.insert().values(token_hash=digest(secret), user_id=user.id, csrf=csrf, expires_at=expires, browser=browser))
    return secret, csrf


def session_user(connection: sa.Connection, secret: str) -> tuple[User, str] | None:
    """(user, token against forged requests) of a session that still holds. That it is used is noted, now and then."""
    mine = sessions.c.token_hash == digest(secret)
    query = sa.select(users.c.id, users.c.email, users.c.name, sessions.c.csrf, sessions.c.seen_at < sa.func.now() - SEEN_EVERY).join(sessions)
    row = connection.execute(query.where(mine, sessions.c.expires_at > sa.func.now())).one_or_none()
    if row is None:
        return None
    if row[-1]:
        connection.execute(sessions.update().where(mine).values(seen_at=sa.func.now()))
    return User(row.id, row.email, row.name), row.csrf


def close_session(connection: sa.Connection, secret: str) -> None:
    """Sign out."""
    connection.execute(sessions.delete().where(sessions.c.token_hash == digest(secret)))


@dataclass(frozen=True)
class Session:
    """A sign-in that still holds: from which browser, in words, and when it was last used, to a quarter of an hour. `own`: that of the secret."""

    id: int
    browser: str
    since: datetime
    seen: datetime
    own: bool


def sessions_of(connection: sa.Connection, user_id: int, secret: str) -> list[Session]:
    """All sign-ins of a user that still hold, the last used first."""
    query = sa.select(sessions, (sessions.c.token_hash == digest(secret)).label("own"))
    rows = connection.execute(
        query.where(sessions.c.user_id == user_id, sessions.c.expires_at > sa.func.now()).order_by(sessions.c.seen_at.desc(), sessions.c.id)
    )
    return [Session(row.id, row.browser, row.created_at, row.seen_at, row.own) for row in rows]


def end_sessions(connection: sa.Connection, user_id: int, *, number: int | None = None, but: str = "") -> int:
    """End one sign-in of a user, or all but that of a secret; how many there were."""
    which = sessions.c.id == number if number is not None else sessions.c.token_hash != digest(but)
    return connection.execute(sessions.delete().where(sessions.c.user_id == user_id, which)).rowcount


def rename(connection: sa.Connection, user: User, name: str) -> User:
    """Give a user another name."""
    connection.execute(users.update().where(users.c.id == user.id).values(name=name))
    log_change(connection, None, "account", user.id, user.id, {"name": user.name}, {"name": name})
    return User(user.id, user.email, name)


def set_password(connection: sa.Connection, user: User, hashed: str, *, by: int | None, but: str = "") -> None:
    """Give a user another password, of which this is the hash; every session of theirs but that of a secret ends, and no browser is known.

    `by`: who did it; None for whoever runs the installation.
    """
    connection.execute(users.update().where(users.c.id == user.id).values(password_hash=hashed))
    end_sessions(connection, user.id, but=but)
    connection.execute(known_browsers.delete().where(known_browsers.c.user_id == user.id))
    log_change(connection, None, "password", user.id, by, None, None)


def anyone(connection: sa.Connection) -> bool:
    """Whether there is any user yet."""
    return connection.execute(sa.select(sa.exists().where(users.c.id > 0))).scalar_one()


def user_by_email(connection: sa.Connection, email: str) -> User | None:
    """The user with this address."""
    row = connection.execute(sa.select(users.c.id, users.c.email, users.c.name).where(users.c.email == email.strip().lower())).one_or_none()
    return User(row.id, row.email, row.name) if row else None
