"""Syslog over TCP and UDP: messages become lines of a log, beside the counters of the host that they name.

Over TCP both ways of framing are understood (RFC 6587): a length before each message, as RFC 5425 has it, and a line
end behind it. Everything is bounded: connections, the length of a message, and how many wait; what is too much is
dropped, and a note says how much.
"""

import asyncio
import time
from collections import deque
from collections.abc import Callable
from contextlib import suppress
from dataclasses import replace
from uuid import uuid5

import structlog
from anyio import to_thread

from reditus.core.batches import Batch
from reditus.core.facts import HostFacts
from reditus.core.log_lines import syslog_message, with_ident
from reditus.core.markers import MAX_LOG, Marker, Markers
from reditus.core.rfc3339 import EARLIEST_NS
from reditus.core.types import NS_PER_S
from reditus.exchange.otlp.points import AHEAD_NS
from reditus.exchange.otlp.receiving import SENDERS
from reditus.store import DatabaseUnavailable, HostInfo
from reditus.store.records import ArchiveInfo
from reditus.store.store import Store

log = structlog.get_logger()

MOST_MESSAGE_BYTES = 8 << 10
"""RFC 5425 asks for 8,192 at most to be taken; longer ones are cut."""
MOST_CONNECTIONS = 256
MOST_WAITING = 20_000
MOST_AT_ONCE = 5_000
EVERY_S = 0.5
NAME = "syslog"
GROWING_NS = 600 * NS_PER_S
"""An archive whose newest tick is no older is being recorded."""
MOST_DIGITS = 5


class SyslogListener:
    """Listens while the server runs. For one event loop."""

    def __init__(self, store: Store, host: str, port: int) -> None:
        self._store, self._host, self._port = store, host, port
        self._waiting: deque[tuple[bytes, int]] = deque()
        self._dropped = self._number = self._connections = 0
        self._server: asyncio.Server | None = None
        self._transport: asyncio.DatagramTransport | None = None
        self._task: asyncio.Task[None] | None = None

    async def start(self) -> None:
        """Begin to listen. Raise OSError where the port is taken."""
        self._server = await asyncio.start_server(self._serve, self._host, self._port, limit=MOST_MESSAGE_BYTES * 2)
        loop = asyncio.get_running_loop()
        self._transport, _ = await loop.create_datagram_endpoint(
            lambda: _Datagrams(self._take), local_addr=(self._host, self._port)
        )
        self._task = asyncio.create_task(self._keep())

    async def stop(self) -> None:
        """Listen no more, and keep what has come."""
        if self._server is not None:
            self._server.close()
        if self._transport is not None:
            self._transport.close()
        if self._task is not None:
            self._task.cancel()
            with suppress(asyncio.CancelledError):
                await self._task
        await self._keep_some()

    def _take(self, message: bytes) -> None:
        if not message.strip():
            return
        if len(self._waiting) >= MOST_WAITING:
            self._dropped += 1
            return
        self._waiting.append((message[:MOST_MESSAGE_BYTES], time.time_ns()))

    async def _serve(self, reader: asyncio.StreamReader, writer: asyncio.StreamWriter) -> None:
        if self._connections >= MOST_CONNECTIONS:
            writer.close()
            return
        self._connections += 1
        try:
            while (message := await _next_message(reader)) is not None:
                self._take(message)
        except (ValueError, asyncio.IncompleteReadError, OSError) as why:
            log.warning("a connection of syslog was closed", reason=str(why))
        finally:
            self._connections -= 1
            writer.close()

    async def _keep(self) -> None:
        while True:
            await asyncio.sleep(EVERY_S)
            await self._keep_some()

    async def _keep_some(self) -> None:
        while self._waiting or self._dropped:
            some = [self._waiting.popleft() for _ in range(min(len(self._waiting), MOST_AT_ONCE))]
            dropped, self._dropped = self._dropped, 0
            try:
                await to_thread.run_sync(self._store_lines, some, dropped)
            except DatabaseUnavailable as why:
                log.warning("lines of syslog wait for the database", reason=str(why))
                self._waiting.extendleft(reversed(some))
                self._dropped += dropped
                return
            except Exception:
                # These lines cannot be kept; those behind them can.
                log.exception("lines of syslog are lost", lines=len(some))

    def _store_lines(self, messages: list[tuple[bytes, int]], dropped: int) -> None:
        by_host: dict[str, list[Marker]] = {}
        for raw, received_ns in messages:
            host, marker = syslog_message(raw, received_ns)
            if not EARLIEST_NS <= marker.at_ns <= received_ns + AHEAD_NS:
                marker = replace(marker, at_ns=received_ns)
            self._number += 1
            # The same words at the same instant are two lines where they come twice.
            own = with_ident(marker, f"{marker.ident}/{received_ns}/{self._number}")
            by_host.setdefault(host or "unnamed", []).append(own)
        if dropped:
            now_ns = time.time_ns()
            note = Marker(
                f"syslog/{now_ns}", now_ns, "note", f"{dropped:,} lines of syslog came faster than they can be kept, "
                "and are lost", "reditus", "warning",
            )  # fmt: skip
            for markers in by_host.values() or [by_host.setdefault("unnamed", [])]:
                markers.append(note)
        every = self._store.archives.all()
        for host, markers in by_host.items():
            self._add(every, host, markers)

    def _add(self, every: list[ArchiveInfo], name: str, markers: list[Marker]) -> None:
        """Lines go into what is being recorded of the host that is called so; else into an archive of their own, of
        that host or of a new one.
        """
        near = next((info for info in every if info.host.name == name), None)
        if near is not None and _is_growing(near):
            archive = near.id
        else:
            host = near.host if near is not None else HostInfo(uuid5(SENDERS, f"host {name}"), name)
            archive = uuid5(host.id, NAME)
            if not any(info.id == archive for info in every):
                facts = near.facts if near is not None else HostFacts()
                self._store.archives.register(host=host, archive=archive, name=NAME, source="recorded", facts=facts)
        lined = tuple(replace(item, log=_log_of(item)) for item in markers)
        self._store.submit(archive, Batch([], [], [Markers(archive, archive, lined)])).result()


def _is_growing(info: ArchiveInfo) -> bool:
    fresh = info.last_ns is not None and abs(time.time_ns() - info.last_ns) < GROWING_NS
    return fresh and info.source == "recorded" and info.deleted_ns is None


def _log_of(marker: Marker) -> str:
    return "" if marker.kind != "log" else (marker.source.partition("[")[0] or NAME)[:MAX_LOG]


class _Datagrams(asyncio.DatagramProtocol):
    """UDP: a message a datagram (RFC 5426)."""

    def __init__(self, take: Callable[[bytes], None]) -> None:
        self._take = take

    def datagram_received(self, data: bytes, _: object) -> None:
        """Take a datagram, from wherever on this machine."""
        self._take(data)


async def _next_message(reader: asyncio.StreamReader) -> bytes | None:
    """The next message, however it is framed; None at the end. Raise ValueError for what is neither way."""
    first = await reader.read(1)
    if not first:
        return None
    if first in b"\r\n\0":
        return b""
    if not first.isdigit():
        return first + await _line(reader)
    digits = first
    while (letter := await reader.readexactly(1)) != b" ":
        digits += letter
        if not letter.isdigit() or len(digits) > MOST_DIGITS:
            raise ValueError("a message begins with neither its length nor a <")
    length = int(digits)
    message = await reader.readexactly(min(length, MOST_MESSAGE_BYTES))
    left = length - len(message)
    while left > 0:  # what is too long is read over
        left -= len(await reader.readexactly(min(left, MOST_MESSAGE_BYTES)))
    return message


async def _line(reader: asyncio.StreamReader) -> bytes:
    """Up to the line's end; of what is too long the beginning."""
    held = b""
    while True:
        try:
            rest = await reader.readuntil(b"\n")
            return held or rest
        except asyncio.LimitOverrunError as why:
            part = await reader.readexactly(min(why.consumed, MOST_MESSAGE_BYTES))
            held = held or part
        except asyncio.IncompleteReadError as why:
            return held or why.partial
