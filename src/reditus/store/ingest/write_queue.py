"""Append batches: many senders' in one transaction, so that hundreds of hosts cost a few disk syncs a second."""

import time
from collections.abc import Callable, Sequence
from concurrent.futures import Future
from contextlib import AbstractContextManager
from dataclasses import dataclass
from queue import SimpleQueue
from threading import Lock, Thread
from typing import Protocol
from uuid import UUID

import structlog
from sqlalchemy.orm import Session

from reditus.core.batches import Batch
from reditus.store.database.damage import again_elsewhere
from reditus.store.database.driver_errors import translate_driver_errors
from reditus.store.errors import DatabaseDamaged, DatabaseDiskFull, DatabaseUnavailable, StoreError
from reditus.store.ingest.commit_groups import Append, Known, Part, stored_of
from reditus.store.ingest.fast_append import FastAppender
from reditus.store.ingest.slow_append import SlowAppender
from reditus.store.records import Stored

log = structlog.get_logger()

MOST_TOGETHER = 512
"""Batches in one transaction at most."""


@dataclass(slots=True)
class _Growth:
    """Of an archive since it was taken: how many ticks, and when the last of them came, by the monotonic clock."""

    ticks: int = 0
    last_s: float = 0.0


class Sessions(Protocol):
    """Gives a session with a transaction that is committed at its end."""

    def __call__(self) -> AbstractContextManager[Session]:
        """Open a session whose transaction is committed at its end."""


class WriteQueue:
    """Takes batches from any thread. What comes while one transaction is under way goes into the next, all together."""

    def __init__(
        self,
        sessions: Sessions,
        quick: FastAppender,
        written: Callable[[], None] = lambda: None,
        renew: Callable[[], None] = lambda: None,
    ) -> None:
        """`written` is called when something was written; `renew` when the connections that there are may
        be of no use.
        """
        self.sessions, self._renew = sessions, renew
        self._quick = quick
        self._written = written
        self.known = Known()
        self._grown: dict[UUID, _Growth] = {}
        self._grown_lock = Lock()
        self._queue: SimpleQueue[Append | None] = SimpleQueue()
        self._thread = Thread(target=self._work, name="append", daemon=True)
        self._thread.start()

    def submit(self, archive: UUID, batch: Batch) -> "Future[Stored]":
        """Its result is there when the batch is on disk; or UnknownArchive, UnknownSchema, BlockConflict,
        DatabaseUnavailable.
        """
        request = Append(archive, batch)
        self._queue.put(request)
        return request.outcome

    def take_grown(self, by_ticks: int) -> list[UUID]:
        """The archives that have grown by so many ticks since they were taken the last time."""
        with self._grown_lock:
            found = [archive for archive, growth in self._grown.items() if growth.ticks >= by_ticks]
            for archive in found:
                del self._grown[archive]
        return found

    def has_come_to_rest(self, by_ticks: int, for_s: float) -> bool:
        """Whether an archive has grown by so many ticks since it was taken, and not at all for so long: as when a
        whole recording was loaded.
        """
        now_s = time.monotonic()
        with self._grown_lock:
            return any(growth.ticks >= by_ticks and now_s - growth.last_s >= for_s for growth in self._grown.values())

    def close(self) -> None:
        """Write what is queued, then end the thread."""
        self._queue.put(None)
        self._thread.join()
        self._quick.close()

    def _work(self) -> None:
        ended = False
        while not ended:
            together, ended = self._next()
            for part in self._parts(together):
                self._append(part)

    def _parts(self, together: Sequence[Append]) -> list[Part]:
        try:
            return list(self.known.parts(together))
        except Exception:  # one batch must not fail the others: appended one by one, only that one fails
            log.exception("batches cannot be distinguished, appending one by one")
            return [Part([item], None) for item in together]

    def _next(self) -> tuple[list[Append], bool]:
        found = [self._queue.get()]
        while not self._queue.empty() and len(found) < MOST_TOGETHER and found[-1] is not None:
            found.append(self._queue.get())
        return [match for match in found if match is not None], found[-1] is None

    def _append(self, part: Part) -> None:
        done: list[tuple[Append, Stored | StoreError]] = []
        try:
            done = self._try_twice(part)
            self._written()
        except DatabaseDamaged as why:
            # Where is it? Only the batches that need what is damaged are refused.
            if len(part.appends) > 1:
                for append in part.appends:
                    self._append(Part([append], None))
                return
            done = [(append, why) for append in part.appends]
        except DatabaseUnavailable as why:
            done = [(append, why) for append in part.appends]
        except Exception as why:  # noqa: BLE001  whatever it is, someone waits for it: it is handed on, never swallowed
            # Something in one batch that the database will not have: only that one may suffer from it.
            if len(part.appends) > 1:
                for item in part.appends:
                    self._append(Part([item], None))
                return
            part.appends[0].outcome.set_exception(why)
            return
        with self._grown_lock:
            for entry, outcome in done:
                if isinstance(outcome, Stored):
                    most = max((block.ticks for block in entry.batch.blocks), default=0)
                    growth = self._grown.setdefault(entry.archive, _Growth())
                    growth.ticks += most
                    growth.last_s = time.monotonic()
        for element, outcome in done:
            if isinstance(outcome, Stored):
                element.outcome.set_result(outcome)
            else:
                element.outcome.set_exception(outcome)

    def _try_twice(self, part: Part) -> list[tuple[Append, Stored | StoreError]]:
        """The first time may find only that the database was started again since the last time. What was committed
        nevertheless is known when it comes again.
        """
        try:
            return again_elsewhere(lambda: self._try(part))
        except (DatabaseDiskFull, DatabaseDamaged):
            raise
        except DatabaseUnavailable:
            # All connections are of the same age, and none is checked before it is used.
            self._renew()
            return self._try(part)

    def _try(self, part: Part) -> list[tuple[Append, Stored | StoreError]]:
        if part.usual is not None:
            with translate_driver_errors():
                if self._quick.put(part.usual):
                    return [(item, stored_of(item.batch)) for item in part.appends]
        with self.sessions() as session:
            return list(zip(part.appends, SlowAppender(session, self.known).append(part.appends), strict=True))
