"""What can go wrong in the store.

StoreError
├── DatabaseUnavailable(ConnectionError)      the database cannot be reached; try again
│   ├── DatabaseDiskFull                   its disk is full; try again once there is room
│   └── DatabaseDamaged             its files are damaged where this was read; something has to be restored
├── UnknownArchive(LookupError)
├── UnknownSchema(LookupError)      a block whose columns were never described
├── BlockConflict(ValueError)          a block that contradicts its schema or its archive
├── ArchiveProtected(ValueError)    nothing may be removed from it
│   └── ArchiveInUse                an investigation keeps what was to be removed
├── ArchiveReadOnly(ValueError)     it came in a bundle
├── EmptyWindow(LookupError)       a stretch without ticks
├── UnknownPlan(LookupError)
├── PlanInUse(ValueError)           a plan that recorders follow cannot be removed
├── UnknownRecorder(LookupError)
└── ClusterError(RuntimeError)     the private PostgreSQL cannot be made or started (database.cluster)
"""

from collections.abc import Sequence
from uuid import UUID

from reditus.core.errors import ReditusError


class StoreError(ReditusError):
    """Base of the store's errors."""


class DatabaseUnavailable(StoreError, ConnectionError):
    """The database cannot be reached, or went away during the call. Nothing was half-written."""


class DatabaseDiskFull(DatabaseUnavailable):
    """The database cannot write, for its disk is full. Nothing was half-written, and reading goes on."""


class DatabaseDamaged(DatabaseUnavailable):
    """The database's own files are damaged where this was read. All else can be read; nothing was half-written."""


class UnknownArchive(StoreError, LookupError):
    """No archive or host has this id."""

    def __init__(self, archive: UUID | str) -> None:
        super().__init__(f"there is no archive {archive}; `reditus archives` or GET /api/archives lists them")


class UnknownSchema(StoreError, LookupError):
    """A block's schema was not registered for its host."""

    def __init__(self, digest: bytes) -> None:
        super().__init__(
            f"the schema {digest.hex()[:16]}… is not known for this host; PUT it under the archive's schemas, then "
            f"send "
            "the blocks again"
        )
        self.digest = digest


class BlockConflict(StoreError, ValueError):
    """A block that does not fit what is known of its archive or schema."""


class ArchiveProtected(StoreError, ValueError):
    """The archive is protected from removal."""

    def __init__(self, name: str) -> None:
        super().__init__(
            f"the archive {name!r} is protected: nothing is removed from it. Take the protection away first"
        )


class ArchiveReadOnly(StoreError, ValueError):
    """The archive came in a bundle, and nothing is added to it."""

    def __init__(self, name: str) -> None:
        super().__init__(f"the archive {name!r} came in a bundle and stays as it came: nothing is added to it")


class ArchiveInUse(ArchiveProtected):
    """An investigation keeps what was to be removed."""

    def __init__(self, name: str) -> None:
        StoreError.__init__(
            self,
            f"an investigation keeps stretches of the archive {name!r} that its exhibits stand on; let it keep them no "
            "longer first",
        )


class EmptyWindow(StoreError, LookupError):
    """The window has no ticks."""

    def __init__(self, name: str) -> None:
        super().__init__(f"{name!r} has no ticks in that stretch; choose one within its first and last tick")


class UnknownPlan(StoreError, LookupError):
    """No plan has this name."""

    def __init__(self, name: str, known: Sequence[str]) -> None:
        there = f"there are {', '.join(map(repr, known))}" if known else "there is none yet"
        super().__init__(f"no plan is called {name!r}; {there}")


class PlanInUse(StoreError, ValueError):
    """A recorder follows the plan."""

    def __init__(self, name: str, followers: Sequence[str]) -> None:
        super().__init__(
            f"the plan {name!r} is followed by {', '.join(map(repr, followers))}; give those another plan, or none, "
            f"first"
        )


class UnknownLayout(StoreError, LookupError):
    """No layout with this id was saved."""

    def __init__(self, layout: UUID) -> None:
        super().__init__(f"no layout {layout} is saved here, or it was deleted long ago")


class UnknownHost(StoreError, LookupError):
    """No archive is of this host."""

    def __init__(self, host: UUID) -> None:
        super().__init__(f"there is no host {host}; leave the host out, and the layout is for all hosts")


class TooManyLayouts(StoreError, ValueError):
    """No more layouts are kept."""

    def __init__(self, most: int) -> None:
        super().__init__(f"{most} layouts are saved, and no more are kept; delete some first")


class UnknownRecorder(StoreError, LookupError):
    """No recorder with this id has reported."""

    def __init__(self, recorder: UUID) -> None:
        super().__init__(f"no recorder {recorder} has reported here; GET /api/recorders lists those that did")
