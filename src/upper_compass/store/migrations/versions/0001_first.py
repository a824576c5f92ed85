"""The first tables: people, sites, goals, hits."""

from alembic import op

revision = "0001"
down_revision = None

STATEMENTS = """
CREATE TABLE users (
    id serial CONSTRAINT pk_users PRIMARY KEY,
    email text NOT NULL UNIQUE,
    name text NOT NULL,
    password_hash text NOT NULL,
    created_at timestamptz NOT NULL DEFAULT now()
);
CREATE TABLE sessions (
    token_hash bytea CONSTRAINT pk_sessions PRIMARY KEY,
    user_id integer NOT NULL CONSTRAINT fk_sessions_user_id REFERENCES users ON DELETE CASCADE,
    csrf text NOT NULL,
    created_at timestamptz NOT NULL DEFAULT now(),
    expires_at timestamptz NOT NULL
);
CREATE INDEX ix_sessions_user_id ON sessions (user_id);
CREATE TABLE sites (
    id serial CONSTRAINT pk_sites PRIMARY KEY,
    key text NOT NULL UNIQUE,
    name text NOT NULL,
    rules jsonb NOT NULL,
    created_by integer CONSTRAINT fk_sites_created_by REFERENCES users ON DELETE SET NULL,
    created_at timestamptz NOT NULL DEFAULT now(),
    deleted_at timestamptz
);
CREATE TABLE roles (
    site_id integer NOT NULL CONSTRAINT fk_roles_site_id REFERENCES sites ON DELETE CASCADE,
    user_id integer NOT NULL CONSTRAINT fk_roles_user_id REFERENCES users ON DELETE CASCADE,
    role varchar(10) NOT NULL CONSTRAINT role CHECK (role IN ('viewer', 'analyst', 'owner')),
    CONSTRAINT pk_roles PRIMARY KEY (site_id, user_id)
);
CREATE TABLE api_tokens (
    id serial CONSTRAINT pk_api_tokens PRIMARY KEY,
    user_id integer NOT NULL CONSTRAINT fk_api_tokens_user_id REFERENCES users ON DELETE CASCADE,
    name text NOT NULL,
    token_hash bytea NOT NULL UNIQUE,
    created_at timestamptz NOT NULL DEFAULT now(),
    last_used_at timestamptz,
    revoked_at timestamptz
);
CREATE INDEX ix_api_tokens_user_id ON api_tokens (user_id);
CREATE TABLE goals (
    id serial CONSTRAINT pk_goals PRIMARY KEY,
    site_id integer NOT NULL CONSTRAINT fk_goals_site_id REFERENCES sites ON DELETE CASCADE,
    name text NOT NULL,
    definition jsonb NOT NULL,
    created_by integer CONSTRAINT fk_goals_created_by REFERENCES users ON DELETE SET NULL,
    created_at timestamptz NOT NULL DEFAULT now(),
    deleted_at timestamptz
);
CREATE INDEX ix_goals_site_id ON goals (site_id);
CREATE TABLE changes (
    id bigserial CONSTRAINT pk_changes PRIMARY KEY,
    site_id integer NOT NULL CONSTRAINT fk_changes_site_id REFERENCES sites ON DELETE CASCADE,
    thing text NOT NULL,
    thing_id integer NOT NULL,
    user_id integer CONSTRAINT fk_changes_user_id REFERENCES users ON DELETE SET NULL,
    at timestamptz NOT NULL DEFAULT now(),
    before jsonb,
    after jsonb
);
CREATE INDEX ix_changes_site_id ON changes (site_id);
CREATE TABLE hit_ids (
    site_id integer NOT NULL,
    id uuid NOT NULL,
    CONSTRAINT pk_hit_ids PRIMARY KEY (site_id, id)
);
CREATE SEQUENCE hit_seq AS bigint CACHE 1;
CREATE TABLE hits (
    seq bigint NOT NULL,
    site_id integer NOT NULL,
    id uuid NOT NULL,
    at timestamptz NOT NULL,
    received_at timestamptz NOT NULL DEFAULT now(),
    visitor text NOT NULL,
    kind smallint NOT NULL,
    url text NOT NULL,
    title text,
    referrer text,
    name text,
    value double precision,
    currency text,
    order_id text,
    order_data jsonb,
    engaged_ms integer,
    props jsonb,
    fields jsonb,
    language text,
    timezone text,
    screen text,
    user_agent text,
    country text,
    robot boolean NOT NULL,
    own boolean NOT NULL
) PARTITION BY RANGE (at);
CREATE INDEX ix_hits_site_id_seq ON hits (site_id, seq);
"""


def upgrade() -> None:
    for statement in STATEMENTS.split(";\n"):
        if statement.strip():
            op.execute(statement)
