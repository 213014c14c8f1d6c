"""Cancel work whose client has disconnected: pages send a new request with every move of the window."""

from asyncio import CancelledError
from collections.abc import Callable, Sequence
from typing import TypeVar

import structlog
from anyio import CancelScope, CapacityLimiter, create_task_group, from_thread, to_thread
from fastapi import Request

from reditus.core.errors import Cancelled
from reditus.server.allocator import give_back
from reditus.server.lanes import MOST_WAITING, Busy

log = structlog.get_logger()

T = TypeVar("T")


def check_cancelled() -> None:
    """Raise Cancelled once the client of the work that runs in this thread has disconnected."""
    try:
        from_thread.check_cancelled()
    except CancelledError as why:
        raise Cancelled from why


async def run_until_disconnect(request: Request, work: Callable[[], T], lane: CapacityLimiter) -> T:
    """Run the work in a thread of a lane; it is to call `check_cancelled` now and then.

    Raise Cancelled where the client disconnected, also while the work was still in line, and Busy where too many wait
    for that lane already.
    """
    if lane.statistics().tasks_waiting >= MOST_WAITING:
        raise Busy(f"{MOST_WAITING} requests wait for their turn already; try again in a moment")

    def run() -> T:
        check_cancelled()
        try:
            return work()
        finally:
            if not lane.statistics().tasks_waiting:
                give_back()

    results: list[T] = []
    failures: Sequence[Exception] = ()
    try:
        async with create_task_group() as group:
            group.start_soon(_cancel_on_disconnect, request, group.cancel_scope)
            results.append(await to_thread.run_sync(run, limiter=lane))
            group.cancel_scope.cancel()
    except ExceptionGroup as why:
        failures = why.exceptions
    for failure in failures:
        raise failure
    for result in results:
        return result
    raise Cancelled


async def _cancel_on_disconnect(request: Request, scope: CancelScope) -> None:
    """What is still unread of a body comes first."""
    while (await request.receive())["type"] != "http.disconnect":
        pass
    log.info("client disconnected", path=request.url.path)
    scope.cancel()
