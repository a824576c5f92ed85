"""Tables, visits and lists as files to take away."""

from __future__ import annotations

from typing import Annotated, Literal, Self

from fastapi import APIRouter, Body, Query
from fastapi.responses import StreamingResponse
from pydantic import BaseModel, ConfigDict, Field, FiniteFloat, model_validator

from upper_compass.api.access import ServicesHere, Viewer, who
from upper_compass.api.deps import goal_for, goals_for, with_saved
from upper_compass.api.problems import responses
from upper_compass.api.routing import Route
from upper_compass.api.sending import FILES, Format, file_sent, rows_sent
from upper_compass.core.definitions.comparisons import CompareRequest
from upper_compass.core.definitions.requests import TableRequest
from upper_compass.core.export.files import MAX_CELL, rows_frame
from upper_compass.core.reports.visit_list import VisitsRequest
from upper_compass.frames import queries

router = APIRouter(prefix="/api/v1/sites/{site}", tags=["Reports"], route_class=Route)

_TABLE = {"period": {"first": "2026-10-26", "last": "2026-11-22"}, "dimensions": ["channel"], "columns": [{"id": "visits", "measure": "visits"}]}
MAX_COLUMNS, MAX_ROWS, MAX_TITLE = 60, 20_000, 200
Title = Annotated[str, Field(max_length=MAX_TITLE)]


class RowsIn(BaseModel):
    """A list as it is seen: what its columns are called, and its rows, each as long as that. A column of numbers alone is one of numbers."""

    model_config = ConfigDict(
        extra="forbid", json_schema_extra={"examples": [{"title": "Goals", "columns": ["Goal", "People"], "rows": [["Course bookings", 112]]}]}
    )
    title: Title
    columns: Annotated[list[Title], Field(min_length=1, max_length=MAX_COLUMNS)]
    rows: Annotated[list[list[Annotated[str, Field(max_length=MAX_CELL)] | Annotated[FiniteFloat, Field(strict=True)] | None]], Field(max_length=MAX_ROWS)]

    @model_validator(mode="after")
    def _rectangular(self) -> Self:
        if any(len(row) != len(self.columns) for row in self.rows):
            raise ValueError("each row needs a cell for each column")
        return self


@router.post("/exports/table", response_class=StreamingResponse, openapi_extra=who("viewer"), responses={200: FILES, **responses(401, 403, 404, 422)})
def export_table(
    access: Viewer,
    services: ServicesHere,
    file_format: Format,
    request: TableRequest = Body(examples=[_TABLE]),  # noqa: B008
    rows: Annotated[Literal["shown", "all"], Query(description="The page that is asked for, or every row there is.")] = "all",
) -> StreamingResponse:
    """A table as a file: shares are fractions, texts are never formulas. For the site's viewers."""
    goals, asked = goals_for(access, request), with_saved(access, request)
    name = f"{'-'.join(asked.dimensions) or 'all'} {asked.period.first} to {asked.period.last}"
    return file_sent(
        name, file_format, lambda path: services.reader.read(access.site, queries.export_table, asked, goals, file_format, path, every_row=rows == "all")
    )


@router.post("/exports/visits", response_class=StreamingResponse, openapi_extra=who("viewer"), responses={200: FILES, **responses(401, 403, 404, 422)})
def export_visits(access: Viewer, services: ServicesHere, file_format: Format, request: VisitsRequest) -> StreamingResponse:
    """Every visit that fits, newest first, whatever page is asked for. For the site's viewers."""
    goal, asked = goal_for(access, request.goal), with_saved(access, request)
    name = f"visits {asked.period.first} to {asked.period.last}"
    return file_sent(name, file_format, lambda path: services.reader.read(access.site, queries.export_visits, asked, goal, file_format, path))


@router.post("/exports/compare", response_class=StreamingResponse, openapi_extra=who("viewer"), responses={200: FILES, **responses(401, 403, 404, 422)})
def export_compared(access: Viewer, services: ServicesHere, file_format: Format, request: CompareRequest) -> StreamingResponse:
    """Every value that is compared, whatever page is asked for. For the site's viewers."""
    goals, asked = goals_for(access, request), with_saved(access, request)
    name = f"compared {asked.period.first} to {asked.period.last}"
    return file_sent(name, file_format, lambda path: services.reader.read(access.site, queries.export_compared, asked, goals, file_format, path))


@router.post("/exports/rows", response_class=StreamingResponse, openapi_extra=who("viewer"), responses={200: FILES, **responses(401, 403, 404, 413, 422)})
def export_rows(access: Viewer, file_format: Format, given: RowsIn) -> StreamingResponse:
    """A list that is seen, as a file: texts are never formulas. For the site's viewers."""
    frame, columns = rows_frame(given.columns, given.rows)

    return rows_sent(given.title, file_format, frame, columns)
