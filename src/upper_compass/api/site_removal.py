"""Deleting a site, and bringing it back for as long as that can be done."""

from __future__ import annotations

from datetime import datetime
from typing import Annotated

from fastapi import APIRouter
from pydantic import BaseModel, ConfigDict, Field

from upper_compass.api.access import Owner, ServicesHere, SignedIn, SiteKey, who
from upper_compass.api.problems import Problem, responses
from upper_compass.api.routing import Route
from upper_compass.store import site_removal
from upper_compass.store.database import reading
from upper_compass.store.sites import UnfitError

router = APIRouter(prefix="/api/v1", tags=["Sites"], route_class=Route)


class DeleteIn(BaseModel):
    """The name of the site, typed by whoever means to delete it."""

    model_config = ConfigDict(extra="forbid", json_schema_extra={"examples": [{"name": "Fennmoor Mill"}]})
    name: Annotated[str, Field(max_length=100)]


class DeletedSiteOut(BaseModel):
    """A site that was deleted, and until when it can be brought back."""

    key: str
    name: str
    deleted: datetime
    until: datetime


class BroughtBackOut(BaseModel):
    """The key of the site that is there again."""

    key: str


@router.post("/sites/{site}/deleted", openapi_extra=who("owner", "person"), responses=responses(401, 403, 404, 422))
def delete_site(given: DeleteIn, access: Owner, services: ServicesHere) -> DeletedSiteOut:
    """Delete the site: nobody reads it, and nothing is collected any more. For 30 days its owners can bring it back. For the site's owners."""
    if given.name.strip() != access.site.name:
        raise UnfitError("name", f"Type the name of the site, {access.site.name}, to delete it.")
    with access.engine.begin() as connection:
        site_removal.delete_site(connection, access.site, services.now(), access.user.id)
        deleted = site_removal.deleted_of(connection, access.user.id, services.now())
    return next(_told(one) for one in deleted if one.id == access.site.id)


def _told(one: site_removal.DeletedSite) -> DeletedSiteOut:
    return DeletedSiteOut.model_validate(one, from_attributes=True)


@router.get("/deleted-sites", openapi_extra=who("signed in", "person"), responses=responses(401, 403))
def list_deleted_sites(caller: SignedIn, services: ServicesHere) -> list[DeletedSiteOut]:
    """Deleted sites of one's own that can be brought back, the last one first."""
    with reading(services.engine) as connection:
        return [_told(one) for one in site_removal.deleted_of(connection, caller.user.id, services.now())]


@router.post("/deleted-sites/{key}/restored", openapi_extra=who("signed in", "person"), responses=responses(401, 403, 404))
def restore_site(key: SiteKey, caller: SignedIn, services: ServicesHere) -> BroughtBackOut:
    """Bring a deleted site back, with all that was collected. For those who own it."""
    with services.engine.begin() as connection:
        found = site_removal.bring_back(connection, caller.user.id, key, services.now())
    if found is None:
        raise Problem(404, "You own no deleted site with this key; after 30 days it is gone for good.")
    services.directory.forget(found.key)
    return BroughtBackOut(key=found.key)
