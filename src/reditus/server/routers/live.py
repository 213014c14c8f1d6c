"""A stream that tells when new ticks are there, so that nobody has to ask."""

from collections.abc import AsyncIterator
from uuid import UUID

from fastapi import APIRouter
from fastapi.concurrency import run_in_threadpool
from fastapi.sse import EventSourceResponse, ServerSentEvent

from reditus.server.context import ContextDep
from reditus.server.times import to_ms
from reditus.store.store import Store

router = APIRouter(prefix="/archives/{archive_id}", tags=["live"])


@router.get("/live", response_class=EventSourceResponse)
async def follow(archive_id: UUID, context: ContextDep) -> AsyncIterator[ServerSentEvent]:
    """Server-sent events: `ticks` with the newest tick's time in milliseconds whenever there are new ones."""
    archives, newest_ns = await run_in_threadpool(_newest, context.store, archive_id)
    if newest_ns is not None:
        yield ServerSentEvent(event="ticks", data={"end_ms": to_ms(newest_ns)})
    async for last_ns in context.bell.listen(*archives):
        if last_ns is None:
            yield ServerSentEvent(comment="still here")
        else:
            yield ServerSentEvent(event="ticks", data={"end_ms": to_ms(last_ns)})


def _newest(store: Store, archive_id: UUID) -> tuple[tuple[UUID, ...], int | None]:
    with store.reading(archive_id) as reader:
        return reader.scope.archives, reader.extent.last_ns
