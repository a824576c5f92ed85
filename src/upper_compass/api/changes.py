"""Who changed what of a site, when, from which value to which."""

from __future__ import annotations

from typing import Annotated
from zoneinfo import ZoneInfo

from fastapi import APIRouter, Query
from fastapi.responses import StreamingResponse
from pydantic import BaseModel

from upper_compass.api.access import Owner, who
from upper_compass.api.change_log import ChangeOut, DifferenceOut, told_change
from upper_compass.api.problems import responses
from upper_compass.api.routing import Route
from upper_compass.api.sending import FILES, Format, rows_sent
from upper_compass.core.definitions.text_tests import storable
from upper_compass.core.export.files import rows_frame
from upper_compass.store import change_log
from upper_compass.store.database import reading

router = APIRouter(prefix="/api/v1/sites/{site}/changes", tags=["People"], route_class=Route)

MAX_LISTED, MAX_IN_FILE = 200, 50_000
Looked = Annotated[str, storable(200), Query(alias="text", description="What stands in the name of who did it, in the kind of thing, or in a value.")]


class ChangesOut(BaseModel):
    """Changes, the newest first. `more`: whether there are older ones."""

    changes: list[ChangeOut]
    more: bool


@router.get("", openapi_extra=who("owner"), responses=responses(401, 403, 404, 422))
def list_changes(
    access: Owner,
    text: Looked = "",
    before: Annotated[int | None, Query(ge=1, le=2**63 - 1, description="Only those older than the one with this number.")] = None,
) -> ChangesOut:
    """Who changed what, the newest first, 200 at once. For the site's owners."""
    with reading(access.engine) as connection:
        found = change_log.all_changes(connection, access.site.id, MAX_LISTED + 1, text, before)
    return ChangesOut(changes=[told_change(one, is_defined=True) for one in found[:MAX_LISTED]], more=len(found) > MAX_LISTED)


@router.get("/file", response_class=StreamingResponse, openapi_extra=who("owner"), responses={200: FILES, **responses(401, 403, 404, 422)})
def export_changes(access: Owner, file_format: Format, text: Looked = "") -> StreamingResponse:
    """The same as a file, a row for each field, the newest 50,000 changes; times are the site's. For the site's owners."""
    zone = ZoneInfo(access.site.rules.timezone)
    with reading(access.engine) as connection:
        found = [told_change(one) for one in change_log.all_changes(connection, access.site.id, MAX_IN_FILE, text)]
    rows = [
        [one.at.astimezone(zone).strftime("%Y-%m-%d %H:%M:%S"), one.by, one.thing, one.name, field.field, field.before, field.after]
        for one in found
        for field in one.fields or [DifferenceOut(field="", before=None, after=None)]
    ]
    frame, columns = rows_frame(["at", "by", "thing", "name", "field", "before", "after"], rows)
    return rows_sent(f"changes of {access.site.name}", file_format, frame, columns)
