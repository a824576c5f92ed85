"""Whether the instance lives and is ready, for whoever starts it again; and its figures, for whoever watches over it."""

from __future__ import annotations

from typing import Annotated

from anyio import to_thread
from fastapi import APIRouter, Depends, Request
from fastapi.responses import JSONResponse, Response
from prometheus_client import CONTENT_TYPE_LATEST

from upper_compass.api.access import ServicesHere
from upper_compass.api.problems import Problem
from upper_compass.services.application import Services
from upper_compass.services.metrics import Metrics, lies_in

router = APIRouter(include_in_schema=False)
AWAY = {"Retry-After": "5"}


async def _state(services: Services) -> tuple[dict[str, object], bool]:
    well = await services.database_answers()
    ready = well and services.ready.is_set()
    return {"status": "ok" if well else "the database is away", "instance": services.settings.instance, "ready": ready}, well


@router.get("/health")
async def is_well(services: ServicesHere) -> Response:
    """Whether the database answers. `ready`: the frames of the first sites have been read."""
    body, well = await _state(services)
    return JSONResponse(body, 200 if well else 503, headers={} if well else AWAY)


@router.get("/health/live")
async def is_alive() -> Response:
    """Whether the process answers at all, whatever else is away: it need not be started again."""
    return JSONResponse({"status": "ok"})


@router.get("/health/ready")
async def is_ready(services: ServicesHere) -> Response:
    """Whether requests can be sent here: the database answers, and the frames of the first sites have been read."""
    body, _ = await _state(services)
    return JSONResponse(body, 200 if body["ready"] else 503, headers={} if body["ready"] else AWAY)


def _metrics(request: Request) -> Metrics:
    found: Metrics = request.app.state.metrics
    return found


@router.get("/metrics")
async def metrics(request: Request, services: ServicesHere, figures: Annotated[Metrics, Depends(_metrics)]) -> Response:
    """The figures of the instance. For those who ask from the networks that were set, and directly: what a proxy passes on came from anywhere."""
    asked_by = request.client.host if request.client else ""
    passed_on = {"x-forwarded-for", "forwarded"} & set(request.headers)
    if passed_on or not lies_in(asked_by, services.settings.metrics_from):
        raise Problem(404, "There is nothing at this address.")
    return Response(await to_thread.run_sync(figures.text), media_type=CONTENT_TYPE_LATEST)
