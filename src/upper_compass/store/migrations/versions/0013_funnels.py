"""Funnels that are saved with a site."""

from alembic import op

revision = "0013"
down_revision = "0012"

STATEMENTS = (
    """
    CREATE TABLE funnels (
        id serial CONSTRAINT pk_funnels PRIMARY KEY,
        site_id integer NOT NULL CONSTRAINT fk_funnels_site_id REFERENCES sites ON DELETE CASCADE,
        name text NOT NULL,
        definition jsonb NOT NULL,
        created_by integer CONSTRAINT fk_funnels_created_by REFERENCES users ON DELETE SET NULL,
        created_at timestamptz NOT NULL DEFAULT now(),
        archived_at timestamptz
    )
    """,
    "CREATE INDEX ix_funnels_site_id ON funnels (site_id)",
    "CREATE UNIQUE INDEX ux_funnels_name ON funnels (site_id, lower(name)) WHERE archived_at IS NULL",
)


def upgrade() -> None:
    for statement in STATEMENTS:
        op.execute(statement)
