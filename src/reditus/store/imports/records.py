"""What the store says of imports."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from enum import Enum
from typing import Any
from uuid import UUID

from reditus.store.errors import StoreError

MOST_IMPORTS = 200


class State(Enum):
    """Where an import is."""

    RECEIVING = "receiving"
    RECEIVED = "received"
    """Whole; it waits until it is said how it is to be read."""
    QUEUED = "queued"
    READING = "reading"
    STORING = "storing"
    DONE = "done"
    FAILED = "failed"
    CANCELLED = "cancelled"


AT_WORK = (State.QUEUED, State.READING, State.STORING)
"""What is gone on with after a restart."""
ENDED = (State.DONE, State.FAILED, State.CANCELLED)


@dataclass(frozen=True, slots=True)
class Import:
    """A file on its way into an archive."""

    id: UUID
    name: str
    size_bytes: int
    received_bytes: int
    state: State
    options: Mapping[str, Any]
    problem: str | None
    remarks: Sequence[str]
    archive: UUID | None
    ticks: int
    created_ns: int
    changed_ns: int


class UnknownImport(StoreError, LookupError):
    """No import has this id."""

    def __init__(self, wanted: UUID) -> None:
        super().__init__(f"no import has the id {wanted}; it may have been removed")


class ImportInTheWay(StoreError, ValueError):
    """What an import's state does not allow."""


class TooManyImports(StoreError, ValueError):
    """As many as are kept."""

    def __init__(self) -> None:
        super().__init__(f"there are {MOST_IMPORTS} imports already; remove some that have ended")
