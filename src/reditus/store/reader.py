"""Read an archive, or all archives of a host as one timeline."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from functools import cached_property
from typing import Any
from uuid import UUID

from sqlalchemy import func, select
from sqlalchemy.orm import Session

from reditus.core.assembling import assemble
from reditus.core.bins import Window
from reditus.core.facts import HostFacts
from reditus.core.frame import Frame
from reditus.core.identities import Identity
from reditus.core.joining import joined
from reditus.store import statements
from reditus.store.chunks import binary_rows, read_pieces
from reditus.store.errors import UnknownArchive
from reditus.store.known import ColumnMemory, KnownColumns
from reditus.store.records import KnownColumn
from reditus.store.tables import ArchiveRow, BlockRow, HostRow


@dataclass(frozen=True, slots=True)
class Extent:
    """First and last tick, and the shortest interval; None while there is nothing."""

    first_ns: int | None
    last_ns: int | None
    interval_ns: int | None


@dataclass(frozen=True)
class Scope:
    """What is read: some archives of one host, the one that counts most first where several tell of the same time."""

    host: UUID
    host_name: str
    archives: tuple[UUID, ...]
    facts: HostFacts


class Reader:
    """One reading, in one transaction: everything it returns is of the same instant."""

    def __init__(self, session: Session, memory: ColumnMemory, scope: Scope) -> None:
        self.session = session
        self.scope = scope
        self._memory = memory

    @cached_property
    def known(self) -> KnownColumns:
        """Every column that there is, with its place in each layout it stands in."""
        return self._memory.of_archives(self.session, self.scope.host, self.scope.archives)

    @cached_property
    def extent(self) -> Extent:
        """Of everything that is read."""
        row = self.session.execute(statements.extent(self.scope.host, self.scope.archives)).one()
        return Extent(*row)

    def extent_of(self, archive: UUID) -> Extent:
        if self.scope.archives == (archive,):
            return self.extent
        return Extent(*self.session.execute(statements.extent(self.scope.host, [archive])).one())

    def rows(self, statement: str, values: Mapping[str, Any]) -> list[tuple[Any, ...]]:
        """What a plain statement finds, in the driver's binary form: as text every byte would come as two."""
        return binary_rows(self.session, statement, values)

    def frame(self, columns: Sequence[KnownColumn], window: Window | None) -> Frame:
        """Some columns over a window (None: all of it), with the tick before it."""
        if not columns:
            return Frame([], self.scope.facts)
        pieces = read_pieces(self.session, self.scope.host, self.scope.archives, columns, window)
        return Frame(assemble(joined([pieces.get(archive, []) for archive in self.scope.archives])), self.scope.facts)

    def archive_at(self, at_ns: int) -> UUID | None:
        """The archive that tells of a moment; where none does, the newest one that there is."""
        covering = select(BlockRow.archive_id).where(
            BlockRow.host_id == self.scope.host,
            BlockRow.archive_id.in_(self.scope.archives),
            BlockRow.first_ns <= at_ns,
            BlockRow.last_ns >= at_ns - BlockRow.interval_ns,
        )
        found = set(self.session.scalars(covering.distinct()))
        return next((one for one in self.scope.archives if one in found), next(iter(self.scope.archives), None))

    def identities(self, at_ns: int, keys: Sequence[tuple[int, int]]) -> dict[tuple[int, int], Identity]:
        """Who the processes with these numbers and starts are, in the boot that the tick at `at_ns` belongs to."""
        archive = self.archive_at(at_ns)
        if archive is None or not keys:
            return {}
        boot = self.session.scalar(statements.boot_at(self.scope.host, archive, at_ns))
        rows = self.session.scalars(statements.processes_named(self.scope.host, archive, keys)).all()
        return {
            (row.pid, row.start): Identity(
                row.pid, row.start, row.name, row.user_name, row.control_group, row.parent, row.arguments
            )
            for row in rows
            if row.boot == boot
        }


def scope_of(session: Session, timeline: UUID) -> Scope:
    """What an id stands for: an archive, or a host and so all of its archives. Raise UnknownArchive."""
    found = session.execute(
        select(ArchiveRow.host_id, ArchiveRow.id, ArchiveRow.facts, HostRow.name)
        .join(HostRow, HostRow.id == ArchiveRow.host_id)
        .where((ArchiveRow.id == timeline) | (ArchiveRow.host_id == timeline))
    ).all()
    if not found:
        raise UnknownArchive(timeline)
    host, name = found[0].host_id, found[0].name
    if len(found) == 1:
        return Scope(host, name, (found[0].id,), HostFacts.from_json(found[0].facts))
    # The finest ticks first; of equals those of the archive that goes on longest.
    ordered = session.execute(
        select(BlockRow.archive_id)
        .where(BlockRow.host_id == host, BlockRow.archive_id.in_([row.id for row in found]))
        .group_by(BlockRow.archive_id)
        .order_by(func.min(BlockRow.interval_ns), func.max(BlockRow.last_ns).desc())
    ).scalars()
    facts = {row.id: row.facts for row in found}
    archives = tuple(ordered)
    return Scope(host, name, archives, HostFacts.from_json(facts[archives[0]] if archives else found[0].facts))
