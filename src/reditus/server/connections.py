"""Time limits for slow clients: clients that do not finish a request's head, or do not read an answer, are
disconnected.
"""

import asyncio
import time
from typing import Any

import structlog
from uvicorn.protocols.http.httptools_impl import HttpToolsProtocol

log = structlog.get_logger()

HEAD_S = 15.0
"""For all of a request's head, from the connection or from its first byte on."""
READ_S = 30.0
"""For any part of an answer that waits to be read."""
LOOK_EVERY_S = 2.0
MOST_UNREAD_BYTES = 48 << 20
"""Of answers that wait to be read, over all connections: beyond that the one that has stood still longest is given up.
"""


class TimedProtocol(HttpToolsProtocol):
    """HTTP/1.1 that remembers since when it waits for its client."""

    head_since_s: float | None = None
    unread_bytes = 0
    unread_since_s = 0.0

    def connection_made(self, transport: asyncio.Transport) -> None:  # type: ignore[override]
        """A client connected: the time for its request's head begins."""
        super().connection_made(transport)
        self.head_since_s = time.monotonic()

    def on_message_begin(self) -> None:
        """A request begins on a connection that is kept alive."""
        self.head_since_s = time.monotonic()
        super().on_message_begin()

    def on_headers_complete(self) -> None:
        """The head is complete; the body has limits of its own."""
        self.head_since_s = None
        super().on_headers_complete()

    def look(self, now_s: float) -> str | None:
        """Why the client is to be disconnected, if it is."""
        if (
            self.head_since_s is not None
            and now_s - self.head_since_s > HEAD_S
            and self.timeout_keep_alive_task is None
        ):
            return "its request did not come"
        unread_bytes = self.transport.get_write_buffer_size()
        if unread_bytes != self.unread_bytes or not unread_bytes:
            self.unread_bytes, self.unread_since_s = unread_bytes, now_s
            return None
        return "it does not read its answer" if now_s - self.unread_since_s > READ_S else None

    def give_up(self, why: str) -> None:
        """Disconnect the client."""
        log.info("client disconnected", reason=why)
        self.transport.abort()


async def watch(connections: set[Any]) -> None:
    """Disconnect slow clients, until cancelled."""
    while True:
        await asyncio.sleep(LOOK_EVERY_S)
        now_s = time.monotonic()
        timed = [
            connection
            for connection in list(connections)
            if isinstance(connection, TimedProtocol) and connection.transport is not None
        ]
        for item in timed:
            why = item.look(now_s)
            if why:
                item.give_up(why)
        # What the system's own buffers hold does not count: a client that reads keeps these small.
        for entry in sorted(timed, key=lambda item: item.unread_since_s):
            if sum(each.unread_bytes for each in timed) <= MOST_UNREAD_BYTES:
                break
            if entry.unread_bytes and now_s - entry.unread_since_s > LOOK_EVERY_S:
                entry.give_up("too many answers wait to be read")
                entry.unread_bytes = 0
