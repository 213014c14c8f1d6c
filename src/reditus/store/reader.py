"""Read an archive, or all archives of a host as one timeline."""

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from functools import cached_property
from typing import Any, NamedTuple, Protocol
from uuid import UUID

import psycopg
from sqlalchemy import func, select
from sqlalchemy.orm import Session

from reditus.core.assembling import assemble
from reditus.core.bins import Window
from reditus.core.column_codec import WORD
from reditus.core.facts import FactsError, HostFacts
from reditus.core.frame import Frame, Group
from reditus.core.gaps import Gap, gaps_of
from reditus.core.identities import Identity
from reditus.core.joining import joined, merged
from reditus.core.types import Json
from reditus.store import statements
from reditus.store.chunks import BlockReader, Held, contents, islands
from reditus.store.damage import as_rows, attempt, can_go_around, damage_of, surviving
from reditus.store.driver import binary_rows, driver_of
from reditus.store.errors import DatabaseDamaged, UnknownArchive
from reditus.store.kept import KeptBlocks
from reditus.store.known import ColumnMemory, KnownColumns
from reditus.store.records import Damage, KnownColumn, KnownDamage
from reditus.store.tables import BlockRow, MarkerRow

LEAST_TICKS = 256
"""Read at once however many columns there are."""


@dataclass(frozen=True, slots=True)
class Extent:
    """First and last tick, and the shortest interval; None while there is nothing."""

    first_ns: int | None
    last_ns: int | None
    interval_ns: int | None


def _extent(held: Sequence[Held]) -> Extent:
    if not held:
        return Extent(None, None, None)
    return Extent(
        min(one.first_ns for one in held), max(one.last_ns for one in held), min(one.interval_ns for one in held)
    )


@dataclass(frozen=True)
class Scope:
    """What is read: some archives of one host, the one that counts most first where several tell of the same time."""

    host: UUID
    host_name: str
    archives: tuple[UUID, ...]
    facts: HostFacts


class Allowance(Protocol):
    """How many bytes of raw columns may be read at once."""

    @property
    def request_bytes(self) -> int: ...

    def check(self, size_bytes: int) -> None:
        """Raise what says so where that is more than may be read."""


class Unlimited:
    """For work that bounds itself."""

    request_bytes = 16 << 20

    def check(self, size_bytes: int) -> None:
        """Anything goes."""


class Reader:
    """One reading, in one transaction: everything it returns is of the same instant."""

    def __init__(
        self,
        session: Session,
        memory: ColumnMemory,
        timeline: UUID,
        check: Callable[[], None] = lambda: None,
        kept: KeptBlocks | None = None,
        *,
        allowance: Allowance | None = None,
        writes: bool = False,
    ) -> None:
        """Raise UnknownArchive where the id is neither an archive's nor a host's. `allowance` says how much may be read at
        once; `writes` says that the transaction writes too.
        """
        self.session = session
        self.scope, self._held = _opened(session, timeline, writes=writes)
        self.check = check
        self.allowance = allowance or Unlimited()
        self._blocks = BlockReader(session, self.scope.host, check, self.allowance.check, writes=writes)
        """Called between parts of the work; raises Cancelled once nobody waits for it."""
        self._memory = memory
        self._kept = kept
        self.damaged_rollups: set[UUID] = set()
        """Archives whose rollups are damaged; what was read came from the ticks instead."""

    @cached_property
    def known(self) -> KnownColumns:
        """Every column that there is, with its place in each layout it stands in."""
        layouts = tuple(dict.fromkeys(one.layout for one in self._held))
        return self._memory.of_layouts(self.session, self.scope.host, layouts)

    @cached_property
    def extent(self) -> Extent:
        """Of everything that is read."""
        return _extent(self._held)

    def extent_of(self, archive: UUID) -> Extent:
        return _extent([one for one in self._held if one.archive == archive])

    def rows(self, statement: str, values: Mapping[str, Any]) -> list[tuple[Any, ...]]:
        """What a plain statement finds, in the driver's binary form: as text every byte would come as two."""
        return binary_rows(self.session, statement, values)

    def frame(self, columns: Sequence[KnownColumn], window: Window | None, *, again: bool = False) -> Frame:
        """Some columns over a window (None: all of it), with the tick before it. `again` says that the same is likely to be
        asked for soon.
        """
        if not columns:
            return Frame([], self.scope.facts)
        kept = self._kept if again else None
        pieces = self._blocks.pieces(self._held, columns, window, kept)
        in_order = joined([pieces.get(archive, []) for archive in self.scope.archives])
        return Frame(assemble(in_order, self.check), self.scope.facts)

    def try_rows(self, statement: str, values: Mapping[str, Any]) -> list[tuple[Any, ...]] | None:
        """The same; None where the database's files are damaged there."""
        return self._blocks.tried(lambda: self.rows(statement, values))

    @property
    def intervals(self) -> dict[str, int]:
        """The shortest interval of each group, as its newest blocks have it."""
        groups = {one.layout_id: one.group for one in self.known}
        out: dict[str, int] = {}
        for one in self._held:
            group = groups.get(one.layout)
            if group is not None:
                out[group] = min(one.interval_ns, out.get(group, one.interval_ns))
        return out

    def most_ticks(self, columns: int) -> int:
        """How many ticks of so many columns may be read at once."""
        return max(self.allowance.request_bytes // (WORD * max(columns, 1)), LEAST_TICKS)

    @property
    def damage(self) -> list[Damage]:
        """What was found damaged, and left out."""
        return self._blocks.damage

    def islands(self, window: Window, gap_ns: int) -> list[Window]:
        """The parts of a window that hold ticks, parted by stretches of at least `gap_ns` without any."""
        spans = islands(self.session, self.scope.host, self._held, window, gap_ns)
        return [
            Window(max(first_ns, window.start_ns), min(last_ns + 1, window.end_ns))
            for first_ns, last_ns in merged(spans, gap_ns)
            if first_ns < window.end_ns and last_ns >= window.start_ns
        ]

    def contents(self, window: Window) -> tuple[int | None, int | None, int | None]:
        """Changes whenever ticks of the window do."""
        return contents(self.session, self.scope.host, self._held, window)

    def archive_at(self, at_ns: int) -> UUID | None:
        return archive_at(self.session, self.scope, at_ns)

    def identities(self, at_ns: int, keys: Sequence[tuple[int, int]]) -> dict[tuple[int, int], Identity]:
        """Who the processes with these numbers and starts are, in the boot that the tick at `at_ns` belongs to."""
        archive = self.archive_at(at_ns)
        if archive is None or not keys:
            return {}
        asked = {
            "host": self.scope.host,
            "archive": archive,
            "at": at_ns,
            "pids": [pid for pid, _ in keys],
            "starts": [start for _, start in keys],
        }
        rows = self.rows(statements.PROCESSES_NAMED, asked)
        return {(pid, start): Identity(pid, start, *rest) for pid, start, *rest in rows}


def archive_at(session: Session, scope: Scope, at_ns: int) -> UUID | None:
    """The archive that tells of a moment; where none does, the one that counts most."""
    if len(scope.archives) == 1:
        return scope.archives[0]
    asked = {"host": scope.host, "archives": list(scope.archives), "at": at_ns}
    found = {archive for (archive,) in binary_rows(session, statements.ARCHIVES_AT, asked)}
    return next((one for one in scope.archives if one in found), next(iter(scope.archives), None))


def readable_facts(told: Any) -> tuple[HostFacts, str | None]:
    """Facts as they are stored; none, and why, where they cannot be read."""
    try:
        return HostFacts.from_json(told), None
    except FactsError as why:
        return HostFacts(), f"what was known of the host cannot be read: {why}"


class _ArchiveOf(NamedTuple):
    host_id: UUID
    id: UUID
    facts: Json
    name: str


def scope_of(session: Session, timeline: UUID) -> Scope:
    """What an id stands for: an archive, or a host and so all of its archives. Raise UnknownArchive."""
    return _scope(session, timeline, binary_rows(session, statements.ARCHIVES_OF, {"id": timeline}))


def _opened(session: Session, timeline: UUID, *, writes: bool) -> tuple[Scope, list[Held]]:
    """The same, with what the archives have."""

    def ask() -> list[tuple[Any, ...]]:
        return binary_rows(session, statements.OPENED, {"id": timeline})

    found: list[tuple[Any, ...]] | str
    if writes:
        found = attempt(session, ask)
    else:
        try:
            found = ask()
        except psycopg.Error as why:
            if not can_go_around(why):
                raise
            driver_of(session).rollback()
            found = str(why)
    if isinstance(found, str):
        scope = scope_of(session, timeline)
        every = [held for archive in scope.archives for held in surviving_held(session, scope.host, archive)]
        if not every:
            raise DatabaseDamaged(
                f"nothing of {scope.host_name} can be read here: {found}; see docs/operation.md, Restoring"
            )
        return scope, sorted(every)
    rows = found
    held = [
        Held(layout, archive, *own)
        for _, archive, _, _, layouts, *parts in rows
        if layouts is not None
        for layout, *own in zip(layouts, *parts, strict=True)
    ]
    return _scope(session, timeline, [row[:4] for row in rows]), sorted(held)


def surviving_held(session: Session, host: UUID, archive: UUID) -> list[Held]:
    """What an archive has, as far as it can be read."""
    out: list[Held] = []
    for (layout,) in binary_rows(session, statements.LAYOUTS_OF, {"host": host}):
        asked = {"host": host, "archive": archive, "layout": layout}

        def read(begin: int, end: int, asked: dict[str, Any] = asked) -> list[tuple[Any, ...]]:
            return binary_rows(session, statements.HELD_BETWEEN, {**asked, "begin": begin, "end": end})

        rows = [row for row in as_rows(surviving(session, read))[0] if row[0] is not None]
        if rows:
            firsts_ns, lasts_ns, intervals_ns = zip(*rows, strict=True)
            out.append(Held(layout, archive, min(firsts_ns), max(lasts_ns), min(intervals_ns)))
    return out


def _scope(session: Session, timeline: UUID, rows: Sequence[tuple[Any, ...]]) -> Scope:
    found = [_ArchiveOf(*row) for row in rows]
    if not found:
        raise UnknownArchive(timeline)
    host, name = found[0].host_id, found[0].name
    if len(found) == 1:
        return Scope(host, name, (found[0].id,), readable_facts(found[0].facts)[0])
    # The finest ticks first; of equals those of the archive that goes on longest.
    ordered = session.execute(
        select(BlockRow.archive_id)
        .where(BlockRow.host_id == host, BlockRow.archive_id.in_([row.id for row in found]))
        .group_by(BlockRow.archive_id)
        .order_by(func.min(BlockRow.interval_ns), func.max(BlockRow.last_ns).desc())
    ).scalars()
    facts = {row.id: row.facts for row in found}
    archives = tuple(ordered)
    return Scope(host, name, archives, readable_facts(facts[archives[0]] if archives else found[0].facts)[0])


def _clocks_of(reader: Reader, group: str, window: Window) -> Sequence[Group]:
    # One column of each of its layouts brings the clocks of all of its blocks.
    firsts = {known.layout_id: known for known in reader.known if known.group == group}
    return reader.frame(list(firsts.values()), window).groups


def _damage_told(reader: Reader) -> list[tuple[int, int, str]]:
    """Stretches that are damaged, each with its reason: what is known of them, and what this very reading found."""
    told = {
        (one.archive, one.group, one.first_ns): (one.first_ns, one.last_ns, one.sentence)
        for one in damage_of(reader.session, reader.scope.archives)
    }
    groups = {one.layout_id: one.group for one in reader.known}
    for one in reader.damage:
        found = KnownDamage(
            one.archive, "", reader.scope.host_name, groups.get(one.layout, "an unknown group"), one.first_ns, one.last_ns,
            None if one.columns is None else len(one.columns), one.reason, 0,
        )  # fmt: skip
        told.setdefault((one.archive, found.group, one.first_ns), (one.first_ns, one.last_ns, found.sentence))
    return sorted(told.values())


def gaps_in(reader: Reader, window: Window) -> list[Gap]:
    """Stretches without ticks, with their reasons where somebody told them: of the group that is read most often."""
    paces = reader.intervals
    chosen = min(paces, key=lambda group: paces[group], default=None)
    if chosen is None:
        groups: Sequence[Group] = []
    else:
        groups = _clocks_of(reader, chosen, window)
    told = reader.session.execute(
        select(MarkerRow.at_ns, MarkerRow.end_ns, MarkerRow.text).where(
            MarkerRow.host_id == reader.scope.host,
            MarkerRow.archive_id.in_(reader.scope.archives),
            MarkerRow.kind == "gap",
            MarkerRow.end_ns.is_not(None),
            MarkerRow.at_ns <= window.end_ns,
            MarkerRow.end_ns >= window.start_ns,
        )
    )
    reasons = [(at_ns, end_ns, text) for at_ns, end_ns, text in told if end_ns is not None]
    damage = _damage_told(reader)
    found = [gap for group in groups for gap in gaps_of(group.timebase, [*reasons, *damage])]
    # Where other columns have ticks, or nothing is left to break a line, the damage is a gap all the same.
    found += [
        Gap(start_ns, end_ns, why)
        for start_ns, end_ns, why in damage
        if not any(gap.start_ns <= end_ns and gap.end_ns >= start_ns for gap in found)
    ]
    return [
        gap
        for gap in sorted(found, key=lambda gap: gap.start_ns)
        if gap.end_ns > window.start_ns and gap.start_ns < window.end_ns
    ]
