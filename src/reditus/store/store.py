"""Archives of blocks: register, append, look up, read. All of it is safe to call from several threads."""

import time
from collections.abc import Callable, Iterator, Mapping, Sequence
from concurrent.futures import Future
from contextlib import contextmanager
from dataclasses import replace
from functools import partial
from typing import Any, TypeVar
from uuid import UUID

import structlog
from sqlalchemy import Engine, Row, Select, create_engine, insert, select
from sqlalchemy.orm import Session

from reditus.core.batches import Batch
from reditus.core.blocks import Block
from reditus.core.errors import DamagedBlock
from reditus.core.facts import HostFacts
from reditus.core.identities import Identities
from reditus.core.layout import Layout
from reditus.core.markers import Markers
from reditus.core.types import NS_PER_S
from reditus.store import statements
from reditus.store.appending import Appender
from reditus.store.away import away_as_error
from reditus.store.chunks import Held
from reditus.store.damage import again_elsewhere, attempt, count_damage, damage_of, note_damage, walk_by_index
from reditus.store.driver import look_before_use, plan_once
from reditus.store.errors import BlockClash, DatabaseDamaged, StoreFull, UnknownArchive
from reditus.store.hosts import host_of
from reditus.store.kept import KEPT_BYTES, KeptBlocks
from reditus.store.known import ColumnMemory
from reditus.store.life import UNDO_S, due_for_removal, remove_archive
from reditus.store.maintenance import Journal, Task
from reditus.store.migrations import migrate
from reditus.store.plans import expire_recorder
from reditus.store.quick import Quick
from reditus.store.reader import Allowance, Reader, readable_facts, scope_of, surviving_held
from reditus.store.records import ArchiveInfo, HostInfo, KnownDamage, Stored, whole_host
from reditus.store.rollups import drop_rollups, drop_stale, roll_archive
from reditus.store.scrubbing import (
    Place,
    Problem,
    Slice,
    save_scrub_place,
    scrub_place,
    verify_rollups,
    verify_slice,
    verify_tables,
)
from reditus.store.sealing import TARGETS, seal_archive
from reditus.store.tables import ArchiveRow, ColumnRow, FactsRow, RecorderRow

log = structlog.get_logger()

T = TypeVar("T")
CONNECT_TIMEOUT_S = 5


class Store:
    """One database. Every method raises StoreAway while it cannot be reached."""

    def __init__(self, url: str, *, kept_bytes: int = KEPT_BYTES) -> None:
        """`kept_bytes`: so much of what is read for pictures is kept in memory at the most."""
        # Parameters hold what people recorded: no error that is logged may show them.
        connecting: dict[str, Any] = {"connect_args": {"connect_timeout": CONNECT_TIMEOUT_S}, "hide_parameters": True}
        self._engine = create_engine(url, pool_size=8, pool_use_lifo=True, **connecting)
        look_before_use(self._engine)
        # Connections that are not asked first whether they still are there: that costs as much as a part of the work.
        self._append_engine = create_engine(url, pool_size=2, **connecting)
        # Readings may be long and many: none of them keeps the others, intake or health from a connection.
        self._read_engine = create_engine(url, pool_size=4, max_overflow=12, pool_use_lifo=True, **connecting)
        look_before_use(self._read_engine)
        # Whether the database answers is asked on a connection that nobody else uses.
        self._check_engine = create_engine(url, pool_size=1, max_overflow=1, **connecting)
        look_before_use(self._check_engine)
        for engine in (self._engine, self._append_engine, self._read_engine):
            plan_once(engine)
        self._noted: set[tuple[UUID, int, int]] = set()
        self._memory = ColumnMemory()
        self._kept = KeptBlocks(kept_bytes)
        self.full: str | None = None
        """Why nothing can be written, where the database's disk was full at the last try."""
        self.damaged: str | None = None
        """What of the database's own files was found damaged since the start."""
        self._appender = Appender(
            partial(self._session, self._append_engine),
            Quick(self._append_engine),
            self._written,
            self._append_engine.dispose,
        )

    def migrate(self) -> None:
        with away_as_error():
            migrate(self._engine)

    def close(self) -> None:
        self._appender.close()
        for engine in (self._append_engine, self._read_engine, self._check_engine, self._engine):
            engine.dispose()

    def check(self) -> dict[UUID, int]:
        """How many blocks are known to be damaged, by archive. Raise StoreAway unless the database answers."""
        try:
            with self._session(self._check_engine) as session:
                return count_damage(session)
        except DatabaseDamaged as why:
            self.damaged = str(why)
            return {}

    def register(self, *, host: HostInfo, archive: UUID, name: str, source: str, facts: HostFacts) -> None:
        """Make an archive known, or bring its name and facts up to date. Raise BlockClash if another host has the id."""
        with self._session() as session:
            owner = session.scalar(select(ArchiveRow.host_id).where(ArchiveRow.id == archive))
            if owner is not None and owner != host.id:
                raise BlockClash(f"archive {archive} belongs to another host; an archive is of one host only")
            session.execute(statements.upsert_host(host.id, host.name))
            values = {
                "host_id": host.id,
                "id": archive,
                "name": name,
                "source": source,
                "facts": facts.as_json(),
                "created_ns": time.time_ns(),
            }
            session.execute(statements.upsert_archive(values))
            newest = session.scalar(statements.newest_facts(host.id, archive))
            if newest != facts.as_json():
                row = FactsRow(host_id=host.id, archive_id=archive, since_ns=time.time_ns(), facts=facts.as_json())
                session.add(row)

    def facts_history(self, archive: UUID) -> list[tuple[int, HostFacts]]:
        """What was known of the host, from when on, oldest first."""
        with self._session() as session:
            scope = scope_of(session, archive)
            rows = session.execute(statements.facts_history(scope.host, scope.archives))
            return [(since_ns, readable_facts(facts)[0]) for since_ns, facts in rows]

    def add_layout(self, archive: UUID, layout: Layout) -> None:
        """Make a layout known to the archive's host; nothing happens where it is known already."""
        with self._session() as session:
            host_id = host_of(session, archive)
            layout_id = session.scalar(statements.insert_layout(host_id, layout))
            if layout_id is not None:
                values = statements.column_values(host_id, layout_id, layout.columns)
                session.execute(insert(ColumnRow), values)

    def append(
        self,
        archive: UUID,
        blocks: Sequence[Block],
        told: Sequence[Identities] = (),
        marked: Sequence[Markers] = (),
    ) -> Stored:
        """Commit blocks, who processes are, and markers, all or none, each once. When this returns they are on disk.

        Raise UnknownArchive, UnknownLayout, or BlockClash for a block of another archive or with other columns than
        its layout has.
        """
        return self.submit(archive, Batch(list(blocks), list(told), list(marked))).result()

    def submit(self, archive: UUID, batch: Batch) -> "Future[Stored]":
        """Append without waiting; batches that come at the same time are committed together. The result is there when the
        batch is on disk, or the error as of `append`.
        """
        return self._appender.submit(archive, batch)

    def archives(self) -> list[ArchiveInfo]:
        """All archives, the one with the newest data first. One whose contents cannot be read says so; the others are told
        as ever.
        """
        try:
            with self._session() as session:
                damage = count_damage(session)
                return [_archive_info(row, damage) for row in session.execute(statements.archives_with_contents())]
        except DatabaseDamaged:
            return self._readable_archives(None)

    def archive(self, archive: UUID) -> ArchiveInfo:
        """An archive, or, given a host's id, all archives of that host as one. Raise UnknownArchive."""
        try:
            with self._session() as session:
                damage = count_damage(session)
                rows = session.execute(statements.archives_with_contents(archive)).all()
                infos = [_archive_info(row, damage) for row in rows]
        except DatabaseDamaged:
            infos = self._readable_archives(archive)
        if not infos:
            raise UnknownArchive(archive)
        return infos[0] if infos[0].id == archive else whole_host(infos)

    def _readable_archives(self, wanted: UUID | None) -> list[ArchiveInfo]:
        """The same, archive by archive, where pages of the database are damaged."""
        out: list[ArchiveInfo] = []
        with self._session() as session:
            ids = session.scalars(statements.archive_ids(wanted)).all()
            counted = attempt(session, lambda: count_damage(session))
            damage = {} if isinstance(counted, str) else counted
            for archive in ids:
                found = attempt(session, partial(_rows, session, statements.archives_with_contents(archive)))
                if not isinstance(found, str):
                    out += [_archive_info(row, damage) for row in found if row[0].id == archive]
                    continue
                log.warning("an archive lies on damaged pages", archive=str(archive), reason=found)
                bare = session.execute(statements.archives_alone(archive)).one()
                held = surviving_held(session, bare[0].host_id, archive)
                out.append(_damaged_info(bare[0], bare[1], held, found, damage))
        return sorted(out, key=lambda one: (-(one.last_ns or 0), one.host.name, one.name))

    @contextmanager
    def reading(
        self, timeline: UUID, check: Callable[[], None] = lambda: None, allowance: Allowance | None = None
    ) -> Iterator[Reader]:
        """Read an archive, or, given a host's id, all archives of that host as one timeline. Raise UnknownArchive.

        `check` is called between parts of the work, and may raise to end it; `allowance` says how much may be read at once.
        """
        with self._session(self._read_engine) as session:
            # Several statements that have to tell of the same instant, while sealing and removal go on.
            session.connection(execution_options={"isolation_level": "REPEATABLE READ"})
            reader = Reader(session, self._memory, timeline, check, self._kept, allowance=allowance)
            yield reader
        self._found(reader)

    def _found(self, reader: Reader) -> None:
        """Write down what a reading found damaged, once."""
        every = {(one.archive, one.layout, one.first_ns): one for one in reader.damage}
        new = [one for key, one in every.items() if key not in self._noted]
        if new:
            for one in new:
                log.error("damaged block", archive=str(one.archive), first_ns=one.first_ns, reason=one.reason)
            self.during(lambda session: note_damage(session, new))
            self._noted |= {(one.archive, one.layout, one.first_ns) for one in new}
        for archive in reader.damaged_rollups:
            log.error("damaged rollups, made anew", archive=str(archive))
            self.during(partial(_drop_rollups, archive))

    def maintain(
        self,
        journal: Journal,
        *,
        only_grown: bool = False,
        undo_s: float = UNDO_S,
        stop: Callable[[], bool] = lambda: False,
    ) -> int:
        """One round of background work, archive by archive, each in its own transactions: remove what was deleted, let
        plans expire what they no longer keep, merge small blocks into big ones, and let rollups grow. Return how many
        blocks vanished by merging.

        `only_grown` leaves out archives that have not grown enough since the last time to give anything to merge. `stop` is
        asked between archives. Raise StoreAway where the database cannot be reached.
        """
        with self._session() as session:
            every = session.execute(select(ArchiveRow.host_id, ArchiveRow.id)).all()
            due = due_for_removal(session, time.time_ns(), undo_s)
            recorders = session.scalars(select(RecorderRow.id).where(RecorderRow.plan.is_not(None))).all()
        journal.forget_others(archive for _, archive in every)
        for archive in due:
            journal.run(Task.RETENTION, archive, partial(self._remove, archive, undo_s))
        for recorder in recorders:
            journal.run(Task.RETENTION, recorder, partial(self._expire, recorder))
        journal.succeeded(Task.RETENTION)
        if only_grown:
            grown = set(self._appender.take_grown(TARGETS[0]))
            failing = {one.archive for report in journal.reports() for one in report.failing}
            every = [row for row in every if row.id in grown | failing]
        vanished = 0
        for host_id, archive in every:
            if stop():
                return vanished
            merged: list[int] = []
            journal.run(Task.SEALING, archive, partial(self._seal, host_id, archive, merged))
            vanished += sum(merged)
            journal.run(Task.ROLLUPS, archive, partial(self._roll, host_id, archive))
        journal.succeeded(Task.SEALING)
        journal.succeeded(Task.ROLLUPS)
        return vanished

    def seal(self, *, only_grown: bool = False, undo_s: float = UNDO_S) -> int:
        """One round of background work, whose failures are only logged."""
        return self.maintain(Journal(), only_grown=only_grown, undo_s=undo_s)

    def _remove(self, archive: UUID, undo_s: float) -> None:
        self.during(lambda session: remove_archive(session, archive, time.time_ns(), undo_s))

    def _expire(self, recorder: UUID) -> None:
        self.during(lambda session: expire_recorder(session, recorder, time.time_ns()))

    def _seal(self, host_id: UUID, archive: UUID, merged: list[int]) -> None:
        def work() -> None:
            with self._session() as session:
                host_of(session, archive, lock=True)
                walk_by_index(session)
                merged.append(seal_archive(session, host_id, archive))

        again_elsewhere(work)

    def _roll(self, host_id: UUID, archive: UUID) -> None:
        """Let rollups grow, some at a time, so that appending never waits long. Damaged ones are made anew."""
        try:
            again_elsewhere(lambda: self._grow_rollups(host_id, archive))
        except (DamagedBlock, DatabaseDamaged) as why:
            log.error("damaged rollups, made anew", archive=str(archive), reason=str(why))
            self.during(partial(_drop_rollups, archive))
            self._grow_rollups(host_id, archive)

    def _grow_rollups(self, host_id: UUID, archive: UUID) -> None:
        more = True
        while more:
            with self._session() as session:
                host_of(session, archive, lock=True)
                walk_by_index(session)
                drop_stale(session, host_id, archive)
                more = roll_archive(session, self._memory, archive)

    def scrub(
        self, journal: Journal, *, most_blocks: int, every_s: float, stop: Callable[[], bool] = lambda: False
    ) -> int:
        """Verify some blocks of the archive whose turn it is: the one that was gone through longest ago. Return how many."""
        with self._session() as session:
            turns = session.execute(statements.scrub_turns(time.time_ns() - round(every_s * NS_PER_S))).all()
        checked: list[int] = []
        for host_id, archive in turns:
            if stop() or sum(checked) >= most_blocks:
                break
            left = most_blocks - sum(checked)
            journal.run(Task.SCRUBBING, archive, partial(self._scrub_archive, host_id, archive, left, checked))
        journal.succeeded(Task.SCRUBBING)
        return sum(checked)

    def _scrub_archive(self, host_id: UUID, archive: UUID, most_blocks: int, counts: list[int]) -> None:
        checked = 0
        while checked < most_blocks:
            with self._session() as session:
                place, _ = scrub_place(session, host_id, archive)
                found = verify_slice(session, host_id, archive, place)
                save_scrub_place(session, host_id, archive, found.next, time.time_ns())
            checked += max(found.checked, 1)
            for one in found.damage:
                log.error("damaged block", archive=str(archive), first_ns=one.first_ns, reason=one.reason)
            counts.append(max(found.checked, 1))
            if found.next is None:
                return

    def verify(self, archive: UUID, place: Place, most_blocks: int) -> Slice:
        """Verify the next blocks of an archive on demand; at its end its rollups too. Raise UnknownArchive."""
        with self._session() as session:
            host_id = host_of(session, archive)
            return verify_slice(session, host_id, archive, place, most_blocks)

    def verify_rest(self, archive: UUID | None) -> list[Problem]:
        """Verify what is not blocks: an archive's rollups, or (None) all other tables."""
        with self._session() as session:
            if archive is None:
                return verify_tables(session)
            return verify_rollups(session, host_of(session, archive), archive)

    def damage(self, timeline: UUID | None = None) -> list[KnownDamage]:
        """What is known to be damaged, of an archive, of a host's archives, or everywhere. Raise UnknownArchive."""
        with self._session() as session:
            return damage_of(session, None if timeline is None else scope_of(session, timeline).archives)

    def during(self, work: Callable[[Session], T]) -> T:
        """Do some work in a transaction of its own; what it raises undoes it."""
        with self._session() as session:
            return work(session)

    @contextmanager
    def _session(self, engine: Engine | None = None) -> Iterator[Session]:
        try:
            with away_as_error(), Session(engine or self._engine) as session, session.begin():
                yield session
        except StoreFull as why:
            self.full = str(why)
            raise
        except DatabaseDamaged as why:
            self.damaged = str(why)
            raise

    def _written(self) -> None:
        """There is room again."""
        self.full = None


def _drop_rollups(archive: UUID, session: Session) -> None:
    drop_rollups(session, host_of(session, archive, lock=True), archive)


def _rows(session: Session, statement: Select[*tuple[Any, ...]]) -> Sequence[Row[*tuple[Any, ...]]]:
    return session.execute(statement).all()


def _damaged_info(
    archive: ArchiveRow, host_name: str, held: Sequence[Held], reason: str, damage: Mapping[UUID, int]
) -> ArchiveInfo:
    """An archive of which only a part can be read: from when to when is known, how much it holds is not."""
    return replace(
        _info(archive, host_name, damage),
        first_ns=min((one.first_ns for one in held), default=None),
        last_ns=max((one.last_ns for one in held), default=None),
        interval_ns=min((one.interval_ns for one in held), default=None),
        trouble=f"files of the database are damaged here, and what they held is not counted: {reason}",
    )


def _archive_info(row: Row[*tuple[Any, ...]], damage: Mapping[UUID, int]) -> ArchiveInfo:
    return replace(
        _info(row[0], row[1], damage),
        first_ns=row.first_ns,
        last_ns=row.last_ns,
        interval_ns=row.interval_ns,
        ticks=int(row.ticks or 0),
        columns=int(row.columns or 0),
        size_bytes=int(row.size_bytes or 0),
    )


def _info(archive: ArchiveRow, host_name: str, damage: Mapping[UUID, int]) -> ArchiveInfo:
    """An archive without what its blocks tell."""
    facts, trouble = readable_facts(archive.facts)
    return ArchiveInfo(
        id=archive.id,
        host=HostInfo(archive.host_id, host_name),
        name=archive.name,
        source=archive.source,
        facts=facts,
        created_ns=archive.created_ns,
        first_ns=None,
        last_ns=None,
        interval_ns=None,
        ticks=0,
        columns=0,
        size_bytes=0,
        notes=archive.notes,
        protected=archive.protected,
        deleted_ns=archive.deleted_ns,
        damaged_blocks=damage.get(archive.id, 0),
        trouble=trouble,
    )
