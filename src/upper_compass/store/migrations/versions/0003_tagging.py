"""How a site is tagged; salts of pseudonyms that live for a day; whom somebody follows while they check their tags; hits that were taken out."""

from alembic import op

revision = "0003"
down_revision = "0002"

STATEMENTS = """
ALTER TABLE sites ADD COLUMN tagging jsonb NOT NULL DEFAULT '{}';
ALTER TABLE sites ADD COLUMN erasures integer NOT NULL DEFAULT 0;
CREATE TABLE salts (
    site_id integer NOT NULL CONSTRAINT fk_salts_site_id REFERENCES sites ON DELETE CASCADE,
    day date NOT NULL,
    salt bytea NOT NULL,
    CONSTRAINT pk_salts PRIMARY KEY (site_id, day)
);
CREATE TABLE followed (
    site_id integer NOT NULL CONSTRAINT fk_followed_site_id REFERENCES sites ON DELETE CASCADE,
    token text NOT NULL,
    visitor text NOT NULL,
    at timestamptz NOT NULL DEFAULT now(),
    CONSTRAINT pk_followed PRIMARY KEY (site_id, token)
);
"""


def upgrade() -> None:
    for statement in STATEMENTS.split(";\n"):
        if statement.strip():
            op.execute(statement)
