"""Worth a look: what stands out, and what nobody wants to be told again."""

from __future__ import annotations

from datetime import date
from typing import Annotated

from fastapi import APIRouter, Body, Path
from pydantic import BaseModel, ConfigDict

from upper_compass.api.access import Analyst, ServicesHere, Viewer, who
from upper_compass.api.deps import goals_for, with_saved
from upper_compass.api.problems import Problem, responses
from upper_compass.api.routing import Route
from upper_compass.core.definitions.text_tests import storable
from upper_compass.core.insights.looking import worth_a_look
from upper_compass.core.insights.models import InsightsRequest, InsightsResult
from upper_compass.store import insights as store
from upper_compass.store.database import reading

router = APIRouter(prefix="/api/v1/sites/{site}", tags=["Reports"], route_class=Route)

_ASKED = {"period": {"first": "2026-10-26", "last": "2026-11-22"}, "goal": 1}
_DISMISSED = {"key": "grew:source:letter", "last": "2026-11-22"}


class Dismissal(BaseModel):
    """An insight by its key, and the last day of the period it was told of."""

    model_config = ConfigDict(extra="forbid")
    key: Annotated[str, storable(4200, least=3)]
    last: date


class DismissalOut(BaseModel):
    """By which number it is taken back."""

    id: int


@router.post("/reports/insights", openapi_extra=who("viewer"), responses=responses(401, 403, 404, 422))
def insights(access: Viewer, services: ServicesHere, request: InsightsRequest = Body(examples=[_ASKED])) -> InsightsResult:  # noqa: B008
    """What stands out in a period, without what was dismissed. For the site's viewers."""
    with reading(access.engine) as connection:
        dismissed = store.dismissed_around(connection, access.site.id, request.period.last)
    return services.reader.read(access.site, worth_a_look, with_saved(access, request), goals_for(access, request), dismissed)


@router.post("/insights/dismissed", status_code=201, openapi_extra=who("analyst"), responses=responses(401, 403, 404, 409, 422))
def dismiss(access: Analyst, given: Dismissal = Body(examples=[_DISMISSED])) -> DismissalOut:  # noqa: B008
    """Let an insight be told no more, of periods that end within 28 days of this one. For the site's analysts."""
    with access.engine.begin() as connection:
        try:
            return DismissalOut(id=store.dismiss(connection, access.site.id, given.key, given.last, access.user.id))
        except store.FullError as error:
            raise Problem(409, f"{store.MAX_DISMISSED:,} things are dismissed, as many as may be.") from error


@router.delete("/insights/dismissed/{dismissal}", status_code=204, openapi_extra=who("analyst"), responses=responses(401, 403, 404))
def tell_again(dismissal: Annotated[int, Path(ge=1, le=2**31 - 1)], access: Analyst) -> None:
    """Let an insight be told again. For the site's analysts."""
    with access.engine.begin() as connection:
        if not store.tell_again(connection, access.site.id, dismissal):
            raise Problem(404, "There is no such dismissal.")
