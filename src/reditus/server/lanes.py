"""Lanes: which work may run beside which, and with how much memory. Neither health checks nor recorders wait behind
charts.
"""

from dataclasses import dataclass, field

from anyio import CapacityLimiter

from reditus.core.errors import CoreError

MIB = 1 << 20
CHARTS_AT_ONCE = 2
"""Charts keep a core each at work; more of them at once only take more memory."""
MOST_WAITING = 400
"""Requests in line for one lane; beyond that the answer is that the server is busy."""


class RequestTooLarge(CoreError, ValueError):
    """A request that needs more memory than there is for one; refused before it reads."""


class Busy(CoreError):
    """Too many requests wait already."""


@dataclass(frozen=True, slots=True)
class Budget:
    """How the server's memory is shared out; see docs/operation.md for what was measured."""

    memory_mib: int

    @property
    def cache_bytes(self) -> int:
        """Of decoded blocks that are kept for the next look."""
        return self.memory_mib * MIB // 8

    @property
    def request_bytes(self) -> int:
        """Of raw columns that a request reads at once; what is worked out of them takes some times as much."""
        return self.memory_mib * MIB // 32

    @property
    def long(self) -> "Budget":
        """Of a diagnosis, of which one is worked out at a time."""
        return Budget(2 * self.memory_mib)

    @property
    def intake_bytes(self) -> int:
        """Of batches on their way to the database, all together; one that is larger comes alone."""
        return self.memory_mib * MIB // 16

    @property
    def most_bytes(self) -> int:
        """What cannot be read in parts may be so large; anything larger is refused."""
        return 4 * self.request_bytes

    def check(self, size_bytes: int) -> None:
        """Raise RequestTooLarge where a request is about to read more than it may."""
        if size_bytes > self.most_bytes:
            share = self.most_bytes / size_bytes
            raise RequestTooLarge(
                f"this would read {size_bytes / MIB:,.0f} MiB of ticks at once, and one request may read "
                f"{self.most_bytes / MIB:.0f}. Ask for {share:.0%} of the time or of the series, or less; or give the "
                f"server "
                "more with REDITUS_MEMORY_MIB"
            )

    def check_points(self, series: int, width: int) -> None:
        """The same for what a request is about to answer."""
        size_bytes = series * width * POINT_BYTES
        if size_bytes > self.most_bytes:
            fits = self.most_bytes // POINT_BYTES
            raise RequestTooLarge(
                f"{series} series of {width} points are too much for one answer. {fits // width} series of that width "
                f"fit, or {fits // series} points for each of these"
            )


POINT_BYTES = 3 * (8 + 20)
"""Mean, lowest and highest of a point, as doubles and as text."""


@dataclass(frozen=True, slots=True)
class Lanes:
    """How many threads each kind of work has."""

    intake: CapacityLimiter = field(default_factory=lambda: CapacityLimiter(4))
    health: CapacityLimiter = field(default_factory=lambda: CapacityLimiter(2))
    charts: CapacityLimiter = field(default_factory=lambda: CapacityLimiter(CHARTS_AT_ONCE))
    long: CapacityLimiter = field(default_factory=lambda: CapacityLimiter(1))
    """Diagnoses, copies, checks: seconds each, and much memory."""

    @property
    def reading(self) -> bool:
        """Whether charts or diagnoses are being worked out right now. Safe from any thread."""
        return self.charts.borrowed_tokens > 0 or self.long.borrowed_tokens > 0
