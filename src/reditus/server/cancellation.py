"""Cancel work whose client has disconnected: pages send a new request with every move of the window."""

import asyncio
from collections.abc import Callable
from typing import TypeVar

import structlog
from anyio import CapacityLimiter, to_thread
from fastapi import Request

from reditus.core.errors import Cancelled
from reditus.server.allocator import give_back
from reditus.server.lanes import MOST_WAITING, Busy

log = structlog.get_logger()

T = TypeVar("T")
LOOK_EVERY_S = 0.1


class CancelToken:
    """Whether the client is still connected. Checked in the worker thread, set from the event loop."""

    def __init__(self) -> None:
        self.ended = False
        self.begun = False

    def check(self) -> None:
        """Raise Cancelled once the client has disconnected."""
        if self.ended:
            raise Cancelled


async def run_until_disconnect(request: Request, work: Callable[[CancelToken], T], lane: CapacityLimiter) -> T:
    """Do the work in a thread of a lane; it is to ask its CancelToken now and then. Raise Cancelled where the client
    went away, and Busy where too many wait for that lane already.
    """
    if lane.statistics().tasks_waiting >= MOST_WAITING:
        raise Busy(f"{MOST_WAITING} requests wait for their turn already; try again in a moment")
    patience = CancelToken()

    def begun() -> T:
        patience.begun = True
        patience.check()
        try:
            return work(patience)
        finally:
            if not lane.statistics().tasks_waiting:
                give_back()

    task = asyncio.ensure_future(to_thread.run_sync(begun, limiter=lane))
    while not task.done():
        await asyncio.wait({task}, timeout=LOOK_EVERY_S)
        if not patience.ended and not task.done() and await request.is_disconnected():
            patience.ended = True
            log.info("no longer wanted", path=request.url.path)
            if not patience.begun:
                task.cancel()
    if task.cancelled():
        raise Cancelled
    return task.result()
