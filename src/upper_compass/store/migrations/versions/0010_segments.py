"""Segments that are saved with a site."""

from alembic import op

revision = "0010"
down_revision = "0009"

STATEMENTS = (
    """
    CREATE TABLE segments (
        id serial CONSTRAINT pk_segments PRIMARY KEY,
        site_id integer NOT NULL CONSTRAINT fk_segments_site_id REFERENCES sites ON DELETE CASCADE,
        name text NOT NULL,
        note text NOT NULL,
        definition jsonb NOT NULL,
        created_by integer CONSTRAINT fk_segments_created_by REFERENCES users ON DELETE SET NULL,
        created_at timestamptz NOT NULL DEFAULT now(),
        archived_at timestamptz
    )
    """,
    "CREATE INDEX ix_segments_site_id ON segments (site_id)",
    "CREATE UNIQUE INDEX ux_segments_name ON segments (site_id, lower(name)) WHERE archived_at IS NULL",
)


def upgrade() -> None:
    for statement in STATEMENTS:
        op.execute(statement)
