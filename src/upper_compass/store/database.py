"""Engines, and bringing a database to the newest migration."""

from __future__ import annotations

import time
from pathlib import Path

import psycopg
import sqlalchemy as sa
from sqlalchemy.engine.interfaces import DBAPIConnection
from sqlalchemy.pool import ConnectionPoolEntry, PoolProxiedConnection

MIGRATIONS = Path(__file__).parent / "migrations"


# A connection that nobody used for so many seconds may have broken: it is tried first. To try each costs as much as to ask.
IDLE = 1.0


def connect(url: str, *, pool_size: int = 5, more: int = 10) -> sa.Engine:
    """An engine for a `postgresql+psycopg://` address; a connection that broke is replaced."""
    reach = {"connect_timeout": 5, "keepalives_idle": 30, "tcp_user_timeout": 15_000}
    engine = sa.create_engine(url, pool_size=pool_size, max_overflow=more, pool_timeout=10, connect_args=reach)

    def given_back(_: DBAPIConnection | None, record: ConnectionPoolEntry) -> None:
        record.info["used"] = time.monotonic()

    def taken(connection: DBAPIConnection, record: ConnectionPoolEntry, _: PoolProxiedConnection) -> None:
        used = record.info.get("used")
        if used is not None and time.monotonic() - used > IDLE:
            try:
                engine.dialect.do_ping(connection)
            except psycopg.Error as why:  # nor will the others be better
                raise sa.exc.InvalidatePoolError from why

    sa.event.listen(engine, "checkin", given_back)
    sa.event.listen(engine, "checkout", taken)
    return engine


def reading(engine: sa.Engine) -> sa.Connection:
    """A connection to read over: nothing is begun or ended, so that each question is one way there and back, and of its own moment.

    Nor is anything rolled back, after which the driver forgets what it has prepared.
    """
    return engine.connect().execution_options(isolation_level="AUTOCOMMIT")


class NewerDatabaseError(Exception):
    """What was kept by a newer version: this one would not understand it."""


def newest_migration() -> str:
    """The migration that this version needs. Their files begin with their numbers, which are in the order of time."""
    return max(file.name for file in (MIGRATIONS / "versions").glob("[0-9]*.py")).partition("_")[0]


def migration_of(connection: sa.Connection) -> str:
    """The migration that a database is at; nothing for an empty one."""
    if not sa.inspect(connection).has_table("alembic_version"):
        return ""
    return connection.execute(sa.text("SELECT version_num FROM alembic_version")).scalar() or ""


def migrate(engine: sa.Engine) -> None:
    """Bring the tables to the newest migration; at the newest already, nothing happens. Raises NewerDatabaseError, and touches nothing then."""
    with engine.begin() as connection:
        connection.execute(sa.text("SELECT pg_advisory_xact_lock(72021)"))
        held, newest = migration_of(connection), newest_migration()
        if held > newest:
            raise NewerDatabaseError(f"The database was kept by a newer version (migration {held}; this one knows {newest}).")
        if held < newest:
            _upgrade(connection)


def _upgrade(connection: sa.Connection) -> None:
    from alembic import command  # takes a third of a second, and few starts need it
    from alembic.config import Config

    config = Config()
    config.set_main_option("script_location", str(MIGRATIONS))
    config.attributes["connection"] = connection
    command.upgrade(config, "head")
