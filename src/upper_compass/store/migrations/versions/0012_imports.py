"""Imports of files are remembered, and hits know theirs, so that one can be undone; how a site's server logs are read."""

from alembic import op

revision = "0012"
down_revision = "0011"

STATEMENTS = (
    """
    CREATE TABLE imports (
        id serial CONSTRAINT pk_imports PRIMARY KEY,
        site_id integer NOT NULL CONSTRAINT fk_imports_site_id REFERENCES sites ON DELETE CASCADE,
        name text NOT NULL,
        size bigint NOT NULL,
        format text,
        "read" bigint NOT NULL DEFAULT 0,
        lines bigint NOT NULL DEFAULT 0,
        stored bigint NOT NULL DEFAULT 0,
        already_there bigint NOT NULL DEFAULT 0,
        bad bigint NOT NULL DEFAULT 0,
        shortened bigint NOT NULL DEFAULT 0,
        refused jsonb NOT NULL DEFAULT '[]',
        broken_off text,
        after_seq bigint NOT NULL,
        until_seq bigint,
        created_by integer CONSTRAINT fk_imports_created_by REFERENCES users ON DELETE SET NULL,
        created_at timestamptz NOT NULL DEFAULT now(),
        told_at timestamptz NOT NULL DEFAULT now(),
        finished_at timestamptz,
        undone_at timestamptz
    )
    """,
    "CREATE INDEX ix_imports_site_id ON imports (site_id)",
    "ALTER TABLE hits ADD COLUMN import_id integer",
    # Hits are copied straight into their partitions, and numbered as they come.
    "ALTER TABLE hits ALTER COLUMN seq SET DEFAULT nextval('hit_seq')",
    "ALTER TABLE sites ADD COLUMN log_reading jsonb",
)


def upgrade() -> None:
    for statement in STATEMENTS:
        op.execute(statement)
