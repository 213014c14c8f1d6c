"""Who processes are: given once each, in the batch with the ticks that first hold their number."""

from collections.abc import Mapping
from dataclasses import asdict, dataclass
from uuid import UUID

from reditus.core.records import Envelope, checked_text, checked_whole

MAGIC = b"RDTN"


@dataclass(frozen=True, slots=True)
class Identity:
    """A process of one boot. A number is given again after a process ended; its start tells them apart."""

    pid: int
    start: int
    """When it began: clock ticks since the machine started, as /proc/PID/stat tells it."""
    name: str
    user: str
    group: str
    """Its control group's path."""
    parent: int
    arguments: str | None = None
    """None unless the plan asks for them: they may hold secrets."""


@dataclass(frozen=True, slots=True)
class Identities:
    """Identities of processes of one boot."""

    archive: UUID
    boot: UUID
    processes: tuple[Identity, ...]

    def to_bytes(self) -> bytes:
        """The record as docs/blocks.md describes it."""
        return Envelope(MAGIC, self.archive, self.boot, [asdict(process) for process in self.processes]).to_bytes()

    @classmethod
    def of(cls, envelope: Envelope) -> "Identities":
        """Raise ValueError, TypeError or KeyError for what tells of no process."""
        return cls(envelope.archive, envelope.boot, tuple(_identity(entry) for entry in envelope.payload))


def _identity(payload: Mapping[str, object]) -> Identity:
    arguments = payload.get("arguments")
    return Identity(
        pid=checked_whole(payload["pid"]),
        start=checked_whole(payload["start"]),
        name=checked_text(payload["name"]),
        user=checked_text(payload["user"]),
        group=checked_text(payload["group"]),
        parent=checked_whole(payload["parent"]),
        arguments=None if arguments is None else checked_text(arguments),
    )
