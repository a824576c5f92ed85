"""The application: endpoints, the site script, the screens."""

from __future__ import annotations

import asyncio
import gzip
import secrets
from collections.abc import AsyncIterator
from contextlib import asynccontextmanager
from functools import lru_cache
from pathlib import Path

import structlog
from anyio import to_thread
from fastapi import FastAPI
from fastapi.responses import FileResponse, HTMLResponse, Response
from fastapi.staticfiles import StaticFiles
from pydantic import TypeAdapter
from starlette.datastructures import Headers, MutableHeaders
from starlette.middleware.gzip import GZipMiddleware
from starlette.types import ASGIApp, Message, Receive, Scope, Send

from upper_compass import __version__
from upper_compass.api import (
    account,
    changes,
    collector,
    exports,
    findings,
    funnels,
    health,
    imports,
    insights,
    link_building,
    links,
    logbook,
    members,
    naming,
    openid,
    problems,
    reports,
    rules,
    script,
    second_factor,
    segments,
    signing_in,
    site_removal,
    sites,
    sorting,
    visitors,
    watching,
)
from upper_compass.api.limits import Limits
from upper_compass.api.problems import Problem, ProblemDocument
from upper_compass.api.watched import Watched
from upper_compass.core.definitions.hits import Hit
from upper_compass.services.application import Services
from upper_compass.services.metrics import Metrics, Sources
from upper_compass.services.retention import Retention, run_retention
from upper_compass.settings import Settings

_PAGE_POLICY = "; ".join(
    ["default-src 'self'", "img-src 'self' data:", "frame-ancestors 'none'", "base-uri 'none'", "form-action 'self'"],
)
_FOREVER = "public, max-age=31536000, immutable"


COLLECTING = (collector.router, script.router, health.router)
READING = (
    signing_in.router,
    openid.router,
    account.router,
    second_factor.router,
    members.router,
    changes.router,
    sites.router,
    site_removal.router,
    reports.router,
    exports.router,
    naming.router,
    sorting.router,
    link_building.router,
    links.router,
    rules.router,
    watching.router,
    findings.router,
    visitors.router,
    logbook.router,
    insights.router,
    segments.router,
    funnels.router,
    imports.router,
)


def create_app(settings: Settings) -> FastAPI:
    """The application for these settings. Its database must be at the newest migration."""
    # One JSON object a line; a traceback without the values of variables, which may be somebody's.
    structlog.configure(
        logger_factory=structlog.stdlib.LoggerFactory(),
        processors=[
            structlog.stdlib.filter_by_level,
            structlog.contextvars.merge_contextvars,
            structlog.processors.add_log_level,
            structlog.processors.TimeStamper(fmt="iso"),
            structlog.processors.format_exc_info,
            structlog.processors.JSONRenderer(),
        ],
    )

    @asynccontextmanager
    async def life(app: FastAPI) -> AsyncIterator[None]:
        services = Services.of(settings)
        app.state.services = services
        services.start()
        retention = Retention(services.engine, services.reader, settings.storage_at, settings.parquet_after_months)
        metrics.sources = Sources(services.engine, services.reader, services.writer, retention.jobs)
        # Once for the installation, however many processes collect.
        deleting = asyncio.create_task(run_retention(retention, services.now)) if settings.part == "whole" else None
        yield
        if deleting:
            deleting.cancel()
        services.stop()

    app = FastAPI(
        title="Upper Compass", version=__version__, lifespan=life, docs_url=None, redoc_url=None, openapi_url="/api/v1/openapi.json",
        separate_input_output_schemas=False,  # a segment is one model, whichever way it goes
        description="Every endpoint says who may call it, in words and as `x-role`. Errors are problem documents (RFC 9457).",
    )  # fmt: skip
    problems.install(app)
    metrics = app.state.metrics = Metrics()
    # A third quicker than at the most, and a fifth of a percent longer.
    app.add_middleware(GZipMiddleware, minimum_size=1000, compresslevel=6)
    app.add_middleware(Limits, settings=settings)
    app.add_middleware(_Guard)
    app.add_middleware(Watched, metrics=metrics)
    for router in COLLECTING if settings.part == "collecting" else (*COLLECTING, *READING):
        # Their routes as they are: including a router makes each of them anew, with the first request, and costs every request half a millisecond.
        app.router.routes.extend(router.routes)
    if settings.part == "collecting":
        return app

    if settings.demo:
        from upper_compass.demo.mill import mount

        mount(app)
    if settings.web:
        _serve_screens(app, settings.web)
    _document(app)
    return app


class _Guard:
    """Headers that every answer bears."""

    def __init__(self, app: ASGIApp) -> None:
        self._app = app

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        async def sent(message: Message) -> None:
            if message["type"] == "http.response.start":
                headers = MutableHeaders(scope=message)
                headers.setdefault("X-Content-Type-Options", "nosniff")
                headers.setdefault("Referrer-Policy", "same-origin")
                if scope["path"].startswith("/api/"):
                    headers.setdefault("Cache-Control", "no-store")
            await send(message)

        await self._app(scope, receive, sent if scope["type"] == "http" else send)


def _serve_screens(app: FastAPI, web: Path) -> None:
    class Forever(StaticFiles):
        """Files whose names change with their contents; each is compressed once."""

        async def get_response(self, path: str, scope) -> Response:  # type: ignore[no-untyped-def]  # noqa: ANN001
            response = await super().get_response(path, scope)
            headers = Headers(scope=scope)
            whole = scope["method"] == "GET" and "range" not in headers and response.status_code == 200
            if whole and isinstance(response, FileResponse) and "gzip" in headers.get("accept-encoding", ""):
                short = await to_thread.run_sync(compressed, str(response.path))
                response = Response(short, media_type=response.media_type, headers={"Content-Encoding": "gzip", "Vary": "Accept-Encoding"})
            response.headers["Cache-Control"] = _FOREVER
            return response

    @lru_cache(maxsize=200)
    def compressed(path: str) -> bytes:
        return gzip.compress(Path(path).read_bytes(), 9)

    app.mount("/assets", Forever(directory=web / "assets", check_dir=False), name="assets")

    @app.get("/{path:path}", include_in_schema=False)
    def screen(path: str) -> Response:
        if path.startswith(("api/", "collect", "assets/")):
            raise Problem(404, "There is nothing at this address.")
        icon = web / "icon.svg"
        if path == "icon.svg" and icon.exists():
            return FileResponse(icon, media_type="image/svg+xml")
        # Menus and dialogs put in a style of their own while they hold the page still; it bears the nonce that the page was given, and so does the one script
        # that stands in the page itself.
        nonce = secrets.token_urlsafe(16)
        page = (web / "index.html").read_text(encoding="utf-8").replace("<head>", f'<head><meta property="csp-nonce" nonce="{nonce}">', 1)
        page = page.replace("<script>", f'<script nonce="{nonce}">', 1)
        policy = f"{_PAGE_POLICY}; style-src 'self' 'nonce-{nonce}'; script-src 'self' 'nonce-{nonce}'"
        return HTMLResponse(page, headers={"Content-Security-Policy": policy, "Cache-Control": "no-cache"})


def _document(app: FastAPI) -> None:
    """Add to the OpenAPI document what no endpoint declares by itself: the hit, which the collector reads on its own."""
    make = app.openapi

    def openapi() -> dict[str, object]:
        document = make()
        schemas = document["components"]["schemas"]
        for name, model in (("Hit", Hit), ("ProblemDocument", ProblemDocument)):
            schema = TypeAdapter(model).json_schema(ref_template="#/components/schemas/{model}")
            schemas.update(schema.pop("$defs", {}))
            schemas[name] = schema
        return document

    app.openapi = openapi  # type: ignore[method-assign]
