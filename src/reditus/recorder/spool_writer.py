"""Batches go to the spool's disk from a thread of their own, so that no tick waits for a disk that is slow or full:
that is when ticks are wanted most.
"""

import threading
from collections import deque
from collections.abc import Callable
from dataclasses import dataclass, field, replace

import structlog

from reditus.core.schema import Schema
from reditus.recorder.spool import Offer, Spool

log = structlog.get_logger()

MOST_WAITING_BYTES = 8 << 20
"""Batches that wait in memory; a batch of three seconds takes some ten kilobytes."""
RETRY_S = 1.0
NO_ROOM = "the disk of the recorder's spool took nothing"


@dataclass(frozen=True, slots=True)
class Kept:
    """A batch, the schemas that it is the first to be made with, and what to do once it is on disk or delivered."""

    batch: bytes
    schemas: tuple[Schema, ...]
    then: Callable[[], None]
    offer: Offer = field(init=False)

    def __post_init__(self) -> None:
        object.__setattr__(self, "offer", Offer(self.batch, self.schemas))


class SpoolWriter:
    """Puts batches into a spool in their order. `put` never waits for the disk; `close` does."""

    def __init__(
        self, spool: Spool, limit_bytes: int = MOST_WAITING_BYTES, offered: Callable[[], None] = lambda: None
    ) -> None:
        """`offered` is called when batches wait in memory that may be sent from there."""
        self._spool, self._limit_bytes, self._offered = spool, limit_bytes, offered
        self._waiting: deque[Kept] = deque()
        self._waiting_bytes = 0
        self._gaps_to_write = False
        self._changed = threading.Condition()
        self._closing = False
        self.trouble: str | None = None
        """Why the disk takes nothing at the moment, if it does not."""
        self._thread = threading.Thread(target=self._run, name="keeper", daemon=True)
        self._thread.start()

    def put(self, kept: Kept) -> None:
        """Hand over a batch. Beyond the limit the oldest ones are dropped, which is kept as a gap."""
        with self._changed:
            self._waiting.append(kept)
            self._waiting_bytes += len(kept.batch)
            # The first one may be on its way to the disk at this moment.
            while self._waiting_bytes > self._limit_bytes and len(self._waiting) > 2:
                dropped = self._waiting[1]
                del self._waiting[1]
                self._waiting_bytes -= len(dropped.batch)
                self._spool.withdraw(dropped.offer)
                self._spool.note_dropped(dropped.batch, NO_ROOM)
                self._gaps_to_write = True
                # Schemas are needed by the batches after it too.
                self._waiting[1] = replace(self._waiting[1], schemas=dropped.schemas + self._waiting[1].schemas)
                log.warning("the spool's disk takes nothing, oldest batch dropped: a gap", reason=self.trouble)
            self._changed.notify()

    def close(self) -> None:
        """Write what waits. What the disk refuses even now is lost, which is said."""
        with self._changed:
            self._closing = True
            self._changed.notify()
        self._thread.join()

    def _run(self) -> None:
        while True:
            with self._changed:
                while not self._waiting and not self._closing:
                    self._changed.wait()
                if not self._waiting:
                    return
                kept = self._waiting[0]
            if kept.offer.delivered or self._has_put(kept):
                self._spool.withdraw(kept.offer)
                self._put_down(kept)
                with self._changed:
                    self._waiting.popleft()
                    self._waiting_bytes -= len(kept.batch)
                continue
            with self._changed:
                for each in self._waiting:
                    self._spool.offer(each.offer)
                if self._closing:
                    log.error("not on disk when the recorder ended: lost unless sent now", batches=len(self._waiting))
                    return
            self._offered()
            with self._changed:
                self._changed.wait(RETRY_S)

    def _has_put(self, kept: Kept) -> bool:
        try:
            for schema in kept.schemas:
                self._spool.keep_schema(schema)
            self._spool.put(kept.batch)
        except OSError as why:
            reason = why.strerror or str(why)
            if reason != self.trouble:
                log.warning("the spool's disk takes nothing, keeping in memory", reason=reason)
            self.trouble = reason
            return False
        if self.trouble is not None:
            log.info("the spool's disk takes batches again")
            self.trouble = None
        return True

    def _put_down(self, kept: Kept) -> None:
        """What goes with a batch that is on disk. If this fails, log lines are read twice after a restart, and kept
        once.
        """
        try:
            kept.then()
            if self._gaps_to_write:
                self._spool.write_gaps()
                self._gaps_to_write = False
        except OSError as why:
            log.warning("not written down beside a batch", reason=why.strerror)
