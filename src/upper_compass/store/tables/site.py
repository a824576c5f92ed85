"""A site, who belongs to it, and what was made on it."""

from __future__ import annotations

import sqlalchemy as sa
from sqlalchemy.dialects.postgresql import JSONB

from upper_compass.store.tables.common import metadata, moment, one_of, owner

ROLES = ("viewer", "analyst", "owner")

sites = sa.Table(
    "sites",
    metadata,
    sa.Column("id", sa.Integer, primary_key=True),
    sa.Column("key", sa.Text, nullable=False, unique=True),
    sa.Column("name", sa.Text, nullable=False),
    sa.Column("rules", JSONB, nullable=False),
    owner(),
    moment("created_at", default=True),
    moment("deleted_at"),
    sa.Column("tagging", JSONB, nullable=False, server_default=sa.text("'{}'")),
    # How often hits were taken out; what was derived before is then thrown away.
    sa.Column("deletion_epoch", sa.Integer, nullable=False, server_default=sa.text("0")),
    sa.Column("vocabulary", JSONB, nullable=False, server_default=sa.text("'[]'")),
    # Signs tokens for browsers, see collect/tokens.py. It never leaves the server.
    sa.Column("secret", sa.LargeBinary, nullable=False),
    # How server logs are read; null as is usual.
    sa.Column("log_reading", JSONB, nullable=True),
)

roles = sa.Table(
    "roles",
    metadata,
    sa.Column("site_id", sa.ForeignKey("sites.id", ondelete="CASCADE"), primary_key=True),
    sa.Column("user_id", sa.ForeignKey("users.id", ondelete="CASCADE"), primary_key=True),
    one_of("role", ROLES),
)

# Links by which somebody may come in; one that was used, or taken back, is gone.
invitations = sa.Table(
    "invitations",
    metadata,
    sa.Column("id", sa.Integer, primary_key=True),
    sa.Column("site_id", sa.ForeignKey("sites.id", ondelete="CASCADE"), nullable=False, index=True),
    one_of("role", ROLES),
    sa.Column("note", sa.Text, nullable=False),
    sa.Column("token_hash", sa.LargeBinary, nullable=False, unique=True),
    owner(),
    moment("created_at", default=True),
    sa.Column("expires_at", sa.DateTime(timezone=True), nullable=False),
)

goals = sa.Table(
    "goals",
    metadata,
    sa.Column("id", sa.Integer, primary_key=True),
    sa.Column("site_id", sa.ForeignKey("sites.id", ondelete="CASCADE"), nullable=False, index=True),
    sa.Column("name", sa.Text, nullable=False),
    sa.Column("definition", JSONB, nullable=False),
    owner(),
    moment("created_at", default=True),
    moment("deleted_at"),
)

segments = sa.Table(
    "segments",
    metadata,
    sa.Column("id", sa.Integer, primary_key=True),
    sa.Column("site_id", sa.ForeignKey("sites.id", ondelete="CASCADE"), nullable=False, index=True),
    sa.Column("name", sa.Text, nullable=False),
    sa.Column("note", sa.Text, nullable=False),
    sa.Column("definition", JSONB, nullable=False),
    owner(),
    moment("created_at", default=True),
    moment("archived_at"),
    sa.Index("ux_segments_name", "site_id", sa.text("lower(name)"), unique=True, postgresql_where=sa.text("archived_at IS NULL")),
)

funnels = sa.Table(
    "funnels",
    metadata,
    sa.Column("id", sa.Integer, primary_key=True),
    sa.Column("site_id", sa.ForeignKey("sites.id", ondelete="CASCADE"), nullable=False, index=True),
    sa.Column("name", sa.Text, nullable=False),
    sa.Column("definition", JSONB, nullable=False),
    owner(),
    moment("created_at", default=True),
    moment("archived_at"),
    sa.Index("ux_funnels_name", "site_id", sa.text("lower(name)"), unique=True, postgresql_where=sa.text("archived_at IS NULL")),
)

# What nobody wants to be told again around a day, by what tells it from others.
dismissed_insights = sa.Table(
    "dismissed_insights",
    metadata,
    sa.Column("id", sa.Integer, primary_key=True),
    sa.Column("site_id", sa.ForeignKey("sites.id", ondelete="CASCADE"), nullable=False, index=True),
    sa.Column("key", sa.Text, nullable=False),
    sa.Column("last", sa.Date, nullable=False),
    owner(),
    moment("created_at", default=True),
)

# `view`: the address of the view that it was written on, within the site.
logbook = sa.Table(
    "logbook",
    metadata,
    sa.Column("id", sa.Integer, primary_key=True),
    sa.Column("site_id", sa.ForeignKey("sites.id", ondelete="CASCADE"), nullable=False, index=True),
    sa.Column("kind", sa.Text, nullable=False),
    sa.Column("first", sa.Date, nullable=False),
    sa.Column("last", sa.Date, nullable=False),
    sa.Column("text", sa.Text, nullable=False),
    sa.Column("view", sa.Text, nullable=False),
    owner(),
    moment("created_at", default=True),
    moment("deleted_at"),
)

# Who changed what, from what to what. What somebody changed of their own account belongs to no site.
changes = sa.Table(
    "changes",
    metadata,
    sa.Column("id", sa.BigInteger, primary_key=True),
    sa.Column("site_id", sa.ForeignKey("sites.id", ondelete="CASCADE"), nullable=True, index=True),
    sa.Column("thing", sa.Text, nullable=False),
    sa.Column("thing_id", sa.Integer, nullable=False),
    sa.Column("user_id", sa.ForeignKey("users.id", ondelete="SET NULL"), nullable=True, index=True),
    moment("at", default=True),
    sa.Column("before", JSONB, nullable=True),
    sa.Column("after", JSONB, nullable=True),
)
