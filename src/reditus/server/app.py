"""The application, made from its collaborators."""

import asyncio
import time
from collections.abc import AsyncIterator
from contextlib import asynccontextmanager, suppress
from functools import partial
from threading import Thread

import structlog
from fastapi import FastAPI
from fastapi.concurrency import run_in_threadpool
from starlette.exceptions import HTTPException
from starlette.middleware.trustedhost import TrustedHostMiddleware
from starlette.responses import Response
from starlette.staticfiles import StaticFiles
from starlette.types import Scope

from reditus import __version__
from reditus.core import filters
from reditus.server import errors
from reditus.server.bell import Bell
from reditus.server.context import Context
from reditus.server.guard import Guard
from reditus.server.routers import ROUTERS
from reditus.server.schemas import ProblemOut
from reditus.server.settings import Settings
from reditus.store import StoreAway
from reditus.store.plans import expire
from reditus.store.store import Store

log = structlog.get_logger()


class Pages(StaticFiles):
    """The built front end. Paths that name no file are views of the page, which finds its own way."""

    async def get_response(self, path: str, scope: Scope) -> Response:
        try:
            return await super().get_response(path, scope)
        except HTTPException as why:
            if why.status_code != 404 or path.startswith("api/") or "." in path.rsplit("/", 1)[-1]:
                raise
            return await super().get_response("index.html", scope)


def create_app(store: Store, settings: Settings) -> FastAPI:
    bell = Bell()

    @asynccontextmanager
    async def lifespan(_: FastAPI) -> AsyncIterator[None]:
        bell.attach()
        sealing = asyncio.create_task(_seal_now_and_then(store, settings))
        # While the first page is on its way; whoever asks for findings first would wait for it.
        Thread(target=filters.load, name="load", daemon=True).start()
        yield
        sealing.cancel()
        with suppress(asyncio.CancelledError):
            await sealing

    app = FastAPI(
        title="Reditus",
        version=__version__,
        lifespan=lifespan,
        docs_url="/api/docs",
        redoc_url=None,
        openapi_url="/api/openapi.json",
        generate_unique_id_function=lambda route: route.name,
    )
    app.state.context = Context(store, bell)
    errors.install(app)
    for router in ROUTERS:
        app.include_router(
            router, prefix="/api", responses={"default": {"model": ProblemOut, "description": "A problem."}}
        )
    app.add_middleware(Guard)
    app.add_middleware(TrustedHostMiddleware, allowed_hosts=settings.allowed_hosts)
    if settings.web.is_dir():
        app.mount("/", Pages(directory=settings.web, html=True))
    return app


async def _seal_now_and_then(store: Store, settings: Settings) -> None:
    # Once everything: what the last server left. From then on what has grown.
    only_grown = False
    while True:
        await asyncio.sleep(settings.seal_every_s)
        try:
            await run_in_threadpool(partial(store.seal, only_grown=only_grown, undo_s=settings.undo_for_s))
            only_grown = True
            await run_in_threadpool(store.during, lambda session: expire(session, time.time_ns()))
        except StoreAway as why:
            log.warning("sealing waits for the database", reason=str(why))
