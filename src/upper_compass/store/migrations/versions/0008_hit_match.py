"""What goals match in the one form for hits that match, and names of columns as everybody in the trade has them."""

import json
from typing import Any

import sqlalchemy as sa
from alembic import op

revision = "0008"
down_revision = "0007"


STATEMENTS = (
    "ALTER TABLE hits RENAME COLUMN own TO internal",
    "ALTER TABLE sites RENAME COLUMN erasures TO deletion_epoch",
    "UPDATE sites SET rules = (rules - 'own_networks') || jsonb_build_object('internal_networks', rules->'own_networks') WHERE rules ? 'own_networks'",
)
# A rule that rests is one that is paused; of a version, each rule in its place.
PAUSED = """
UPDATE {table} SET rules = coalesce((
    SELECT jsonb_agg((rule - 'rests') || jsonb_build_object('paused', coalesce(rule->'rests', 'false'::jsonb)) ORDER BY place)
    FROM jsonb_array_elements(rules) WITH ORDINALITY AS listed(rule, place)), '[]'::jsonb)
"""


def upgrade() -> None:
    connection = op.get_bind()
    for statement in STATEMENTS:
        op.execute(statement)
    for table in ("rule_versions", "rule_drafts"):
        op.execute(PAUSED.format(table=table))
    for goal, definition in connection.execute(sa.text("SELECT id, definition FROM goals")).all():
        connection.execute(
            sa.text("UPDATE goals SET definition = CAST(:definition AS jsonb) WHERE id = :id"), {"definition": json.dumps(renewed(definition)), "id": goal}
        )


def renewed(goal: dict[str, Any]) -> dict[str, Any]:
    """A goal as it was stored before, in today's form."""
    match = goal["match"]
    fields = {"fields": goal.get("where", [])}
    kept = {name: value for name, value in goal.items() if name not in ("match", "where")}
    if match["kind"] == "page":
        return kept | {"match": {"kind": "view", "page": {"test": match["test"], "value": match["pattern"]}} | fields}
    if match["kind"] == "event":
        return kept | {"match": {"kind": "event", "names": [match["name"]], "props": match.get("props", [])} | fields}
    return kept | {"match": {"kind": "order"} | fields}
