"""Hits, where they came from and where they lie."""

from __future__ import annotations

import sqlalchemy as sa
from sqlalchemy.dialects.postgresql import JSONB, UUID

from upper_compass.store.tables.common import NOW, metadata, moment, owner

# What pseudonyms of one day are made with; those of earlier days are deleted.
salts = sa.Table(
    "salts",
    metadata,
    sa.Column("site_id", sa.ForeignKey("sites.id", ondelete="CASCADE"), primary_key=True),
    sa.Column("day", sa.Date, primary_key=True),
    sa.Column("salt", sa.LargeBinary, nullable=False),
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
    moment("at", default=True),
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
    owner(),
    moment("created_at", default=True),
    moment("told_at", default=True),
    moment("finished_at"),
    moment("undone_at"),
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
    sa.Column("received_at", sa.DateTime(timezone=True), nullable=False, server_default=NOW),
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
