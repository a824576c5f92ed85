"""What the store knows of visitors beyond their hits: salts of daily pseudonyms, who is followed; forgetting and handing out their data."""

from __future__ import annotations

import hashlib
import json
import secrets
from collections.abc import Iterator, Mapping
from datetime import date, datetime, timedelta
from typing import Any

import sqlalchemy as sa
from sqlalchemy.dialects.postgresql import insert

from upper_compass.core.definitions.hits import Kind
from upper_compass.store.record import erase
from upper_compass.store.record_files import Chosen, rows_of
from upper_compass.store.storage import Storage
from upper_compass.store.tables import followed, handed, hits, salts

FOLLOWED_FOR = timedelta(days=1)
HANDED_FOR = timedelta(minutes=10)
SALT_BYTES = 32
_AS_JSON = ("order_data", "props", "fields")
_AS_IT_IS = (
    "visitor", "url", "title", "referrer", "name", "value", "currency", "engaged_ms", "props", "fields", "language", "timezone", "screen",
    "user_agent", "country",
)  # fmt: skip


def salt_of(connection: sa.Connection, site_id: int, day: date) -> bytes:
    """The salt of a day, made when it is first asked for; those of earlier days are thrown away then."""
    made = insert(salts).values(site_id=site_id, day=day, salt=secrets.token_bytes(SALT_BYTES))
    connection.execute(made.on_conflict_do_nothing())
    connection.execute(salts.delete().where(salts.c.site_id == site_id, salts.c.day < day))
    return bytes(connection.execute(sa.select(salts.c.salt).where(salts.c.site_id == site_id, salts.c.day == day)).scalar_one())


def follow(connection: sa.Connection, site_id: int, token: str, visitor: str) -> None:
    """Remember for a day who opened a link that bears this token."""
    found = insert(followed).values(site_id=site_id, token=token, visitor=visitor)
    connection.execute(found.on_conflict_do_update(index_elements=["site_id", "token"], set_={"visitor": visitor, "at": sa.func.now()}))
    connection.execute(followed.delete().where(followed.c.at < sa.func.now() - FOLLOWED_FOR))


def follower_of(connection: sa.Connection, site_id: int, token: str) -> str | None:
    """The visitor who opened the link with this token."""
    return connection.execute(sa.select(followed.c.visitor).where(followed.c.site_id == site_id, followed.c.token == token)).scalar()


def use_once(connection: sa.Connection, token: str, now: datetime) -> bool:
    """Whether a token that hands a visitor on is used for the first time."""
    connection.execute(handed.delete().where(handed.c.at < now - HANDED_FOR))
    used = insert(handed).values(token_hash=hashlib.sha256(token.encode()).digest(), at=now).on_conflict_do_nothing()
    return connection.execute(used.returning(handed.c.at)).first() is not None


def forget(connection: sa.Connection, storage: Storage | None, site_id: int, visitor: str) -> int:
    """Delete all hits of a visitor; how many they were. Raises StorageAwayError."""
    connection.execute(followed.delete().where(followed.c.site_id == site_id, followed.c.visitor == visitor))
    return erase(connection, storage, site_id, Chosen(visitor=visitor))


def forget_before(connection: sa.Connection, storage: Storage | None, site_id: int, moment: datetime) -> int:
    """Delete all hits from before a moment; how many they were. Raises StorageAwayError."""
    return erase(connection, storage, site_id, Chosen(before=moment))


def hits_of(connection: sa.Connection, storage: Storage | None, site_id: int, visitor: str) -> Iterator[str]:
    """All that is stored of a visitor, a hit a line, as JSON in the form in which hits come in. Raises StorageAwayError."""
    query = sa.select(hits).where(hits.c.site_id == site_id, hits.c.visitor == visitor)
    rows: list[Mapping[Any, Any]] = list(connection.execute(query).mappings())
    for part in rows_of(connection, storage, site_id, Chosen(visitor=visitor)):
        rows += [row | {name: json.loads(row[name]) for name in _AS_JSON if row[name]} for row in part.to_dicts()]
    for row in sorted(rows, key=lambda one: (one["at"], one["seq"])):
        records: dict[str, Any] = {"id": str(row["id"]), "at": row["at"].isoformat(), "kind": Kind(row["kind"]).name}
        records |= {name: row[name] for name in _AS_IT_IS} | {"order": row["order_data"]}
        yield json.dumps({name: value for name, value in records.items() if value is not None}, ensure_ascii=False) + "\n"
