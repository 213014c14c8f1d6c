"""What the store hands out: values, never rows."""

from dataclasses import dataclass
from uuid import UUID

from reditus.core.facts import HostFacts
from reditus.core.layout import Column
from reditus.core.types import NS_PER_S


@dataclass(frozen=True, slots=True)
class HostInfo:
    id: UUID
    name: str


@dataclass(frozen=True, slots=True)
class ArchiveInfo:
    """An archive and what it holds. Times are None while it is empty."""

    id: UUID
    host: HostInfo
    name: str
    source: str
    facts: HostFacts
    created_ns: int
    first_ns: int | None
    last_ns: int | None
    interval_ns: int | None
    ticks: int
    columns: int
    size_bytes: int

    @property
    def coverage(self) -> float:
        """Share of the time between first and last tick for which there are ticks, 0 to 1."""
        if self.first_ns is None or self.last_ns is None or self.interval_ns is None:
            return 0.0
        span_s = (self.last_ns - self.first_ns + self.interval_ns) / NS_PER_S
        return min(self.ticks * self.interval_ns / NS_PER_S / span_s, 1.0)


@dataclass(frozen=True, slots=True)
class KnownColumn:
    """Where a column stands: in which layout, at which place."""

    layout_id: int
    group: str
    position: int
    column: Column


@dataclass(frozen=True, slots=True)
class Stored:
    """What became of a batch."""

    stored_ticks: int
    repeated_ticks: int
    """Ticks that were there already; sending twice is harmless."""
    last_ns: int | None
