"""A second factor and its recovery codes; identities at a provider; accounts without a password."""

from alembic import op

revision = "0015"
down_revision = "0014"

STATEMENTS = (
    """
    CREATE TABLE second_factors (
        user_id integer CONSTRAINT pk_second_factors PRIMARY KEY CONSTRAINT fk_second_factors_user_id REFERENCES users ON DELETE CASCADE,
        secret text NOT NULL,
        confirmed_at timestamptz,
        last_step bigint NOT NULL DEFAULT 0
    )
    """,
    """
    CREATE TABLE recovery_codes (
        user_id integer CONSTRAINT fk_recovery_codes_user_id REFERENCES users ON DELETE CASCADE,
        code_hash bytea,
        CONSTRAINT pk_recovery_codes PRIMARY KEY (user_id, code_hash)
    )
    """,
    """
    CREATE TABLE identities (
        issuer text,
        subject text,
        user_id integer NOT NULL CONSTRAINT fk_identities_user_id REFERENCES users ON DELETE CASCADE,
        created_at timestamptz NOT NULL DEFAULT now(),
        CONSTRAINT pk_identities PRIMARY KEY (issuer, subject)
    )
    """,
    "CREATE INDEX ix_identities_user_id ON identities (user_id)",
    "ALTER TABLE users ALTER COLUMN password_hash DROP NOT NULL",
)


def upgrade() -> None:
    for statement in STATEMENTS:
        op.execute(statement)
