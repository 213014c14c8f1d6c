"""Server-sent events for new ticks."""

from collections.abc import AsyncIterator
from typing import Annotated
from uuid import UUID

from fastapi import APIRouter, Depends
from fastapi.sse import EventSourceResponse, ServerSentEvent

from reditus.core.rfc3339 import spell_time
from reditus.server.context import ContextDep, StoreDep
from reditus.store.store import Store

Newest = tuple[tuple[UUID, ...], int | None]

router = APIRouter(prefix="/archives/{archive_id}", tags=["live"])


def newest_of(archive_id: UUID, store: StoreDep) -> Newest:
    """What is to be followed, and its newest tick. Before the stream begins, for what is unknown cannot be
    said in it.
    """
    return _newest(store, archive_id)


@router.get("/live", response_class=EventSourceResponse)
async def follow(context: ContextDep, newest: Annotated[Newest, Depends(newest_of)]) -> AsyncIterator[ServerSentEvent]:
    """Server-sent events: `ticks` with the newest tick's time whenever there are new ones."""
    archives, newest_ns = newest
    if newest_ns is not None:
        yield ServerSentEvent(event="ticks", data={"end": spell_time(newest_ns)})
    async for last_ns in context.broadcaster.subscribe(*archives):
        if last_ns is None:
            yield ServerSentEvent(comment="still here")
        else:
            yield ServerSentEvent(event="ticks", data={"end": spell_time(last_ns)})


def _newest(store: Store, archive_id: UUID) -> Newest:
    with store.reading(archive_id) as reader:
        return reader.scope.archives, reader.extent.last_ns
