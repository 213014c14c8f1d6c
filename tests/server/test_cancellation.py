"""Work is cancelled when its client disconnects."""

import asyncio
import threading
from concurrent.futures import ThreadPoolExecutor

import pytest
from anyio import CapacityLimiter

from api_helpers import introduce, send
from builders import ARCHIVE, a_block
from reditus.core.errors import Cancelled
from reditus.server.cancellation import run_until_disconnect


def in_a_loop_of_its_own(work):
    """In a thread: the browser of other tests keeps a loop in this one."""
    with ThreadPoolExecutor(1) as pool:
        return pool.submit(asyncio.run, work).result()


class Gone:
    """A request whose client leaves at once."""

    class url:
        path = "/somewhere"

    async def is_disconnected(self):
        return True


def test_work_ends_soon_after_its_client_went():
    begun, rounds = threading.Event(), 0

    def work(patience):
        nonlocal rounds
        while True:
            begun.set()
            rounds += 1
            patience.check()
            threading.Event().wait(0.01)

    with pytest.raises(Cancelled):
        in_a_loop_of_its_own(run_until_disconnect(Gone(), work, CapacityLimiter(1)))
    assert begun.is_set()
    assert rounds < 1_000


def test_work_whose_client_waits_is_done():
    class Here(Gone):
        async def is_disconnected(self):
            return False

    assert (
        in_a_loop_of_its_own(run_until_disconnect(Here(), lambda patience: patience.check() or 7, CapacityLimiter(1)))
        == 7
    )


def test_a_reading_asks_between_blocks(client, store):
    introduce(client)
    send(client, *(a_block(3, start=at) for at in range(0, 60, 3)))
    requested = 0

    def check():
        nonlocal requested
        requested += 1
        if requested > 5:
            raise Cancelled

    with pytest.raises(Cancelled), store.reading(ARCHIVE, check) as reader:
        reader.frame(list(reader.known), None)
    assert requested == 6


def test_a_reading_asks_between_columns(client, store):
    introduce(client)
    send(client, *(a_block(3, start=at) for at in range(0, 60, 3)))
    requested = []
    with store.reading(ARCHIVE, lambda: requested.append(1)) as reader:
        reader.frame(list(reader.known), None)
    assert len(requested) == 20 + len(reader.known) > 20
