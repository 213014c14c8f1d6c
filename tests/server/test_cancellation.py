"""Work is cancelled when its client disconnects."""

import asyncio
import socket
import threading
import time
from concurrent.futures import ThreadPoolExecutor

import pytest
import uvicorn
from anyio import CapacityLimiter
from fastapi import FastAPI, Request, Response

from api_helpers import introduce, send
from builders import ARCHIVE, a_block
from e2e_helpers import wait_until
from reditus.core.errors import Cancelled, UnknownCounter
from reditus.server.cancellation import check_cancelled, run_until_disconnect


def in_a_loop_of_its_own(work):
    """In a thread: the browser of other tests keeps a loop in this one."""
    with ThreadPoolExecutor(1) as pool:
        return pool.submit(asyncio.run, work).result()


class Gone:
    """A request whose client leaves at once."""

    class url:
        path = "/somewhere"

    async def receive(self):
        return {"type": "http.disconnect"}


def test_work_ends_soon_after_its_client_went():
    begun, rounds = threading.Event(), 0

    class Leaving(Gone):
        async def receive(self):
            await asyncio.to_thread(begun.wait)
            return {"type": "http.disconnect"}

    def work():
        nonlocal rounds
        while True:
            begun.set()
            rounds += 1
            check_cancelled()
            threading.Event().wait(0.01)

    with pytest.raises(Cancelled):
        in_a_loop_of_its_own(run_until_disconnect(Leaving(), work, CapacityLimiter(1)))
    assert begun.is_set()
    assert rounds < 1_000


def test_work_whose_client_waits_is_done():
    class Here(Gone):
        async def receive(self):
            await asyncio.Event().wait()

    def work():
        check_cancelled()
        return 7

    assert in_a_loop_of_its_own(run_until_disconnect(Here(), work, CapacityLimiter(1))) == 7


def test_what_work_raises_reaches_its_caller():
    class Here(Gone):
        async def receive(self):
            await asyncio.Event().wait()

    def work():
        raise UnknownCounter("no such counter")

    with pytest.raises(UnknownCounter, match="no such counter"):
        in_a_loop_of_its_own(run_until_disconnect(Here(), work, CapacityLimiter(1)))


def test_work_in_line_is_never_begun():
    begun = []

    async def in_line():
        lane = CapacityLimiter(1)
        async with lane:
            await run_until_disconnect(Gone(), lambda: begun.append(1), lane)

    with pytest.raises(Cancelled):
        in_a_loop_of_its_own(in_line())
    assert begun == []


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


def test_closing_the_connection_cancels_the_work():
    """Through a real server: the client's end of the socket is closed while its request is worked on."""
    begun, ended = threading.Event(), threading.Event()
    app = FastAPI()

    def work():
        begun.set()
        try:
            while True:
                check_cancelled()
                time.sleep(0.005)
        except Cancelled:
            ended.set()
            raise

    @app.get("/endless")
    async def endless(request: Request):
        return await run_until_disconnect(request, work, CapacityLimiter(1))

    app.add_exception_handler(Cancelled, lambda *_: Response(status_code=499))
    server = uvicorn.Server(uvicorn.Config(app, port=0, log_level="warning", lifespan="off"))
    thread = threading.Thread(target=server.run)
    thread.start()
    try:
        wait_until(lambda: server.started)
        port = server.servers[0].sockets[0].getsockname()[1]
        with socket.create_connection(("127.0.0.1", port)) as client:
            client.sendall(b"GET /endless HTTP/1.1\r\nHost: 127.0.0.1\r\n\r\n")
            assert begun.wait(60)
            assert not ended.is_set()
        assert ended.wait(60)
    finally:
        server.should_exit = True
        thread.join()
