"""The thread that does the store's background work, round by round, and never ends by itself."""

import time
from threading import Event, Thread
from uuid import UUID

import structlog

from reditus.analysis.diagnosis import SpanCache
from reditus.analysis.maintenance import Journal, judge_at_rest, maintain, scrub
from reditus.server.allocator import give_back
from reditus.server.lanes import Budget, Lanes
from reditus.server.settings import Settings
from reditus.store import DatabaseUnavailable
from reditus.store.store import Store

log = structlog.get_logger()

SCRUBBED_A_ROUND = 64
"""Blocks: a second's work or so, every half minute."""
JUDGED_A_ROUND = 2
LOADED_S = 1.0
"""An archive that has grown by hours and then not at all for so long was loaded."""
LONGEST_WAY_S, LOOK_S = 10.0, 0.05
"""For so long work gives way to requests at most; how often it looks whether they are done."""
MOST_BACKOFF = 8


class Background:
    """Seals, expires, rolls up, scrubs and judges in a thread of its own."""

    def __init__(
        self, store: Store, settings: Settings, journal: Journal, judged: SpanCache, budget: Budget, lanes: Lanes
    ) -> None:
        self._store, self._settings, self._journal = store, settings, journal
        self._judged, self._budget, self._lanes = judged, budget, lanes
        self._judged_to: dict[UUID, int] = {}
        # Whether archives at rest are left to judge.
        self._is_behind = False
        self._stopping = Event()
        self._thread = Thread(target=self._run, name="background", daemon=True)

    def start(self) -> None:
        """Start the thread."""
        self._thread.start()

    def stop(self, wait_s: float) -> None:
        """End the thread, waiting so long at most."""
        self._stopping.set()
        self._thread.join(wait_s)

    def _run(self) -> None:
        # Once everything: what the last server left. From then on what has grown.
        only_grown, failed, said = False, 0, ""
        while not self._pause(self._settings.seal_every_s * min(1 + failed, MOST_BACKOFF), bool(failed)):
            try:
                self._round(only_grown)
                only_grown, failed, said = True, 0, ""
            except Exception as why:
                failed += 1
                if f"{type(why).__name__}" != said:
                    said = type(why).__name__
                    log.warning(
                        "background work waits",
                        reason=str(why),
                        exc_info=None if isinstance(why, DatabaseUnavailable) else why,
                    )

    def _pause(self, pause_s: float, failed: bool) -> bool:
        """Wait so long, or until a whole recording was loaded: it may be opened now. Return whether to end."""
        until_s = time.monotonic() + pause_s
        while (left_s := until_s - time.monotonic()) > 0:
            if self._stopping.wait(min(left_s, LOADED_S)):
                return True
            if not failed and (self._is_behind or self._store.has_come_to_rest(LOADED_S)):
                return False
        return self._stopping.is_set()

    def _give_way(self) -> bool:
        """Let what is being read go first, for a while. Return whether to go on: not when the server ends."""
        until_s = time.monotonic() + LONGEST_WAY_S
        while self._lanes.reading and time.monotonic() < until_s and not self._stopping.wait(LOOK_S):
            pass
        return not self._stopping.is_set()

    def _round(self, only_grown: bool) -> None:
        stop = self._stopping.is_set
        maintain(
            self._store,
            self._journal,
            only_grown=only_grown,
            undo_s=self._settings.undo_for_s,
            stop=stop,
            give_way=self._give_way,
        )
        begun_s = time.monotonic()
        scrub(self._store, self._journal, most_blocks=SCRUBBED_A_ROUND, every_s=self._settings.scrub_every_s, stop=stop)
        log.debug("scrubbed", seconds=round(time.monotonic() - begun_s, 2))
        # Judging is as heavy as a requested diagnosis: it gives way to every reading, what it has judged so far is
        # kept, and the next round goes on from there.
        judged = judge_at_rest(
            self._store,
            self._journal,
            self._judged,
            self._judged_to,
            allowance=self._budget.long,
            stop=lambda: stop() or self._lanes.reading,
            most=JUDGED_A_ROUND,
        )
        self._is_behind = judged == JUDGED_A_ROUND
        give_back()
