"""What of Worth a look was dismissed."""

from alembic import op

revision = "0011"
down_revision = "0010"

STATEMENTS = (
    """
    CREATE TABLE dismissed_insights (
        id serial CONSTRAINT pk_dismissed_insights PRIMARY KEY,
        site_id integer NOT NULL CONSTRAINT fk_dismissed_insights_site_id REFERENCES sites ON DELETE CASCADE,
        key text NOT NULL,
        last date NOT NULL,
        created_by integer CONSTRAINT fk_dismissed_insights_created_by REFERENCES users ON DELETE SET NULL,
        created_at timestamptz NOT NULL DEFAULT now()
    )
    """,
    "CREATE INDEX ix_dismissed_insights_site_id ON dismissed_insights (site_id)",
)


def upgrade() -> None:
    for statement in STATEMENTS:
        op.execute(statement)
