"""The application, made from its collaborators."""

from collections.abc import AsyncIterator
from contextlib import asynccontextmanager
from functools import partial
from threading import Thread
from typing import Any

from anyio import to_thread
from fastapi import FastAPI
from fastapi.openapi.utils import get_openapi
from starlette.exceptions import HTTPException
from starlette.responses import Response
from starlette.staticfiles import StaticFiles
from starlette.types import Scope

from reditus import __version__
from reditus.core import filters
from reditus.server import errors
from reditus.server.background import Background
from reditus.server.context import Context
from reditus.server.importing import Importer
from reditus.server.lanes import Budget
from reditus.server.live_broadcast import TickBroadcaster
from reditus.server.progress import Progress
from reditus.server.request_limits import Guard
from reditus.server.routers import OUTSIDE, ROUTERS
from reditus.server.schemas import PROBLEM_RESPONSES
from reditus.server.settings import Settings
from reditus.server.syslog import SyslogListener
from reditus.store.store import Store

IMPORTS = "imports"
"""Where files lie that come in, in the data folder."""
STOP_S = 5.0
"""For background work to end; what it has begun is undone by the database otherwise."""


class Pages(StaticFiles):
    """The built front end. Paths that name no file are views of the page, which finds its own way."""

    async def get_response(self, path: str, scope: Scope) -> Response:
        """A file of the front end; every other address is the front end's own, and gets its page."""
        try:
            return await super().get_response(path, scope)
        except HTTPException as why:
            if why.status_code != 404 or path.startswith("api/") or "." in path.rsplit("/", 1)[-1]:
                raise
            return await super().get_response("index.html", scope)


PROBLEM_SCHEMA = "#/components/schemas/ProblemOut"


def contract_of(app: FastAPI) -> dict[str, Any]:
    """The OpenAPI document, in which problems are what they are: application/problem+json, also those that FastAPI
    would describe as its own.
    """
    if app.openapi_schema is None:
        document = get_openapi(title=app.title, version=app.version, routes=app.routes)
        for operations in document["paths"].values():
            for operation in operations.values():
                responses = operation["responses"]
                responses.pop("422", None)  # "default" says what it is
                responses["default"]["content"] = {errors.PROBLEM: {"schema": {"$ref": PROBLEM_SCHEMA}}}
        schemas = document["components"]["schemas"]
        for unused in ("HTTPValidationError", "ValidationError"):
            schemas.pop(unused, None)
        app.openapi_schema = document
    return app.openapi_schema


def create_app(store: Store, settings: Settings) -> FastAPI:
    """The application: middleware, routers, problems and background work over a store."""
    broadcaster = TickBroadcaster()
    web = settings.web if settings.web.is_dir() else None
    progress = Progress()
    importer = Importer(store, settings.data / IMPORTS, progress)
    syslog = None if settings.syslog_port is None else SyslogListener(store, settings.host, settings.syslog_port)
    context = Context(store, broadcaster, Budget(settings.memory_mib), importer, progress=progress, web=web)
    background = Background(store, settings, context.journal, context.judged, context.budget, context.lanes)

    @asynccontextmanager
    async def lifespan(_: FastAPI) -> AsyncIterator[None]:
        broadcaster.attach()
        background.start()
        importer.start()
        if syslog is not None:
            await syslog.start()
        # While the first page is on its way; the first diagnosis would wait for it.
        Thread(target=filters.load, name="load", daemon=True).start()
        yield
        await to_thread.run_sync(background.stop, STOP_S)
        await to_thread.run_sync(importer.stop, STOP_S)
        if syslog is not None:
            await syslog.stop()
        context.tables.close()

    app = FastAPI(
        title="Reditus",
        version=__version__,
        lifespan=lifespan,
        docs_url=None,  # that page would fetch its parts from elsewhere; see routers/docs.py
        redoc_url=None,
        openapi_url="/api/openapi.json",
        generate_unique_id_function=lambda route: route.name,
    )
    app.openapi_schema = None
    app.openapi = partial(contract_of, app)  # type: ignore[method-assign]
    app.state.context = context
    errors.install(app)
    # Senders by the hundred come here: these are looked at first.
    for router in OUTSIDE:
        app.include_router(router, responses=PROBLEM_RESPONSES)
    for router in ROUTERS:
        app.include_router(router, prefix="/api", responses=PROBLEM_RESPONSES)
    app.add_middleware(
        Guard, hosts=settings.allowed_hosts, intake_bytes=context.budget.intake_bytes, token=settings.token
    )
    if settings.web.is_dir():
        app.mount("/", Pages(directory=settings.web, html=True))
    return app
