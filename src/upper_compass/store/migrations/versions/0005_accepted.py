"""Findings of Tag health that somebody accepted, and why."""

from alembic import op

revision = "0005"
down_revision = "0004"

STATEMENT = """
CREATE TABLE accepted (
    site_id integer NOT NULL CONSTRAINT fk_accepted_site_id REFERENCES sites ON DELETE CASCADE,
    finding text NOT NULL,
    reason text NOT NULL,
    user_id integer CONSTRAINT fk_accepted_user_id REFERENCES users ON DELETE SET NULL,
    at timestamptz NOT NULL DEFAULT now(),
    CONSTRAINT pk_accepted PRIMARY KEY (site_id, finding)
)
"""


def upgrade() -> None:
    op.execute(STATEMENT)
