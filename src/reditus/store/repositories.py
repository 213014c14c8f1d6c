"""The store's nouns with their verbs. Each call is a transaction of its own: what it raises undoes it."""

import time
from collections.abc import Callable, Sequence
from typing import Protocol, TypeVar
from uuid import UUID

from sqlalchemy.orm import Session

from reditus.core.facts import HostFacts
from reditus.core.markers import Marker
from reditus.core.plan import Plan
from reditus.core.window import Window
from reditus.store.archives import device_names, layouts, lifecycle, listing, markers, plans, scrubbing, verdicts
from reditus.store.archives.layouts import Layout
from reditus.store.archives.lifecycle import Description, Trimmed
from reditus.store.archives.log_lines import LineChoice
from reditus.store.archives.ownership import host_of
from reditus.store.archives.plans import Announced, Changes, PlanInfo, RecorderInfo
from reditus.store.database import statements
from reditus.store.database.damage import damage_of
from reditus.store.errors import DatabaseDamaged, UnknownArchive
from reditus.store.read.scope import readable_facts, scope_of
from reditus.store.records import (
    ArchiveInfo,
    CheckedBlocks,
    CheckPosition,
    Flaw,
    Found,
    HostInfo,
    KnownDamage,
    Verdict,
    whole_host,
)

T = TypeVar("T")


class Transact(Protocol):
    """Runs a function in a transaction and returns its result."""

    def __call__(self, work: Callable[[Session], T], /) -> T:
        """Run `work` and return its result."""


class Repository:
    """Base: holds what runs a function in a transaction."""

    def __init__(self, transact: Transact) -> None:
        self._transact = transact


class Archives(Repository):
    """Archives: listing them, what people decide about them, and checking what they contain."""

    def all(self) -> list[ArchiveInfo]:
        """All archives, the one with the newest data first. One whose contents cannot be read says so."""
        try:
            return self._transact(listing.list_archives)
        except DatabaseDamaged:
            return self._transact(listing.list_readable_archives)

    def get(self, archive: UUID) -> ArchiveInfo:
        """An archive, or, given a host's id, all archives of that host as one. Raise UnknownArchive."""
        try:
            infos = self._transact(lambda session: listing.list_archives(session, archive))
        except DatabaseDamaged:
            infos = self._transact(lambda session: listing.list_readable_archives(session, archive))
        if not infos:
            raise UnknownArchive(archive)
        return infos[0] if infos[0].id == archive else whole_host(infos)

    def register(self, *, host: HostInfo, archive: UUID, name: str, source: str, facts: HostFacts) -> None:
        """Insert an archive, or update its name and facts. Raise BlockConflict if another host has the id."""
        self._transact(
            lambda session: listing.register_archive(
                session, host=host, archive=archive, name=name, source=source, facts=facts
            )
        )

    def facts_history(self, archive: UUID) -> list[tuple[int, HostFacts]]:
        """The facts of the host, each with the time since when they hold, oldest first. Raise UnknownArchive."""

        def work(session: Session) -> list[tuple[int, HostFacts]]:
            scope = scope_of(session, archive)
            rows = session.execute(statements.facts_history(scope.host, scope.archives))
            return [(since_ns, readable_facts(facts)[0]) for since_ns, facts in rows]

        return self._transact(work)

    def check_writable(self, archive: UUID) -> None:
        """Raise ArchiveReadOnly for what came in a bundle. Of an archive that is not known nothing is said."""
        self._transact(lambda session: lifecycle.check_writable(session, archive))

    def describe(self, archive: UUID, description: Description) -> None:
        """Set name, notes and protection. Raise UnknownArchive."""
        self._transact(lambda session: lifecycle.describe(session, archive, description))

    def delete(self, archive: UUID) -> None:
        """Mark an archive for removal; `restore` takes that back for a while. Raise ArchiveProtected,
        UnknownArchive.
        """
        self._transact(lambda session: lifecycle.delete_archive(session, archive))

    def restore(self, archive: UUID) -> None:
        """Take a deletion back. Raise UnknownArchive where it is too late."""
        self._transact(lambda session: lifecycle.restore_archive(session, archive))

    def trim(self, archive: UUID, window: Window) -> Trimmed:
        """Remove all ticks outside a window. Raise ArchiveProtected, UnknownArchive, or EmptyWindow."""
        return self._transact(lambda session: lifecycle.trim(session, archive, window))

    def copy(self, timeline: UUID, window: Window, name: str) -> UUID:
        """Copy a window of an archive, or of a host, to a new archive. Raise UnknownArchive or EmptyWindow."""
        return self._transact(lambda session: lifecycle.copy_stretch(session, timeline, window, name))

    def damage(self, timeline: UUID | None = None) -> list[KnownDamage]:
        """Known damage of an archive, of a host's archives, or of all. Raise UnknownArchive."""
        return self._transact(
            lambda session: damage_of(session, None if timeline is None else scope_of(session, timeline).archives)
        )

    def verify(self, archive: UUID, place: CheckPosition, most_blocks: int) -> CheckedBlocks:
        """Verify the next blocks of an archive, and record which are damaged. Raise UnknownArchive."""
        return self._transact(
            lambda session: scrubbing.verify_slice(session, host_of(session, archive), archive, place, most_blocks)
        )

    def verify_rollups(self, archive: UUID) -> list[Flaw]:
        """Verify an archive's rollups. Raise UnknownArchive."""
        return self._transact(lambda session: scrubbing.verify_rollups(session, host_of(session, archive), archive))

    def verify_tables(self) -> list[Flaw]:
        """Verify every table but the blocks and rollups."""
        return self._transact(scrubbing.verify_tables)


class Plans(Repository):
    """Plans for recorders."""

    def all(self) -> list[PlanInfo]:
        """All plans, by name."""
        return self._transact(plans.plans)

    def get(self, name: str) -> PlanInfo:
        """Raise UnknownPlan."""
        return self._transact(lambda session: plans.plan_named(session, name))

    def put(self, plan: Plan) -> None:
        """Insert or replace the plan of this name."""
        self._transact(lambda session: plans.put_plan(session, plan))

    def delete(self, name: str) -> None:
        """Raise UnknownPlan, or PlanInUse while a recorder follows it."""
        self._transact(lambda session: plans.remove_plan(session, name))


class Recorders(Repository):
    """Recorders: their reports and their orders."""

    def all(self) -> list[RecorderInfo]:
        """All recorders, by host and name."""
        return self._transact(plans.recorders)

    def announce(self, announced: Announced) -> tuple[RecorderInfo, Plan | None]:
        """Save a recorder's report, and return its orders. Raise UnknownPlan."""
        return self._transact(lambda session: plans.announce(session, announced))

    def update_orders(self, recorder: UUID, changes: Changes) -> RecorderInfo:
        """Raise UnknownRecorder or UnknownPlan."""
        return self._transact(lambda session: plans.update_orders(session, recorder, changes))

    def delete(self, recorder: UUID) -> None:
        """Delete a recorder; what it recorded stays. Raise UnknownRecorder."""
        self._transact(lambda session: plans.delete_recorder(session, recorder))

    def expire(self, recorder: UUID, now_ns: int) -> int:
        """Remove a recorder's blocks that are older than its plan keeps them. Return how many."""
        return self._transact(lambda session: plans.expire_recorder(session, recorder, now_ns))


class MarkerStore(Repository):
    """Markers of archives."""

    def read(self, archive: UUID, window: Window, choice: LineChoice, limit: int) -> Found:
        """The worst markers of a window. Raise UnknownArchive."""
        return self._transact(lambda session: markers.read_markers(session, archive, window, choice, limit))

    def near(self, archive: UUID, at_ns: int, choice: LineChoice, limit: int) -> list[Marker]:
        """Lines of logs before and after a moment. Raise UnknownArchive."""
        return self._transact(lambda session: markers.read_lines(session, archive, at_ns, choice, limit))

    def add(self, archive: UUID, added: Sequence[Marker]) -> None:
        """Raise UnknownArchive."""
        self._transact(lambda session: markers.add_markers(session, archive, added))


class DeviceNames(Repository):
    """Names that people give to devices of a host."""

    def of_host(self, host: UUID) -> dict[str, dict[str, str]]:
        """Names by kind of device and device."""
        return self._transact(
            lambda session: {kind: dict(names) for kind, names in device_names.names_of(session, host).items()}
        )

    def assign(self, archive: UUID, kind: str, device: str, name: str | None) -> dict[str, dict[str, str]]:
        """Name a device of the archive's host; None removes the name. Raise UnknownArchive."""
        return self._transact(
            lambda session: {
                key: dict(names)
                for key, names in device_names.name_device(session, archive, kind, device, name).items()
            }
        )


class Layouts(Repository):
    """Layouts that were saved."""

    def all(self) -> list[Layout]:
        """Those that are not deleted, in their order."""
        return self._transact(layouts.layouts)

    def save(self, layout: Layout) -> Layout:
        """Save a layout. Raise UnknownHost, TooManyLayouts."""
        return self._transact(lambda session: layouts.save_layout(session, layout))

    def delete(self, layout: UUID) -> None:
        """Delete a layout; `restore` brings it back. Raise UnknownLayout."""
        self._transact(lambda session: layouts.delete_layout(session, layout))

    def restore(self, layout: UUID) -> Layout:
        """Bring a deleted layout back. Raise UnknownLayout."""
        return self._transact(lambda session: layouts.restore_layout(session, layout))

    def order(self, ordered: Sequence[UUID]) -> list[Layout]:
        """Put layouts in an order, in front of those that are not named."""
        return self._transact(lambda session: layouts.order_layouts(session, ordered))


class Verdicts(Repository):
    """Verdicts on findings."""

    def of_host(self, host: UUID) -> list[Verdict]:
        """The verdicts on findings of a host, the newest first."""
        return self._transact(lambda session: verdicts.verdicts_of(session, host))

    def save(self, archive: UUID, verdict: Verdict) -> None:
        """Raise UnknownArchive."""
        self._transact(lambda session: verdicts.save_verdict(session, archive, verdict))


class Upkeep(Repository):
    """Single steps of background work, each of one archive and in a transaction of its own.

    `reditus.analysis.maintenance` decides which of them are due.
    """

    def archives(self) -> list[tuple[UUID, UUID]]:
        """Host and archive ids."""
        return self._transact(statements.archive_keys)

    def due_for_removal(self, undo_s: float) -> list[UUID]:
        """Archives that were deleted longer than `undo_s` ago."""
        return self._transact(lambda session: lifecycle.due_for_removal(session, time.time_ns(), undo_s))

    def remove(self, archive: UUID, undo_s: float) -> bool:
        """Remove a deleted archive with all that belongs to it, unless its deletion was taken back."""
        return self._transact(lambda session: lifecycle.remove_archive(session, archive, time.time_ns(), undo_s))

    def recorders_with_plans(self) -> list[UUID]:
        """Recorders whose archives may expire."""
        return self._transact(plans.recorders_with_plans)

    def scrub_turns(self, every_s: float) -> list[tuple[UUID, UUID]]:
        """Host and archive ids of the archives that are due for scrubbing, the longest overdue first."""
        return self._transact(lambda session: scrubbing.turns(session, every_s))

    def scrub_slice(self, host: UUID, archive: UUID) -> CheckedBlocks:
        """Verify the next blocks of an archive where the scrubber left off, and save where it is now."""
        return self._transact(lambda session: scrubbing.scrub_slice(session, host, archive))
