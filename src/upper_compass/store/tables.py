"""The tables, as SQLAlchemy sees them. `migrations/` makes them; a test holds the two against each other."""

from __future__ import annotations

from typing import Any

import sqlalchemy as sa
from sqlalchemy.dialects.postgresql import JSONB, UUID

metadata = sa.MetaData(
    naming_convention={"ix": "ix_%(table_name)s_%(column_0_N_name)s", "pk": "pk_%(table_name)s", "fk": "fk_%(table_name)s_%(column_0_name)s"}
)

_now = sa.text("now()")
ROLES = ("viewer", "analyst", "owner")
# What a token may do: read as a viewer does, whatever its owner may, or bring files in and nothing else.
SCOPES = ("read", "write", "import")


def _moment(name: str, *, default: bool = False) -> sa.Column[Any]:
    return sa.Column(name, sa.DateTime(timezone=True), nullable=not default, server_default=_now if default else None)


def _one_of(name: str, values: tuple[str, ...], **more: Any) -> sa.Column[Any]:  # noqa: ANN401
    return sa.Column(name, sa.Enum(*values, name=name, native_enum=False, create_constraint=True, length=10), nullable=False, **more)


def _owner() -> sa.Column[Any]:
    return sa.Column("created_by", sa.ForeignKey("users.id", ondelete="SET NULL"), nullable=True)


users = sa.Table(
    "users",
    metadata,
    sa.Column("id", sa.Integer, primary_key=True),
    sa.Column("email", sa.Text, nullable=False, unique=True),
    sa.Column("name", sa.Text, nullable=False),
    # Null for whoever signs in by a provider alone.
    sa.Column("password_hash", sa.Text, nullable=True),
    _moment("created_at", default=True),
)

# Codes by time, see services/codes.py. One that is not confirmed asks for nothing yet; no code of `last_step` or before it is taken again.
second_factors = sa.Table(
    "second_factors",
    metadata,
    sa.Column("user_id", sa.ForeignKey("users.id", ondelete="CASCADE"), primary_key=True),
    sa.Column("secret", sa.Text, nullable=False),
    _moment("confirmed_at"),
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
    _moment("created_at", default=True),
)

sessions = sa.Table(
    "sessions",
    metadata,
    sa.Column("token_hash", sa.LargeBinary, primary_key=True),
    sa.Column("user_id", sa.ForeignKey("users.id", ondelete="CASCADE"), nullable=False, index=True),
    sa.Column("csrf", sa.Text, nullable=False),
    _moment("created_at", default=True),
    sa.Column("expires_at", sa.DateTime(timezone=True), nullable=False),
    # By which its user tells it from others: a number, the browser and system, when it was last used.
    sa.Column("id", sa.Integer, sa.Identity(), nullable=False, unique=True),
    sa.Column("browser", sa.Text, nullable=False, server_default=sa.text("''")),
    _moment("seen_at", default=True),
)

sites = sa.Table(
    "sites",
    metadata,
    sa.Column("id", sa.Integer, primary_key=True),
    sa.Column("key", sa.Text, nullable=False, unique=True),
    sa.Column("name", sa.Text, nullable=False),
    sa.Column("rules", JSONB, nullable=False),
    _owner(),
    _moment("created_at", default=True),
    _moment("deleted_at"),
    sa.Column("tagging", JSONB, nullable=False, server_default=sa.text("'{}'")),
    # How often hits were taken out; what was derived before is then thrown away.
    sa.Column("deletion_epoch", sa.Integer, nullable=False, server_default=sa.text("0")),
    sa.Column("vocabulary", JSONB, nullable=False, server_default=sa.text("'[]'")),
    # Signs tokens for browsers, see collect/tokens.py. It never leaves the server.
    sa.Column("secret", sa.LargeBinary, nullable=False),
    # How server logs are read; null as is usual.
    sa.Column("log_reading", JSONB, nullable=True),
)

# `draft`: what was typed, tidied; `url`: the finished link.
links = sa.Table(
    "links",
    metadata,
    sa.Column("id", sa.Integer, primary_key=True),
    sa.Column("site_id", sa.ForeignKey("sites.id", ondelete="CASCADE"), nullable=False, index=True),
    sa.Column("draft", JSONB, nullable=False),
    sa.Column("url", sa.Text, nullable=False),
    sa.Column("note", sa.Text, nullable=False),
    _owner(),
    _moment("created_at", default=True),
    _moment("archived_at"),
)

roles = sa.Table(
    "roles",
    metadata,
    sa.Column("site_id", sa.ForeignKey("sites.id", ondelete="CASCADE"), primary_key=True),
    sa.Column("user_id", sa.ForeignKey("users.id", ondelete="CASCADE"), primary_key=True),
    _one_of("role", ROLES),
)

# Links by which somebody may come in; one that was used, or taken back, is gone.
invitations = sa.Table(
    "invitations",
    metadata,
    sa.Column("id", sa.Integer, primary_key=True),
    sa.Column("site_id", sa.ForeignKey("sites.id", ondelete="CASCADE"), nullable=False, index=True),
    _one_of("role", ROLES),
    sa.Column("note", sa.Text, nullable=False),
    sa.Column("token_hash", sa.LargeBinary, nullable=False, unique=True),
    _owner(),
    _moment("created_at", default=True),
    sa.Column("expires_at", sa.DateTime(timezone=True), nullable=False),
)

api_tokens = sa.Table(
    "api_tokens",
    metadata,
    sa.Column("id", sa.Integer, primary_key=True),
    sa.Column("user_id", sa.ForeignKey("users.id", ondelete="CASCADE"), nullable=False, index=True),
    sa.Column("name", sa.Text, nullable=False),
    sa.Column("token_hash", sa.LargeBinary, nullable=False, unique=True),
    _moment("created_at", default=True),
    _moment("last_used_at"),
    _moment("revoked_at"),
    _one_of("scope", SCOPES, server_default=sa.text("'write'")),
    # The one site that it is for; null for all of its user.
    sa.Column("site_id", sa.ForeignKey("sites.id", ondelete="CASCADE"), nullable=True),
    _moment("expires_at"),
)

goals = sa.Table(
    "goals",
    metadata,
    sa.Column("id", sa.Integer, primary_key=True),
    sa.Column("site_id", sa.ForeignKey("sites.id", ondelete="CASCADE"), nullable=False, index=True),
    sa.Column("name", sa.Text, nullable=False),
    sa.Column("definition", JSONB, nullable=False),
    _owner(),
    _moment("created_at", default=True),
    _moment("deleted_at"),
)

segments = sa.Table(
    "segments",
    metadata,
    sa.Column("id", sa.Integer, primary_key=True),
    sa.Column("site_id", sa.ForeignKey("sites.id", ondelete="CASCADE"), nullable=False, index=True),
    sa.Column("name", sa.Text, nullable=False),
    sa.Column("note", sa.Text, nullable=False),
    sa.Column("definition", JSONB, nullable=False),
    _owner(),
    _moment("created_at", default=True),
    _moment("archived_at"),
    sa.Index("ux_segments_name", "site_id", sa.text("lower(name)"), unique=True, postgresql_where=sa.text("archived_at IS NULL")),
)

funnels = sa.Table(
    "funnels",
    metadata,
    sa.Column("id", sa.Integer, primary_key=True),
    sa.Column("site_id", sa.ForeignKey("sites.id", ondelete="CASCADE"), nullable=False, index=True),
    sa.Column("name", sa.Text, nullable=False),
    sa.Column("definition", JSONB, nullable=False),
    _owner(),
    _moment("created_at", default=True),
    _moment("archived_at"),
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
    _owner(),
    _moment("created_at", default=True),
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
    _owner(),
    _moment("created_at", default=True),
    _moment("deleted_at"),
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
    _moment("at", default=True),
    sa.Column("before", JSONB, nullable=True),
    sa.Column("after", JSONB, nullable=True),
)

# What pseudonyms of one day are made with; those of earlier days are deleted.
salts = sa.Table(
    "salts",
    metadata,
    sa.Column("site_id", sa.ForeignKey("sites.id", ondelete="CASCADE"), primary_key=True),
    sa.Column("day", sa.Date, primary_key=True),
    sa.Column("salt", sa.LargeBinary, nullable=False),
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

# Browsers from which somebody signed in before: others who try their password cannot lock them out.
known_browsers = sa.Table(
    "known_browsers",
    metadata,
    sa.Column("token_hash", sa.LargeBinary, primary_key=True),
    sa.Column("user_id", sa.ForeignKey("users.id", ondelete="CASCADE"), nullable=False, index=True),
    sa.Column("expires_at", sa.DateTime(timezone=True), nullable=False),
)

# Tokens that handed a pseudonym on from host to host; each does so once.
handed = sa.Table(
    "handed",
    metadata,
    sa.Column("token_hash", sa.LargeBinary, primary_key=True),
    sa.Column("at", sa.DateTime(timezone=True), nullable=False),
)

# Which visitor opened a link that somebody is checking.
followed = sa.Table(
    "followed",
    metadata,
    sa.Column("site_id", sa.ForeignKey("sites.id", ondelete="CASCADE"), primary_key=True),
    sa.Column("token", sa.Text, primary_key=True),
    sa.Column("visitor", sa.Text, nullable=False),
    _moment("at", default=True),
)

# Findings of Tag health that somebody accepted, by the finding's key.
accepted = sa.Table(
    "accepted",
    metadata,
    sa.Column("site_id", sa.ForeignKey("sites.id", ondelete="CASCADE"), primary_key=True),
    sa.Column("finding", sa.Text, primary_key=True),
    sa.Column("reason", sa.Text, nullable=False),
    sa.Column("user_id", sa.ForeignKey("users.id", ondelete="SET NULL"), nullable=True),
    _moment("at", default=True),
)

# Tag rules: every version that was made live, the highest number being live now.
rule_versions = sa.Table(
    "rule_versions",
    metadata,
    sa.Column("site_id", sa.ForeignKey("sites.id", ondelete="CASCADE"), primary_key=True),
    sa.Column("number", sa.Integer, primary_key=True, autoincrement=False),
    sa.Column("rules", JSONB, nullable=False),
    sa.Column("note", sa.Text, nullable=False),
    _owner(),
    _moment("created_at", default=True),
)

# What the next version may become; without a row it is what is live.
rule_drafts = sa.Table(
    "rule_drafts",
    metadata,
    sa.Column("site_id", sa.ForeignKey("sites.id", ondelete="CASCADE"), primary_key=True),
    sa.Column("rules", JSONB, nullable=False),
    sa.Column("user_id", sa.ForeignKey("users.id", ondelete="SET NULL"), nullable=True),
    _moment("at", default=True),
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

# Files that were read. `read`: bytes so far, of `size`; hits that came with it have numbers after `after_seq`, and up to `until_seq` once it is finished.
imports = sa.Table(
    "imports",
    metadata,
    sa.Column("id", sa.Integer, primary_key=True),
    sa.Column("site_id", sa.ForeignKey("sites.id", ondelete="CASCADE"), nullable=False, index=True),
    sa.Column("name", sa.Text, nullable=False),
    sa.Column("size", sa.BigInteger, nullable=False),
    sa.Column("format", sa.Text, nullable=True),
    *(sa.Column(name, sa.BigInteger, nullable=False, server_default=sa.text("0")) for name in ("read", "lines", "stored", "already_there", "bad", "shortened")),
    sa.Column("refused", JSONB, nullable=False, server_default=sa.text("'[]'")),
    sa.Column("broken_off", sa.Text, nullable=True),
    sa.Column("after_seq", sa.BigInteger, nullable=False),
    sa.Column("until_seq", sa.BigInteger, nullable=True),
    _owner(),
    _moment("created_at", default=True),
    _moment("told_at", default=True),
    _moment("finished_at"),
    _moment("undone_at"),
)

# Which hits are there already. A partitioned table cannot hold this by itself: the same hit sent twice may bear two times.
hit_ids = sa.Table(
    "hit_ids",
    metadata,
    sa.Column("site_id", sa.Integer, primary_key=True, autoincrement=False),
    sa.Column("id", UUID(as_uuid=False), primary_key=True),
)

# Append-only, a partition a month, and one for all that is older than 2020 (`hits_older`).
# `seq` numbers the hits as they became visible: it is given under a lock that is held until the commit.
hits = sa.Table(
    "hits",
    metadata,
    sa.Column("seq", sa.BigInteger, nullable=False, server_default=sa.text("nextval('hit_seq')")),
    sa.Column("site_id", sa.Integer, nullable=False),
    sa.Column("id", UUID(as_uuid=False), nullable=False),
    sa.Column("at", sa.DateTime(timezone=True), nullable=False),
    sa.Column("received_at", sa.DateTime(timezone=True), nullable=False, server_default=_now),
    sa.Column("visitor", sa.Text, nullable=False),
    sa.Column("kind", sa.SmallInteger, nullable=False),
    sa.Column("url", sa.Text, nullable=False),
    sa.Column("title", sa.Text),
    sa.Column("referrer", sa.Text),
    sa.Column("name", sa.Text),
    sa.Column("value", sa.Double),
    sa.Column("currency", sa.Text),
    sa.Column("order_id", sa.Text),
    sa.Column("order_data", JSONB),
    sa.Column("engaged_ms", sa.Integer),
    sa.Column("props", JSONB),
    sa.Column("fields", JSONB),
    sa.Column("language", sa.Text),
    sa.Column("timezone", sa.Text),
    sa.Column("screen", sa.Text),
    sa.Column("user_agent", sa.Text),
    sa.Column("country", sa.Text),
    sa.Column("robot", sa.Boolean, nullable=False),
    sa.Column("internal", sa.Boolean, nullable=False),
    # With which file it came; null when the site sent it.
    sa.Column("import_id", sa.Integer),
    sa.Index("ix_hits_site_id_seq", "site_id", "seq"),
    sa.Index("ix_hits_site_id_at", "site_id", "at"),
    postgresql_partition_by="RANGE (at)",
)

# Hits that PostgreSQL handed on: a row for each Parquet file in storage. `low` and `high`: between which hashes its visitors lie (`record_files.spread_of`).
# One that was replaced counts no more, and is removed when nobody can be reading it.
record_files = sa.Table(
    "record_files",
    metadata,
    sa.Column("name", sa.Text, primary_key=True),
    sa.Column("site_id", sa.Integer, nullable=False),
    sa.Column("month", sa.Date, nullable=False),
    sa.Column("hits", sa.BigInteger, nullable=False),
    sa.Column("bytes", sa.BigInteger, nullable=False),
    sa.Column("sha256", sa.Text, nullable=False),
    sa.Column("low", sa.BigInteger, nullable=False),
    sa.Column("high", sa.BigInteger, nullable=False),
    sa.Column("first_seq", sa.BigInteger, nullable=False),
    sa.Column("last_seq", sa.BigInteger, nullable=False),
    sa.Column("last_id", UUID(as_uuid=False), nullable=False),
    sa.Column("first_at", sa.DateTime(timezone=True), nullable=False),
    sa.Column("last_at", sa.DateTime(timezone=True), nullable=False),
    sa.Column("replaced_at", sa.DateTime(timezone=True), nullable=True),
    sa.Index("ix_record_files_site_id", "site_id", "last_seq"),
)
