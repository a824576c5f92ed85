"""Tag rules: versions that were made live, the draft of the next one, and who may try it in a browser."""

from alembic import op

revision = "0006"
down_revision = "0005"

STATEMENTS = """
CREATE TABLE rule_versions (
    site_id integer NOT NULL CONSTRAINT fk_rule_versions_site_id REFERENCES sites ON DELETE CASCADE,
    number integer NOT NULL,
    rules jsonb NOT NULL,
    note text NOT NULL,
    created_by integer CONSTRAINT fk_rule_versions_created_by REFERENCES users ON DELETE SET NULL,
    created_at timestamptz NOT NULL DEFAULT now(),
    CONSTRAINT pk_rule_versions PRIMARY KEY (site_id, number)
);
CREATE TABLE rule_drafts (
    site_id integer NOT NULL CONSTRAINT fk_rule_drafts_site_id REFERENCES sites ON DELETE CASCADE,
    rules jsonb NOT NULL,
    user_id integer CONSTRAINT fk_rule_drafts_user_id REFERENCES users ON DELETE SET NULL,
    at timestamptz NOT NULL DEFAULT now(),
    CONSTRAINT pk_rule_drafts PRIMARY KEY (site_id)
);
CREATE TABLE rule_trials (
    token_hash bytea NOT NULL,
    site_id integer NOT NULL CONSTRAINT fk_rule_trials_site_id REFERENCES sites ON DELETE CASCADE,
    user_id integer NOT NULL CONSTRAINT fk_rule_trials_user_id REFERENCES users ON DELETE CASCADE,
    expires_at timestamptz NOT NULL,
    CONSTRAINT pk_rule_trials PRIMARY KEY (token_hash)
);
"""


def upgrade() -> None:
    for statement in STATEMENTS.split(";\n"):
        if statement.strip():
            op.execute(statement)
