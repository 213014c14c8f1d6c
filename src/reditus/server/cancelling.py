"""Work that ends when nobody waits for its answer any more: pages ask anew with every move of the window."""

import asyncio
from collections.abc import Callable
from typing import TypeVar

import structlog
from fastapi import Request
from fastapi.concurrency import run_in_threadpool

from reditus.core.errors import Cancelled

log = structlog.get_logger()

T = TypeVar("T")
LOOK_EVERY_S = 0.1


class Patience:
    """Whether somebody still waits. Asked in the thread that works, ended from the event loop."""

    def __init__(self) -> None:
        self.ended = False

    def check(self) -> None:
        """Raise Cancelled once nobody waits any more."""
        if self.ended:
            raise Cancelled


async def while_wanted(request: Request, work: Callable[[Patience], T]) -> T:
    """Do the work in a thread; it is to ask its Patience now and then. Raise Cancelled where the client went away."""
    patience = Patience()
    task = asyncio.ensure_future(run_in_threadpool(work, patience))
    while not task.done():
        await asyncio.wait({task}, timeout=LOOK_EVERY_S)
        if not patience.ended and not task.done() and await request.is_disconnected():
            patience.ended = True
            log.info("no longer wanted", path=request.url.path)
    return task.result()
