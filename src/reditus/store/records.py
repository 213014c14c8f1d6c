"""What the store hands out: values, never rows."""

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Literal
from uuid import UUID

from reditus.core.facts import HostFacts
from reditus.core.markers import Marker
from reditus.core.rfc3339 import EARLIEST_NS
from reditus.core.types import NS_PER_S


@dataclass(frozen=True, slots=True)
class HostInfo:
    """A host's id and name."""

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
    notes: str = ""
    protected: bool = False
    deleted_ns: int | None = None
    """Since when it waits to be removed."""
    seen_ns: int | None = None
    """Time with ticks, where it is not simply their number times the interval."""
    damaged_blocks: int = 0
    """How many are known to be damaged; readers leave out what they lost."""
    trouble: str | None = None
    """What of it cannot be read at all, and why."""

    @property
    def coverage(self) -> float:
        """Share of the time between first and last tick for which there are ticks, 0 to 1."""
        if self.first_ns is None or self.last_ns is None or self.interval_ns is None:
            return 0.0
        if self.seen_ns is not None:
            return min(self.seen_ns / max(self.last_ns - self.first_ns, 1), 1.0)
        span_s = (self.last_ns - self.first_ns + self.interval_ns) / NS_PER_S
        return min(self.ticks * self.interval_ns / NS_PER_S / span_s, 1.0)


@dataclass(frozen=True, slots=True)
class Stored:
    """What became of a batch."""

    stored_ticks: int
    repeated_ticks: int
    """Ticks that were there already; sending twice is harmless."""
    last_ns: int | None


def whole_host(archives: Sequence[ArchiveInfo]) -> ArchiveInfo:
    """All archives of a host as one: from the first tick of any to the last. There is at least one."""
    newest = archives[0]
    firsts = [archive.first_ns for archive in archives if archive.first_ns is not None]
    lasts = [archive.last_ns for archive in archives if archive.last_ns is not None]
    paces = [archive.interval_ns for archive in archives if archive.interval_ns is not None]
    return ArchiveInfo(
        id=newest.host.id,
        host=newest.host,
        name=f"{len(archives)} archives as one" if len(archives) > 1 else newest.name,
        source=newest.source,
        facts=newest.facts,
        created_ns=min(archive.created_ns for archive in archives),
        first_ns=min(firsts, default=None),
        last_ns=max(lasts, default=None),
        interval_ns=min(paces, default=None),
        ticks=sum(archive.ticks for archive in archives),
        columns=max(archive.columns for archive in archives),
        size_bytes=sum(archive.size_bytes for archive in archives),
        seen_ns=_seen_ns(archives),
        damaged_blocks=sum(archive.damaged_blocks for archive in archives),
        trouble=next((archive.trouble for archive in archives if archive.trouble), None),
    )


def _seen_ns(archives: Sequence[ArchiveInfo]) -> int:
    """Time that at least one of them covers, if each covers its share of it evenly."""
    seen_ns, reached_ns = 0.0, 0
    for archive in sorted(archives, key=lambda item: item.first_ns or 0):
        if archive.first_ns is None or archive.last_ns is None or archive.interval_ns is None:
            continue
        begin_ns = max(archive.first_ns - archive.interval_ns, reached_ns)
        seen_ns += max(archive.last_ns - begin_ns, 0) * archive.coverage
        reached_ns = max(reached_ns, archive.last_ns)
    return round(seen_ns)


VerdictState = Literal["open", "confirmed", "dismissed"]


@dataclass(frozen=True, slots=True)
class Verdict:
    """A user's verdict on a finding: confirmed, dismissed with a reason, or remarked upon. `state` is open where there
    is a remark only.
    """

    kind: str
    device: str | None
    start_ns: int
    end_ns: int
    state: VerdictState
    remark: str
    decided_ns: int

    def is_of(self, kind: str, device: str | None, start_ns: int, end_ns: int) -> bool:
        """Whether it is about a finding. One that goes on grows, and may begin a little elsewhere when judged again:
        they are the same if they share more than half of the shorter one.
        """
        if (self.kind, self.device) != (kind, device):
            return False
        shared_ns = min(self.end_ns, end_ns) - max(self.start_ns, start_ns)
        return 2 * shared_ns > min(self.end_ns - self.start_ns, end_ns - start_ns)


@dataclass(frozen=True, slots=True)
class Found:
    """Markers of a window."""

    markers: list[Marker]
    """The worst ones where there are more than requested, in the order of time."""
    total: int


@dataclass(frozen=True, slots=True)
class LogInfo:
    """A log that there are lines of."""

    name: str
    lines: int
    errors: int
    """As bad as an error, or worse."""
    first_ns: int
    last_ns: int


@dataclass(frozen=True, slots=True)
class LineCount:
    """How many lines of a log there were in one cell of a window."""

    log: str
    cell: int
    lines: int
    errors: int


@dataclass(frozen=True, slots=True)
class Damage:
    """A stretch of one schema's ticks of which some columns, or all, are lost."""

    host: UUID
    archive: UUID
    schema: int
    first_ns: int
    last_ns: int
    columns: tuple[int, ...] | None
    """Positions in the schema; None: all."""
    reason: str


@dataclass(frozen=True, slots=True)
class KnownDamage:
    """Damage as people read it."""

    archive: UUID
    archive_name: str
    host_name: str
    group: str
    first_ns: int
    last_ns: int
    columns: int | None
    """How many are lost; None: all of them."""
    reason: str
    found_ns: int

    @property
    def sentence(self) -> str:
        """What is lost and why, for people."""
        what = "all columns" if self.columns is None else f"{self.columns} column{'' if self.columns == 1 else 's'}"
        return f"damaged: {what} of {self.group} ({self.reason})"


@dataclass(frozen=True, slots=True)
class CheckPosition:
    """How far a pass over an archive's blocks has come: all up to this schema and first tick are verified."""

    schema: int = -1
    after_ns: int = EARLIEST_NS


@dataclass(frozen=True, slots=True)
class CheckedBlocks:
    """What verifying some blocks showed."""

    checked: int
    size_bytes: int
    damage: list[Damage]
    next: CheckPosition | None
    """Where to go on; None at the end."""


@dataclass(frozen=True, slots=True)
class Flaw:
    """Something outside the blocks that is damaged, and what to do about it."""

    where: str
    reason: str
    remedy: str
