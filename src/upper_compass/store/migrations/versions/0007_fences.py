"""Secrets of sites, what was turned away, browsers that are known, one partition for old hits, and word of every change for the collector."""

import secrets
from datetime import UTC, datetime

import sqlalchemy as sa
from alembic import op

revision = "0007"
down_revision = "0006"

STATEMENTS = """
CREATE TABLE refusals (
    site_key text NOT NULL,
    why text NOT NULL,
    host text NOT NULL,
    field text NOT NULL,
    page text NOT NULL,
    times bigint NOT NULL,
    first_at timestamptz NOT NULL,
    last_at timestamptz NOT NULL,
    CONSTRAINT pk_refusals PRIMARY KEY (site_key, why, host, field, page)
);
CREATE TABLE known_browsers (
    token_hash bytea NOT NULL,
    user_id integer NOT NULL CONSTRAINT fk_known_browsers_user_id REFERENCES users ON DELETE CASCADE,
    expires_at timestamptz NOT NULL,
    CONSTRAINT pk_known_browsers PRIMARY KEY (token_hash)
);
CREATE INDEX ix_known_browsers_user_id ON known_browsers (user_id);
CREATE TABLE handed (
    token_hash bytea NOT NULL,
    at timestamptz NOT NULL,
    CONSTRAINT pk_handed PRIMARY KEY (token_hash)
);
CREATE FUNCTION tell_of_site() RETURNS trigger LANGUAGE plpgsql AS $$
BEGIN
    PERFORM pg_notify('compass_sites', coalesce(NEW.key, OLD.key));
    RETURN NULL;
END $$;
CREATE TRIGGER tell_of_site AFTER INSERT OR UPDATE OR DELETE ON sites FOR EACH ROW EXECUTE FUNCTION tell_of_site();
CREATE FUNCTION tell_of_rules() RETURNS trigger LANGUAGE plpgsql AS $$
BEGIN
    PERFORM pg_notify('compass_sites', key) FROM sites WHERE id = NEW.site_id;
    RETURN NULL;
END $$;
CREATE TRIGGER tell_of_rules AFTER INSERT ON rule_versions FOR EACH ROW EXECUTE FUNCTION tell_of_rules()
"""
OLDER = "2020-01-01T00:00:00+00:00"


def upgrade() -> None:
    connection = op.get_bind()
    op.execute("ALTER TABLE sites ADD COLUMN secret bytea")
    for site in connection.execute(sa.text("SELECT id FROM sites")).scalars().all():
        connection.execute(sa.text("UPDATE sites SET secret = :secret WHERE id = :id"), {"secret": secrets.token_bytes(32), "id": site})
    op.execute("ALTER TABLE sites ALTER COLUMN secret SET NOT NULL")
    for statement in STATEMENTS.replace(";\n", ";\0").replace(";\0    ", ";\n    ").replace(";\0END", ";\nEND").split(";\0"):
        op.execute(statement)
    _join_old_months(connection)


def _join_old_months(connection: sa.Connection) -> None:
    """An import may have made a partition for each of very many months; what is older than six years and more lies in one."""
    names = connection.execute(sa.text("SELECT relid::regclass::text FROM pg_partition_tree('hits') WHERE isleaf")).scalars().all()
    old = [name for name in names if name.startswith("hits_") and datetime(int(name[5:9]), int(name[10:12]), 1, tzinfo=UTC).isoformat() < OLDER]
    for name in old:
        op.execute(f"ALTER TABLE hits DETACH PARTITION {name}")
    op.execute(f"CREATE TABLE hits_older PARTITION OF hits FOR VALUES FROM (MINVALUE) TO ('{OLDER}')")
    for name in old:
        op.execute(f"INSERT INTO hits SELECT * FROM {name}")  # noqa: S608
        op.execute(f"DROP TABLE {name}")
