"""Tells watchers that new ticks are there. One process, one event loop."""

import asyncio
from collections.abc import AsyncIterator
from uuid import UUID


class TickBroadcaster:
    """Ring from any thread, listen on the event loop. A slow listener misses rings, never the latest state."""

    def __init__(self) -> None:
        self._loop: asyncio.AbstractEventLoop | None = None
        self._latest_ns: dict[UUID, int] = {}
        self._listeners: set[asyncio.Event] = set()

    def attach(self) -> None:
        """Use the running event loop."""
        self._loop = asyncio.get_running_loop()

    def ring(self, archive: UUID, last_ns: int) -> None:
        """Announce new ticks from any thread."""
        if self._loop is not None:
            self._loop.call_soon_threadsafe(self._ring, archive, last_ns)

    def _ring(self, archive: UUID, last_ns: int) -> None:
        self._latest_ns[archive] = max(last_ns, self._latest_ns.get(archive, last_ns))
        for listener in self._listeners:
            listener.set()

    async def listen(self, *archives: UUID, heartbeat_s: float = 15.0) -> AsyncIterator[int | None]:
        """Yield the time of the archives' newest tick whenever it has grown, and None as a sign of life when nothing
        came.
        """
        heard = asyncio.Event()
        self._listeners.add(heard)
        published = self._newest(archives)
        try:
            while True:
                try:
                    await asyncio.wait_for(heard.wait(), heartbeat_s)
                except TimeoutError:
                    yield None
                    continue
                heard.clear()
                latest = self._newest(archives)
                if latest is not None and latest != published:
                    published = latest
                    yield latest
        finally:
            self._listeners.discard(heard)

    def _newest(self, archives: tuple[UUID, ...]) -> int | None:
        return max((self._latest_ns[archive] for archive in archives if archive in self._latest_ns), default=None)
