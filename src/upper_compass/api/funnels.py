"""Funnels that are saved with a site."""

from __future__ import annotations

from datetime import datetime
from typing import Annotated

import sqlalchemy as sa
from fastapi import APIRouter, Path

from upper_compass.api.access import Access, Analyst, Viewer, who
from upper_compass.api.deps import saving
from upper_compass.api.problems import Problem, responses
from upper_compass.api.routing import Route
from upper_compass.core.definitions.funnels import MAX_SAVED, SavedFunnel
from upper_compass.store import funnels as store
from upper_compass.store.database import reading
from upper_compass.store.saved import Stored

router = APIRouter(prefix="/api/v1/sites/{site}/funnels", tags=["Funnels"], route_class=Route)
FunnelPath = Annotated[int, Path(ge=1, le=2**31 - 1)]


class FunnelOut(SavedFunnel):
    """A saved funnel with who made it and when. `by` is null when they are gone."""

    id: int
    by: str | None
    at: datetime
    archived: bool


def _told(stored: Stored[SavedFunnel]) -> FunnelOut:
    saved = stored.saved
    return FunnelOut.model_construct(
        name=saved.name, funnel=saved.funnel, dimension=saved.dimension, id=stored.id, by=stored.by, at=stored.at, archived=stored.archived
    )


def _found(connection: sa.Connection, access: Access, funnel: int) -> Stored[SavedFunnel]:
    stored = store.SAVED.one_of(connection, access.site.id, funnel)
    if stored is None:
        raise Problem(404, "The site has no such funnel.")
    return stored


@router.get("", openapi_extra=who("viewer"), responses=responses(401, 404))
def list_funnels(access: Viewer) -> list[FunnelOut]:
    """All funnels that are saved, archived ones too, by name. For the site's viewers."""
    with reading(access.engine) as connection:
        return [_told(one) for one in store.SAVED.all_of(connection, access.site.id)]


@router.post("", status_code=201, openapi_extra=who("analyst"), responses=responses(401, 403, 404, 409, 422))
def add_funnel(given: SavedFunnel, access: Analyst) -> FunnelOut:
    """Save a funnel under a name. For the site's analysts."""
    with access.engine.begin() as connection, saving("funnel", given.name, MAX_SAVED):
        return _told(store.SAVED.add(connection, access.site.id, given, access.user.id))


@router.put("/{funnel}", openapi_extra=who("analyst"), responses=responses(401, 403, 404, 409, 422))
def change_funnel(funnel: FunnelPath, given: SavedFunnel, access: Analyst) -> FunnelOut:
    """Make of a funnel another. For the site's analysts."""
    with access.engine.begin() as connection, saving("funnel", given.name, MAX_SAVED):
        return _told(store.SAVED.change(connection, access.site.id, _found(connection, access, funnel), given, access.user.id))


@router.post("/{funnel}/archive", openapi_extra=who("analyst"), responses=responses(401, 403, 404))
def archive_funnel(funnel: FunnelPath, access: Analyst) -> FunnelOut:
    """Put a funnel into the archive. For the site's analysts."""
    return _moved(access, funnel, archived=True)


@router.post("/{funnel}/restore", openapi_extra=who("analyst"), responses=responses(401, 403, 404, 409))
def restore_funnel(funnel: FunnelPath, access: Analyst) -> FunnelOut:
    """Take a funnel out of the archive. For the site's analysts."""
    return _moved(access, funnel, archived=False)


def _moved(access: Access, funnel: int, *, archived: bool) -> FunnelOut:
    with access.engine.begin() as connection:
        stored = _found(connection, access, funnel)
        with saving("funnel", stored.saved.name, MAX_SAVED):
            return _told(store.SAVED.archive(connection, access.site.id, stored, access.user.id, archived=archived))
