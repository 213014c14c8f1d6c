"""Publishes that new ticks are stored to subscribers. One process, one event loop."""

import asyncio
from collections.abc import AsyncIterator
from uuid import UUID


class TickBroadcaster:
    """Publish from any thread, subscribe on the event loop. A slow subscriber misses steps, never the latest state."""

    def __init__(self) -> None:
        self._loop: asyncio.AbstractEventLoop | None = None
        self._latest_ns: dict[UUID, int] = {}
        self._subscribers: set[asyncio.Event] = set()

    def attach(self) -> None:
        """Use the running event loop."""
        self._loop = asyncio.get_running_loop()

    def publish(self, archive: UUID, last_ns: int) -> None:
        """Announce new ticks from any thread."""
        if self._loop is not None:
            self._loop.call_soon_threadsafe(self._publish, archive, last_ns)

    def _publish(self, archive: UUID, last_ns: int) -> None:
        self._latest_ns[archive] = max(last_ns, self._latest_ns.get(archive, last_ns))
        for subscriber in self._subscribers:
            subscriber.set()

    async def subscribe(self, *archives: UUID, heartbeat_s: float = 15.0) -> AsyncIterator[int | None]:
        """Yield the time of the archives' newest tick whenever it has grown, and None as a sign of life when nothing
        came.
        """
        changed = asyncio.Event()
        self._subscribers.add(changed)
        published = self._newest(archives)
        try:
            while True:
                try:
                    await asyncio.wait_for(changed.wait(), heartbeat_s)
                except TimeoutError:
                    yield None
                    continue
                changed.clear()
                latest = self._newest(archives)
                if latest is not None and latest != published:
                    published = latest
                    yield latest
        finally:
            self._subscribers.discard(changed)

    def _newest(self, archives: tuple[UUID, ...]) -> int | None:
        return max((self._latest_ns[archive] for archive in archives if archive in self._latest_ns), default=None)
