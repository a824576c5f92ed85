"""What goals match in the one form for hits that match, and names of columns as everybody in the trade has them."""

import json
from typing import Any

import sqlalchemy as sa
from alembic import op

revision = "0008"
down_revision = "0007"


def upgrade() -> None:
    connection = op.get_bind()
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
