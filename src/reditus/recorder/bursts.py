"""When to sample faster: by hand, or while tasks lose more than a share of their time to a resource."""

from collections.abc import Iterable

from reditus.core.counters import RESOURCE, SCOPE
from reditus.core.plan import Burst
from reditus.core.types import NS_PER_S
from reditus.recorder.sampler import Reading

STALL = "system.linux.pressure.time"


class BurstWatch:
    """Looks at each tick's stall totals. Times are of the readings' monotonic clock."""

    def __init__(self, burst: Burst) -> None:
        self._burst = burst
        self._before: tuple[int, float] | None = None
        self._above_since_ns: int | None = None
        self._until_ns: int | None = None

    @property
    def is_conditional(self) -> bool:
        """Whether each tick has to be looked at, at once."""
        return self._burst.resource is not None

    def look(self, readings: Iterable[Reading]) -> None:
        """Compare the pressure totals of a tick with those of earlier ones."""
        if self._burst.resource is None:
            return
        for reading in readings:
            if reading.group != f"stall.{self._burst.resource}":
                continue
            for column, raw in zip(reading.columns, reading.values.tolist(), strict=True):
                wanted = column.attribute(SCOPE) == self._burst.scope
                if column.counter == STALL and wanted and column.attribute(RESOURCE) == self._burst.resource:
                    self._judge(reading.monotonic_ns, raw * column.factor)

    def is_on(self, now_ns: int) -> bool:
        """Whether a burst is on at this time."""
        return self._until_ns is not None and now_ns < self._until_ns

    def _judge(self, now_ns: int, stalled_s: float) -> None:
        before, self._before = self._before, (now_ns, stalled_s)
        if before is None or now_ns <= before[0]:
            return
        share = (stalled_s - before[1]) / ((now_ns - before[0]) / NS_PER_S)
        if share <= self._burst.above:
            self._above_since_ns = None
            return
        if self._above_since_ns is None:
            self._above_since_ns = before[0]
        if now_ns - self._above_since_ns >= self._burst.for_ns:
            # As long as the condition holds, the burst goes on.
            self._until_ns = now_ns + self._burst.last_ns
