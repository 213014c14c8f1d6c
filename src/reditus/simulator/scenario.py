"""What a made-up host is and what happens on it: plain descriptions, no arithmetic."""

from dataclasses import dataclass
from enum import Enum
from uuid import UUID

from reditus.core.facts import HostFacts


class Priority(Enum):
    NORMAL = "normal"
    LOW = "low"


@dataclass(frozen=True, slots=True)
class Machine:
    """A host's build."""

    id: UUID
    name: str
    cores: int
    memory_bytes: int
    disk: str
    disk_service_s: float
    """Time that the disk needs for one request when nothing else is asked of it."""
    disk_parallel: int
    """Requests that the disk serves at the same time."""
    interface: str
    facts: HostFacts


@dataclass(frozen=True, slots=True)
class Work:
    """A job: a number of workers that each ask for a core's time, from `start_s` to `end_s` after the beginning."""

    name: str
    start_s: float
    end_s: float
    workers: int
    intensity: float = 1.0
    """Share of a core that each worker asks for."""
    kernel_share: float = 0.08
    """Share of its processor time spent in the kernel."""
    priority: Priority = Priority.NORMAL
    core: int | None = None
    """The one core it is bound to, if it is."""
    memory_bytes: int = 0
    read_bytes_per_s: float = 0.0
    write_bytes_per_s: float = 0.0
    receive_bytes_per_s: float = 0.0
    send_bytes_per_s: float = 0.0


@dataclass(frozen=True, slots=True)
class Cause:
    """The truth about a stretch, for tests and exercises: what it is, or what it only looks like."""

    kind: str
    start_s: float
    end_s: float
    is_problem: bool
    story: str


@dataclass(frozen=True, slots=True)
class Scenario:
    """A machine, what it does, and what is true of it."""

    machine: Machine
    archive: UUID
    name: str
    begin_ns: int
    length_s: int
    interval_s: float
    seed: int
    works: tuple[Work, ...]
    causes: tuple[Cause, ...]
