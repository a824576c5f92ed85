"""Who may come in, and by what."""

from __future__ import annotations

import sqlalchemy as sa

from upper_compass.store.tables.common import metadata, moment, one_of

# What a token may do: read as a viewer does, whatever its owner may, or bring files in and nothing else.
SCOPES = ("read", "write", "import")

users = sa.Table(
    "users",
    metadata,
    sa.Column("id", sa.Integer, primary_key=True),
    sa.Column("email", sa.Text, nullable=False, unique=True),
    sa.Column("name", sa.Text, nullable=False),
    # Null for whoever signs in by a provider alone.
    sa.Column("password_hash", sa.Text, nullable=True),
    moment("created_at", default=True),
)

# Codes by time, see services/codes.py. One that is not confirmed asks for nothing yet; no code of `last_step` or before it is taken again.
second_factors = sa.Table(
    "second_factors",
    metadata,
    sa.Column("user_id", sa.ForeignKey("users.id", ondelete="CASCADE"), primary_key=True),
    sa.Column("secret", sa.Text, nullable=False),
    moment("confirmed_at"),
    sa.Column("last_step", sa.BigInteger, nullable=False, server_default=sa.text("0")),
)

recovery_codes = sa.Table(
    "recovery_codes",
    metadata,
    sa.Column("user_id", sa.ForeignKey("users.id", ondelete="CASCADE"), primary_key=True),
    sa.Column("code_hash", sa.LargeBinary, primary_key=True),
)

# As whom a provider knows somebody.
identities = sa.Table(
    "identities",
    metadata,
    sa.Column("issuer", sa.Text, primary_key=True),
    sa.Column("subject", sa.Text, primary_key=True),
    sa.Column("user_id", sa.ForeignKey("users.id", ondelete="CASCADE"), nullable=False, index=True),
    moment("created_at", default=True),
)

sessions = sa.Table(
    "sessions",
    metadata,
    sa.Column("token_hash", sa.LargeBinary, primary_key=True),
    sa.Column("user_id", sa.ForeignKey("users.id", ondelete="CASCADE"), nullable=False, index=True),
    sa.Column("csrf", sa.Text, nullable=False),
    moment("created_at", default=True),
    sa.Column("expires_at", sa.DateTime(timezone=True), nullable=False),
    # By which its user tells it from others: a number, the browser and system, when it was last used.
    sa.Column("id", sa.Integer, sa.Identity(), nullable=False, unique=True),
    sa.Column("browser", sa.Text, nullable=False, server_default=sa.text("''")),
    moment("seen_at", default=True),
)

# Browsers from which somebody signed in before: others who try their password cannot lock them out.
known_browsers = sa.Table(
    "known_browsers",
    metadata,
    sa.Column("token_hash", sa.LargeBinary, primary_key=True),
    sa.Column("user_id", sa.ForeignKey("users.id", ondelete="CASCADE"), nullable=False, index=True),
    sa.Column("expires_at", sa.DateTime(timezone=True), nullable=False),
)

api_tokens = sa.Table(
    "api_tokens",
    metadata,
    sa.Column("id", sa.Integer, primary_key=True),
    sa.Column("user_id", sa.ForeignKey("users.id", ondelete="CASCADE"), nullable=False, index=True),
    sa.Column("name", sa.Text, nullable=False),
    sa.Column("token_hash", sa.LargeBinary, nullable=False, unique=True),
    moment("created_at", default=True),
    moment("last_used_at"),
    moment("revoked_at"),
    one_of("scope", SCOPES, server_default=sa.text("'write'")),
    # The one site that it is for; null for all of its user.
    sa.Column("site_id", sa.ForeignKey("sites.id", ondelete="CASCADE"), nullable=True),
    moment("expires_at"),
)
