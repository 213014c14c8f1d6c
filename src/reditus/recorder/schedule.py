"""A fixed schedule that never drifts: ticks lie on whole intervals, and one that is missed is missed."""

import time
from collections.abc import Iterator

from reditus.core.types import NS_PER_S
from reditus.recorder.stopping import Stoppable


class Schedule:
    """Yields once per tick until `stop` is set or `for_ns` have passed.

    Ticks are aligned to the wall clock once, at the start, and follow the monotonic clock from there.
    """

    def __init__(self, interval_ns: int, stop: Stoppable, for_ns: int | None = None) -> None:
        self._interval_ns, self._stop, self._for_ns = interval_ns, stop, for_ns
        self.missed = 0
        self.late_ns = 0
        """How late the current tick began."""

    def __iter__(self) -> Iterator[None]:
        now_ns = time.monotonic_ns()
        due_ns = now_ns + self._interval_ns - time.time_ns() % self._interval_ns
        end_ns = None if self._for_ns is None else due_ns + self._for_ns
        while end_ns is None or due_ns <= end_ns:
            if self._stop.wait(max(due_ns - time.monotonic_ns(), 0) / NS_PER_S):
                return
            self.late_ns = time.monotonic_ns() - due_ns
            yield
            behind = (time.monotonic_ns() - due_ns) // self._interval_ns
            self.missed += behind
            due_ns += (behind + 1) * self._interval_ns
