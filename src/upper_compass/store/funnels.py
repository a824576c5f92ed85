"""Funnels that are saved with a site."""

from __future__ import annotations

from typing import Any

import sqlalchemy as sa

from upper_compass.core.definitions.funnels import MAX_SAVED, SavedFunnel
from upper_compass.core.definitions.text_tests import STORED
from upper_compass.store.saved import Saved
from upper_compass.store.tables import funnels


def _columns(saved: SavedFunnel) -> dict[str, Any]:
    return {"name": saved.name, "definition": saved.model_dump(mode="json", exclude={"name"})}


def _saved(row: sa.Row[Any]) -> SavedFunnel:
    return SavedFunnel.model_validate({"name": row.name, **row.definition}, context=STORED)


SAVED = Saved(funnels, "funnel", MAX_SAVED, _columns, _saved)
