"""Months of hits that were handed on to files in storage."""

from alembic import op

revision = "0016"
down_revision = "0015"

STATEMENTS = (
    """
    CREATE TABLE record_files (
        name text CONSTRAINT pk_record_files PRIMARY KEY,
        site_id integer NOT NULL,
        month date NOT NULL,
        hits bigint NOT NULL,
        bytes bigint NOT NULL,
        sha256 text NOT NULL,
        low bigint NOT NULL,
        high bigint NOT NULL,
        first_seq bigint NOT NULL,
        last_seq bigint NOT NULL,
        last_id uuid NOT NULL,
        first_at timestamptz NOT NULL,
        last_at timestamptz NOT NULL,
        replaced_at timestamptz
    )
    """,
    "CREATE INDEX ix_record_files_site_id ON record_files (site_id, last_seq)",
)


def upgrade() -> None:
    for statement in STATEMENTS:
        op.execute(statement)
