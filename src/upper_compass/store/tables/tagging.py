"""What is tagged, and what was wrong with it."""

from __future__ import annotations

import sqlalchemy as sa
from sqlalchemy.dialects.postgresql import JSONB

from upper_compass.store.tables.common import metadata, moment, owner

# `draft`: what was typed, tidied; `url`: the finished link.
links = sa.Table(
    "links",
    metadata,
    sa.Column("id", sa.Integer, primary_key=True),
    sa.Column("site_id", sa.ForeignKey("sites.id", ondelete="CASCADE"), nullable=False, index=True),
    sa.Column("draft", JSONB, nullable=False),
    sa.Column("url", sa.Text, nullable=False),
    sa.Column("note", sa.Text, nullable=False),
    owner(),
    moment("created_at", default=True),
    moment("archived_at"),
)

# Tag rules: every version that was made live, the highest number being live now.
rule_versions = sa.Table(
    "rule_versions",
    metadata,
    sa.Column("site_id", sa.ForeignKey("sites.id", ondelete="CASCADE"), primary_key=True),
    sa.Column("number", sa.Integer, primary_key=True, autoincrement=False),
    sa.Column("rules", JSONB, nullable=False),
    sa.Column("note", sa.Text, nullable=False),
    owner(),
    moment("created_at", default=True),
)

# What the next version may become; without a row it is what is live.
rule_drafts = sa.Table(
    "rule_drafts",
    metadata,
    sa.Column("site_id", sa.ForeignKey("sites.id", ondelete="CASCADE"), primary_key=True),
    sa.Column("rules", JSONB, nullable=False),
    sa.Column("user_id", sa.ForeignKey("users.id", ondelete="SET NULL"), nullable=True),
    moment("at", default=True),
)

# Browsers with the token of a trial are given the draft.
rule_trials = sa.Table(
    "rule_trials",
    metadata,
    sa.Column("token_hash", sa.LargeBinary, primary_key=True),
    sa.Column("site_id", sa.ForeignKey("sites.id", ondelete="CASCADE"), nullable=False),
    sa.Column("user_id", sa.ForeignKey("users.id", ondelete="CASCADE"), nullable=False),
    sa.Column("expires_at", sa.DateTime(timezone=True), nullable=False),
)

# Findings of Tag health that somebody accepted, by the finding's key.
accepted = sa.Table(
    "accepted",
    metadata,
    sa.Column("site_id", sa.ForeignKey("sites.id", ondelete="CASCADE"), primary_key=True),
    sa.Column("finding", sa.Text, primary_key=True),
    sa.Column("reason", sa.Text, nullable=False),
    sa.Column("user_id", sa.ForeignKey("users.id", ondelete="SET NULL"), nullable=True),
    moment("at", default=True),
)

# What was turned away, or stored without a part of it, by the key that was given and the page. `why`: see collect/refusals.py.
refusals = sa.Table(
    "refusals",
    metadata,
    *(sa.Column(name, sa.Text, primary_key=True) for name in ("site_key", "why", "host", "field", "page")),
    sa.Column("times", sa.BigInteger, nullable=False),
    sa.Column("first_at", sa.DateTime(timezone=True), nullable=False),
    sa.Column("last_at", sa.DateTime(timezone=True), nullable=False),
)
