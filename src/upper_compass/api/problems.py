"""Errors over HTTP: problem documents (RFC 9457) with a sentence for people and, where one is at fault, the field."""

from __future__ import annotations

from collections.abc import Sequence
from http import HTTPStatus
from typing import Any

import psycopg
import sqlalchemy as sa
import structlog
from fastapi import FastAPI, Request
from fastapi.exceptions import RequestValidationError
from fastapi.responses import JSONResponse, Response
from pydantic import BaseModel
from starlette.exceptions import HTTPException
from starlette.requests import ClientDisconnect

from upper_compass.api.watched import request_id
from upper_compass.core.definitions.validation_messages import sentence
from upper_compass.core.engine.dimensions import UnknownNameError
from upper_compass.frames.reader import ReaderAwayError
from upper_compass.store.sites import UnfitError
from upper_compass.store.storage import StorageAwayError

log = structlog.get_logger()
MEDIA_TYPE = "application/problem+json"
# Too slow or too long a body, what cannot be read, too much asked, the database away.
ANYWHERE = (408, 413, 422, 503)
# Told of one request; nobody reads more, and a body of nothing but faults must not cost an answer that is larger.
MAX_ERRORS = 100


class FieldError(BaseModel):
    """One thing that is wrong: where, and a sentence. `index` counts from 0 in a list of hits; `use` could stand there instead."""

    field: str
    text: str
    index: int | None = None
    use: str | None = None


class ProblemDocument(BaseModel):
    """What went wrong. `request`: by which the log of the server knows it."""

    type: str = "about:blank"
    title: str
    status: int
    detail: str
    errors: list[FieldError] = []
    request: str | None = None


class Problem(Exception):  # noqa: N818
    """Raised to answer with a problem document."""

    def __init__(self, status: int, detail: str, errors: Sequence[FieldError] = (), headers: dict[str, str] | None = None) -> None:
        super().__init__(detail)
        self.document = ProblemDocument(title=HTTPStatus(status).phrase, status=status, detail=detail, errors=list(errors))
        self.headers = headers or {}

    def answer(self) -> JSONResponse:
        """The answer over HTTP."""
        told = self.document.model_copy(update={"request": request_id()})
        return JSONResponse(told.model_dump(exclude_none=True), told.status, headers=self.headers, media_type=MEDIA_TYPE)


def _printable(text: str) -> str:
    return text.encode("utf-8", "replace").decode()


def _of_validation(error: RequestValidationError) -> Problem:
    places = ("body", "query", "path", "header", "cookie")
    errors = []
    for found in error.errors()[:MAX_ERRORS]:
        where = [str(part) for part in found["loc"]]
        field = ".".join(where[1:] if where and where[0] in places else where)
        errors.append(FieldError(field=_printable(field), text=_printable(sentence(found))))
    first = errors[0] if errors else FieldError(field="", text="the request cannot be read")
    return Problem(422, f"{first.field}: {first.text}" if first.field else first.text, errors)


def install(app: FastAPI) -> None:
    """Answer every error of the application with a problem document."""

    @app.exception_handler(Problem)
    async def _problem(_: Request, error: Problem) -> Response:
        return error.answer()

    @app.exception_handler(RequestValidationError)
    async def _validation(_: Request, error: RequestValidationError) -> Response:
        return _of_validation(error).answer()

    @app.exception_handler(UnknownNameError)
    @app.exception_handler(UnfitError)
    async def _unfit(_: Request, error: UnknownNameError | UnfitError) -> Response:
        text = _printable(error.text)
        return Problem(422, f"{error.field}: {text}" if error.field else text, [FieldError(field=error.field, text=text)]).answer()

    @app.exception_handler(HTTPException)
    async def _http(_: Request, error: HTTPException) -> Response:
        # What the framework calls a bad request is a body that it cannot read.
        status, detail = (422, "The body cannot be read.") if error.status_code == HTTPStatus.BAD_REQUEST else (error.status_code, str(error.detail))
        return Problem(status, detail, headers=dict(error.headers or {})).answer()

    @app.exception_handler(ClientDisconnect)
    async def _gone(_: Request, error: ClientDisconnect) -> Response:
        """Whoever sent a body went away in the midst of it: nobody hears the answer, and nothing is wrong here."""
        return Problem(HTTPStatus.REQUEST_TIMEOUT, "The body broke off.").answer()

    @app.exception_handler(sa.exc.TimeoutError)
    @app.exception_handler(sa.exc.DBAPIError)
    @app.exception_handler(psycopg.OperationalError)
    @app.exception_handler(psycopg.InterfaceError)
    async def _away(request: Request, error: Exception) -> Response:
        """The database is away, busy or too slow; any other fault of a statement is one of ours."""
        if not isinstance(error, sa.exc.TimeoutError | sa.exc.OperationalError | sa.exc.InterfaceError | psycopg.Error):
            return await _unforeseen(request, error)
        log.error("database away", path=request.url.path, why=str(error)[:300])
        return Problem(503, "The database is away for the moment. Nothing was changed; please try again.", headers={"Retry-After": "5"}).answer()

    @app.exception_handler(ReaderAwayError)
    async def _reader_away(request: Request, error: ReaderAwayError) -> Response:
        log.warning("reader away", path=request.url.path)
        return Problem(503, "Reports are started again just now; please try again in a moment.", headers={"Retry-After": "5"}).answer()

    @app.exception_handler(StorageAwayError)
    async def _storage_away(request: Request, error: StorageAwayError) -> Response:
        log.error("storage away", path=request.url.path, why=str(error)[:300])
        return Problem(503, "The storage is away for the moment. Nothing was changed; please try again.", headers={"Retry-After": "5"}).answer()

    @app.exception_handler(Exception)
    async def _unforeseen(request: Request, error: Exception) -> Response:
        log.error("unforeseen", path=request.url.path, exc_info=error)
        return Problem(500, "Something went wrong here. Nothing was changed; the log of the server says more.").answer()


def responses(*statuses: int) -> dict[int | str, dict[str, Any]]:
    """For the OpenAPI document: problem documents under these statuses, and under those that any request may meet."""
    schema = {"schema": {"$ref": "#/components/schemas/ProblemDocument"}}
    return {status: {"description": HTTPStatus(status).phrase, "content": {MEDIA_TYPE: schema}} for status in sorted({*statuses, *ANYWHERE})}
