"""An investigation and its exhibits as records, and what can go wrong with them."""

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any
from uuid import UUID

from reditus.store.errors import StoreError

MOST_INVESTIGATIONS = 2_000
MOST_EXHIBITS = 300
KEPT_S = 30 * 86_400
"""What was deleted can be brought back for so long."""


@dataclass(frozen=True, slots=True)
class Exhibit:
    """A piece of evidence, frozen."""

    id: UUID
    investigation: UUID
    archive: UUID
    start_ns: int
    end_ns: int
    content: bytes
    pictures: tuple[str, ...]
    checksum: str
    pinned_ns: int


@dataclass(frozen=True, slots=True)
class Investigation:
    """What people wrote, field by field."""

    id: UUID
    fields: Mapping[str, Any]
    version: int
    keeps: bool
    origin: Mapping[str, Any] | None
    created_ns: int
    changed_ns: int
    exhibits: int = 0
    """How many there are."""


class UnknownInvestigation(StoreError, LookupError):
    """No investigation has this id."""

    def __init__(self, investigation: UUID) -> None:
        super().__init__(f"there is no investigation {investigation}; GET /api/investigations lists them")


class UnknownExhibit(StoreError, LookupError):
    """No exhibit has this id."""

    def __init__(self, exhibit: UUID) -> None:
        super().__init__(f"there is no exhibit {exhibit}, or it was removed long ago")


class TooManyInvestigations(StoreError, ValueError):
    """No more are kept."""


class ReadOnlyInvestigation(StoreError, ValueError):
    """It came in a bundle, and stays as it came."""

    def __init__(self) -> None:
        super().__init__("this investigation came in a bundle and stays as it came; copy it, and work on the copy")


class ChangedMeanwhile(StoreError, ValueError):
    """Another person changed the same fields since they were read. Nothing was written."""

    def __init__(self, current: Investigation, fields: Mapping[str, Any]) -> None:
        names = ", ".join(sorted(fields))
        super().__init__(
            f"another person changed {names} meanwhile; nothing of yours was written. Look at both, and send what is "
            f"to stand with version {current.version}"
        )
        self.current, self.fields = current, dict(fields)
