"""Hits of a site are found by their time too: its first day, what lies before a day."""

from alembic import op

revision = "0002"
down_revision = "0001"


def upgrade() -> None:
    op.execute("CREATE INDEX ix_hits_site_id_at ON hits (site_id, at)")
