"""What all tables share: where they are known, and columns that many of them have."""

from __future__ import annotations

from typing import Any

import sqlalchemy as sa

metadata = sa.MetaData(
    naming_convention={"ix": "ix_%(table_name)s_%(column_0_N_name)s", "pk": "pk_%(table_name)s", "fk": "fk_%(table_name)s_%(column_0_name)s"}
)

NOW = sa.text("now()")


def moment(name: str, *, default: bool = False) -> sa.Column[Any]:
    """When something was; empty until it is, unless it is now by default."""
    return sa.Column(name, sa.DateTime(timezone=True), nullable=not default, server_default=NOW if default else None)


def one_of(name: str, values: tuple[str, ...], **more: Any) -> sa.Column[Any]:  # noqa: ANN401
    """One of a few words."""
    return sa.Column(name, sa.Enum(*values, name=name, native_enum=False, create_constraint=True, length=10), nullable=False, **more)


def owner() -> sa.Column[Any]:
    """Who made it; empty when they are no more."""
    return sa.Column("created_by", sa.ForeignKey("users.id", ondelete="SET NULL"), nullable=True)
