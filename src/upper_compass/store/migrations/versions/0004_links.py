"""Campaign links that were made, and the words that a site's owner allows in them."""

from alembic import op

revision = "0004"
down_revision = "0003"

STATEMENTS = """
ALTER TABLE sites ADD COLUMN vocabulary jsonb NOT NULL DEFAULT '[]';
CREATE TABLE links (
    id serial CONSTRAINT pk_links PRIMARY KEY,
    site_id integer NOT NULL CONSTRAINT fk_links_site_id REFERENCES sites ON DELETE CASCADE,
    draft jsonb NOT NULL,
    url text NOT NULL,
    note text NOT NULL,
    created_by integer CONSTRAINT fk_links_created_by REFERENCES users ON DELETE SET NULL,
    created_at timestamptz NOT NULL DEFAULT now(),
    archived_at timestamptz
);
CREATE INDEX ix_links_site_id ON links (site_id);
"""


def upgrade() -> None:
    for statement in STATEMENTS.split(";\n"):
        if statement.strip():
            op.execute(statement)
