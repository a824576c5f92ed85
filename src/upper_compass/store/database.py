"""Engines, and bringing a database to the newest migration."""

from __future__ import annotations

from pathlib import Path

import sqlalchemy as sa
from alembic import command
from alembic.config import Config

MIGRATIONS = Path(__file__).parent / "migrations"


def connect(url: str, *, pool_size: int = 5) -> sa.Engine:
    """An engine for a `postgresql+psycopg://` address; a connection that broke is replaced."""
    reach = {"connect_timeout": 5, "keepalives_idle": 30, "tcp_user_timeout": 15_000}
    return sa.create_engine(url, pool_size=pool_size, max_overflow=10, pool_pre_ping=True, pool_timeout=10, connect_args=reach)


def migrate(engine: sa.Engine) -> None:
    """Bring the tables to the newest migration; at the newest already, nothing happens."""
    config = Config()
    config.set_main_option("script_location", str(MIGRATIONS))
    with engine.begin() as connection:
        connection.execute(sa.text("SELECT pg_advisory_xact_lock(72021)"))
        config.attributes["connection"] = connection
        command.upgrade(config, "head")
