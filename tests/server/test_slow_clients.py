"""Clients that do not finish their requests, or do not read their answers, are disconnected; all others are
answered.
"""

import asyncio
import socket
import threading
import time
from contextlib import ExitStack, suppress

import httpx
import pytest
import uvicorn

from e2e_helpers import wait_until
from reditus.server import connections
from reditus.server import request_limits as guard
from reditus.server.connections import TimedProtocol, watch

HALF = b"GET /api/health HTTP/1.1\r\nHost: 127.0.0.1\r\n"


class Served(uvicorn.Server):
    async def startup(self, sockets=None):
        await super().startup(sockets)
        self.watch = asyncio.create_task(watch(self.server_state.connections))


async def app(scope, receive, send):
    """Answers /large with more than any buffer holds, and all else shortly."""
    if scope["type"] != "http":
        return
    body = bytes(64 << 20) if scope["path"] == "/large" else b"here"
    await send(
        {"type": "http.response.start", "status": 200, "headers": [(b"content-length", str(len(body)).encode())]}
    )
    await send({"type": "http.response.body", "body": body})


@pytest.fixture
def quick(monkeypatch):
    """The same limits, shorter."""
    monkeypatch.setattr(connections, "HEAD_S", 1.0)
    monkeypatch.setattr(connections, "READ_S", 1.0)
    monkeypatch.setattr(connections, "LOOK_EVERY_S", 0.1)


@pytest.fixture
def logged(monkeypatch):
    lines = []
    monkeypatch.setattr(
        connections.log, "info", lambda event, **more: lines.append({"event": event, **more}), raising=False
    )
    return lines


@pytest.fixture
def port(quick):
    config = uvicorn.Config(
        app, port=0, log_level="warning", http=TimedProtocol, lifespan="off", timeout_graceful_shutdown=1
    )
    server = Served(config)
    thread = threading.Thread(target=server.run)
    thread.start()
    while not server.started:
        time.sleep(0.01)
    yield server.servers[0].sockets[0].getsockname()[1]
    server.should_exit = True
    thread.join()


@pytest.fixture
def connected(port):
    """Connect to the server; all connections are closed after the test, however it ends."""
    with ExitStack() as opened:

        def connect():
            client = opened.enter_context(socket.create_connection(("127.0.0.1", port)))
            client.settimeout(60)
            return client

        yield connect


def is_closed(client):
    """Wait for the end of a connection."""
    try:
        while client.recv(1 << 16):
            pass
    except ConnectionResetError:
        return True
    return True


def test_half_requests_are_given_up(port, connected):
    clients = [connected() for _ in range(200)]
    for at, client in enumerate(clients):
        client.sendall(HALF[: at % len(HALF)])
    assert httpx.get(f"http://127.0.0.1:{port}/", trust_env=False).text == "here"
    assert all(is_closed(client) for client in clients)


@pytest.mark.parametrize(
    ("read_s", "most_unread_bytes", "reason"),
    [(1.0, 1 << 30, "it does not read its answer"), (60.0, 48 << 20, "too many answers wait to be read")],
)
def test_answers_that_none_reads_are_given_up(connected, logged, monkeypatch, read_s, most_unread_bytes, reason):
    monkeypatch.setattr(connections, "READ_S", read_s)
    monkeypatch.setattr(connections, "MOST_UNREAD_BYTES", most_unread_bytes)
    client = connected()
    client.sendall(b"GET /large HTTP/1.1\r\nHost: 127.0.0.1\r\n\r\n")
    wait_until(lambda: bool(logged))
    assert logged == [{"event": "client disconnected", "reason": reason}]
    received = 0
    with suppress(ConnectionResetError):
        while part := client.recv(1 << 20):
            received += len(part)
    assert received < 64 << 20


def test_one_that_reads_slowly_but_reads_gets_all(connected, monkeypatch):
    # However long this test is held up by others, it must not be taken for a client that does not read.
    monkeypatch.setattr(connections, "READ_S", 60.0)
    monkeypatch.setattr(connections, "MOST_UNREAD_BYTES", 1 << 30)
    client = connected()
    client.sendall(b"GET /large HTTP/1.1\r\nHost: 127.0.0.1\r\nConnection: close\r\n\r\n")
    received = 0
    while part := client.recv(4 << 20):
        received += len(part)
        if received < 32 << 20:
            time.sleep(0.05)  # slower than the server looks
    assert received > 64 << 20


def in_a_loop(work):
    return asyncio.run(work())


def test_a_body_that_hardly_comes_is_refused(monkeypatch):
    monkeypatch.setattr(guard, "PART_S", 0.1)

    async def never():
        await asyncio.sleep(60)

    async def work():
        sent = []

        async def send(message):
            sent.append(message)

        scope = {
            "type": "http",
            "method": "PUT",
            "path": "/api/plans/x",
            "raw_path": b"/api/plans/x",
            "query_string": b"",
            "headers": [(b"host", b"127.0.0.1")],
        }
        await guard.Guard(app, ["127.0.0.1"], 1 << 20)(scope, never, send)
        return sent

    start, body = in_a_loop(work)
    assert start["status"] == 408
    assert b"nothing more of the body came" in body["body"]


def test_a_client_that_goes_away_in_its_body_is_no_error(caplog):
    async def gone():
        return {"type": "http.disconnect"}

    async def work():
        sent = []

        async def send(message):
            sent.append(message)

        scope = {
            "type": "http",
            "method": "PUT",
            "path": "/api/plans/x",
            "raw_path": b"/api/plans/x",
            "query_string": b"",
            "headers": [(b"host", b"127.0.0.1"), (b"content-length", b"10")],
        }
        await guard.Guard(app, ["127.0.0.1"], 1 << 20)(scope, gone, send)
        return sent

    assert in_a_loop(work)[0]["status"] == 499
    assert not caplog.records


def test_batches_wait_until_there_is_room_for_them():
    async def work():
        room, order = guard.Room(100), []

        async def batch(name, size):
            async with room.taken(size):
                order.append(f"{name} in")
                await asyncio.sleep(0.01)
                order.append(f"{name} out")

        await asyncio.gather(batch("a", 60), batch("b", 60), batch("huge", 10_000), batch("none", 0))
        return order

    order = in_a_loop(work)
    assert order.index("a out") < order.index("b in")
    assert order.index("b out") < order.index("huge in")
    assert order.index("none in") < order.index("a out")
