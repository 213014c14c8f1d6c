"""Read an archive, or all archives of a host as one timeline."""

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from functools import cached_property
from typing import Any, Protocol
from uuid import UUID

from sqlalchemy import select
from sqlalchemy.orm import Session

from reditus.core.column_codec import WORD
from reditus.core.frame import Frame, Group
from reditus.core.frame_builder import assemble
from reditus.core.gaps import Gap, gaps_of
from reditus.core.identities import Identity
from reditus.core.measures.selection import ColumnSet, StoredColumn
from reditus.core.timeline import joined, merged
from reditus.core.window import Window
from reditus.store.archives.log_lines import LineChoice, count_lines, logs_of
from reditus.store.archives.verdicts import verdicts_of
from reditus.store.database import statements
from reditus.store.database.connection import binary_rows
from reditus.store.database.damage import damage_of
from reditus.store.database.tables import MarkerRow
from reditus.store.read.block_cache import BlockCache
from reditus.store.read.block_reader import BlockReader, Held, contents, islands
from reditus.store.read.schema_cache import SchemaCache
from reditus.store.read.scope import archive_at, open_timeline
from reditus.store.records import Damage, KnownDamage, LineCount, LogInfo, Verdict
from reditus.store.rollups.table import RollupTable

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
        min(extent.first_ns for extent in held),
        max(extent.last_ns for extent in held),
        min(extent.interval_ns for extent in held),
    )


class Allowance(Protocol):
    """How many bytes of raw columns may be read at once."""

    @property
    def request_bytes(self) -> int:
        """So many bytes of raw columns are read at once."""

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
        memory: SchemaCache,
        timeline: UUID,
        check: Callable[[], None] = lambda: None,
        kept: BlockCache | None = None,
        *,
        allowance: Allowance | None = None,
        writes: bool = False,
    ) -> None:
        """Raise UnknownArchive where the id is neither an archive's nor a host's. `allowance` says how much may be read
        at once; `writes` says that the transaction writes too.
        """
        self._session = session
        self.scope, self._held = open_timeline(session, timeline, writes=writes)
        self.check = check
        self.allowance = allowance or Unlimited()
        self._blocks = BlockReader(session, self.scope.host, check, self.allowance.check, writes=writes)
        """Called between parts of the work; raises Cancelled once the client has disconnected."""
        self._memory = memory
        self._kept = kept
        self.rollups = RollupTable(session, self.scope.host, self.try_rows)
        self.damaged_rollups: set[UUID] = set()
        """Archives whose rollups are damaged; what was read came from the ticks instead."""

    @cached_property
    def known(self) -> ColumnSet:
        """Every column that there is, with its place in each schema it stands in."""
        schemas = tuple(dict.fromkeys(extent.schema for extent in self._held))
        return self._memory.of_schemas(self._session, self.scope.host, schemas)

    @cached_property
    def extent(self) -> Extent:
        """Of everything that is read."""
        return _extent(self._held)

    def extent_of(self, archive: UUID) -> Extent:
        """First and last tick of one archive, and its shortest interval."""
        return _extent([extent for extent in self._held if extent.archive == archive])

    def rows(self, statement: str, values: Mapping[str, Any]) -> list[tuple[Any, ...]]:
        """What a plain statement finds, in the driver's binary form: as text every byte would come as two."""
        return binary_rows(self._session, statement, values)

    def frame(self, columns: Sequence[StoredColumn], window: Window | None, *, again: bool = False) -> Frame:
        """Some columns over a window (None: all of it), with the tick before it. `again` says that the same is likely
        to be requested soon.
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
        groups = {item.schema_id: item.group for item in self.known}
        out: dict[str, int] = {}
        for extent in self._held:
            group = groups.get(extent.schema)
            if group is not None:
                out[group] = min(extent.interval_ns, out.get(group, extent.interval_ns))
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
        spans = islands(self._session, self.scope.host, self._held, window, gap_ns)
        return [
            Window(max(first_ns, window.start_ns), min(last_ns + 1, window.end_ns))
            for first_ns, last_ns in merged(spans, gap_ns)
            if first_ns < window.end_ns and last_ns >= window.start_ns
        ]

    def contents(self, window: Window) -> tuple[int | None, int | None, int | None]:
        """Changes whenever ticks of the window do."""
        return contents(self._session, self.scope.host, self._held, window)

    def verdicts(self) -> list[Verdict]:
        """Verdicts on findings of the host, the newest first."""
        return verdicts_of(self._session, self.scope.host)

    def archive_at(self, at_ns: int) -> UUID | None:
        """The archive that holds a moment; where none does, the first one."""
        return archive_at(self._session, self.scope, at_ns)

    def identities(self, at_ns: int, keys: Sequence[tuple[int, int]]) -> dict[tuple[int, int], Identity]:
        """The identities of processes by number and start, in the boot that the tick at `at_ns` belongs to."""
        archive = self.archive_at(at_ns)
        if archive is None or not keys:
            return {}
        values = {
            "host": self.scope.host,
            "archive": archive,
            "at": at_ns,
            "pids": [pid for pid, _ in keys],
            "starts": [start for _, start in keys],
        }
        rows = self.rows(statements.PROCESSES_NAMED, values)
        return {(pid, start): Identity(pid, start, *rest) for pid, start, *rest in rows}

    def identities_of(self, keys: Sequence[tuple[bytes, int, int]]) -> dict[tuple[bytes, int, int], Identity]:
        """The identities of processes by boot, number and start, in any archive of the timeline."""
        if not keys:
            return {}
        values = {
            "host": self.scope.host,
            "archives": list(self.scope.archives),
            "boots": [UUID(bytes=boot) for boot, _, _ in keys],
            "pids": [pid for _, pid, _ in keys],
            "starts": [start for _, _, start in keys],
        }
        rows = self.rows(statements.PROCESSES_OF_BOOTS, values)
        return {(boot.bytes, pid, start): Identity(pid, start, *rest) for boot, pid, start, *rest in rows}

    def logs(self) -> list[LogInfo]:
        """The logs that there are lines of."""
        return logs_of(self._session, self.scope)

    def line_counts(self, window: Window, cell_ns: int, choice: LineChoice) -> Sequence[LineCount]:
        """How many lines of each log there were in each cell of a window that has any."""
        return count_lines(self._session, self.scope, window, cell_ns, choice)

    def gaps(self, window: Window) -> list[Gap]:
        """Stretches without ticks, each with its reason where one is known: of the group that is read most often."""
        paces = self.intervals
        chosen = min(paces, key=lambda group: paces[group], default=None)
        groups = [] if chosen is None else self._clocks_of(chosen, window)
        reasons, damage = self._gap_markers(window), self._damage_sentences()
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

    def _clocks_of(self, group: str, window: Window) -> Sequence[Group]:
        # One column of each of its schemas brings the clocks of all of its blocks.
        firsts = {known.schema_id: known for known in self.known if known.group == group}
        return self.frame(list(firsts.values()), window).groups

    def _gap_markers(self, window: Window) -> list[tuple[int, int, str]]:
        """Start, end and reason of the gaps that recorders reported."""
        rows = self._session.execute(
            select(MarkerRow.at_ns, MarkerRow.end_ns, MarkerRow.text).where(
                MarkerRow.host_id == self.scope.host,
                MarkerRow.archive_id.in_(self.scope.archives),
                MarkerRow.kind == "gap",
                MarkerRow.end_ns.is_not(None),
                MarkerRow.at_ns <= window.end_ns,
                MarkerRow.end_ns >= window.start_ns,
            )
        )
        return [(at_ns, end_ns, text) for at_ns, end_ns, text in rows if end_ns is not None]

    def _damage_sentences(self) -> list[tuple[int, int, str]]:
        """Damaged stretches, each with its reason: those that are known, and those that this reader met."""
        found = {
            (known.archive, known.group, known.first_ns): (known.first_ns, known.last_ns, known.sentence)
            for known in damage_of(self._session, self.scope.archives)
        }
        groups = {known.schema_id: known.group for known in self.known}
        for met in self.damage:
            described = KnownDamage(
                archive=met.archive,
                archive_name="",
                host_name=self.scope.host_name,
                group=groups.get(met.schema, "an unknown group"),
                first_ns=met.first_ns,
                last_ns=met.last_ns,
                columns=None if met.columns is None else len(met.columns),
                reason=met.reason,
                found_ns=0,
            )
            stretch = (met.first_ns, met.last_ns, described.sentence)
            found.setdefault((met.archive, described.group, met.first_ns), stretch)
        return sorted(found.values())
