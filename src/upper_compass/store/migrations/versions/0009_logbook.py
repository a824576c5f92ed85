"""The logbook: dated notes, changes to the site, findings."""

from alembic import op

revision = "0009"
down_revision = "0008"

STATEMENTS = (
    """
    CREATE TABLE logbook (
        id serial CONSTRAINT pk_logbook PRIMARY KEY,
        site_id integer NOT NULL CONSTRAINT fk_logbook_site_id REFERENCES sites ON DELETE CASCADE,
        kind text NOT NULL,
        first date NOT NULL,
        last date NOT NULL,
        text text NOT NULL,
        view text NOT NULL,
        created_by integer CONSTRAINT fk_logbook_created_by REFERENCES users ON DELETE SET NULL,
        created_at timestamptz NOT NULL DEFAULT now(),
        deleted_at timestamptz
    )
    """,
    "CREATE INDEX ix_logbook_site_id ON logbook (site_id)",
)


def upgrade() -> None:
    for statement in STATEMENTS:
        op.execute(statement)
