"""Archives of blocks: register, append, look up, read. All of it is safe to call from several threads."""

import time
from collections.abc import Callable, Iterator, Sequence
from concurrent.futures import Future
from contextlib import contextmanager
from functools import partial
from typing import Any, TypeVar
from uuid import UUID

from sqlalchemy import Engine, Row, create_engine, insert, select, text
from sqlalchemy.orm import Session

from reditus.core.batches import Batch
from reditus.core.blocks import Block
from reditus.core.facts import HostFacts
from reditus.core.identities import Identities
from reditus.core.layout import Layout
from reditus.core.markers import Markers
from reditus.store import statements
from reditus.store.appending import Appender
from reditus.store.away import away_as_error
from reditus.store.driver import look_before_use, plan_once
from reditus.store.errors import BlockClash, StoreFull, UnknownArchive
from reditus.store.hosts import host_of
from reditus.store.kept import KEPT_BYTES, KeptBlocks
from reditus.store.known import ColumnMemory
from reditus.store.life import UNDO_S, remove_deleted
from reditus.store.migrations import migrate
from reditus.store.quick import Quick
from reditus.store.reader import Reader, scope_of
from reditus.store.records import ArchiveInfo, HostInfo, Stored, whole_host
from reditus.store.rollups import drop_stale, roll_archive
from reditus.store.sealing import TARGETS, seal_archive
from reditus.store.tables import ArchiveRow, ColumnRow, FactsRow

T = TypeVar("T")
CONNECT_TIMEOUT_S = 5


class Store:
    """One database. Every method raises StoreAway while it cannot be reached."""

    def __init__(self, url: str, *, kept_bytes: int = KEPT_BYTES) -> None:
        """`kept_bytes`: so much of what is read for pictures is kept in memory at the most."""
        connecting = {"connect_args": {"connect_timeout": CONNECT_TIMEOUT_S}}
        self._engine = create_engine(url, pool_size=8, pool_use_lifo=True, **connecting)
        look_before_use(self._engine)
        # Connections that are not asked first whether they still are there: that costs as much as a part of the work.
        self._append_engine = create_engine(url, pool_size=2, **connecting)
        for engine in (self._engine, self._append_engine):
            plan_once(engine)
        self._memory = ColumnMemory()
        self._kept = KeptBlocks(kept_bytes)
        self.full: str | None = None
        """Why nothing can be written, where the database's disk was full at the last try."""
        self._appender = Appender(
            partial(self._session, self._append_engine), Quick(self._append_engine), self._written
        )

    def migrate(self) -> None:
        with away_as_error():
            migrate(self._engine)

    def close(self) -> None:
        self._appender.close()
        self._append_engine.dispose()
        self._engine.dispose()

    def check(self) -> None:
        """Raise StoreAway unless the database answers."""
        with self._session() as session:
            session.execute(text("select 1"))

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
            return [(since_ns, HostFacts.from_json(facts)) for since_ns, facts in rows]

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
        with self._session() as session:
            return [_archive_info(row) for row in session.execute(statements.archives_with_contents())]

    def archive(self, archive: UUID) -> ArchiveInfo:
        """An archive, or, given a host's id, all archives of that host as one. Raise UnknownArchive."""
        with self._session() as session:
            rows = session.execute(statements.archives_with_contents(archive)).all()
            infos = [_archive_info(row) for row in rows]
        if not infos:
            raise UnknownArchive(archive)
        return infos[0] if infos[0].id == archive else whole_host(infos)

    @contextmanager
    def reading(self, timeline: UUID, check: Callable[[], None] = lambda: None) -> Iterator[Reader]:
        """Read an archive, or, given a host's id, all archives of that host as one timeline. Raise UnknownArchive.

        `check` is called between parts of the work, and may raise to end it.
        """
        with self._session() as session:
            # Several statements that have to tell of the same instant, while sealing and removal go on.
            session.connection(execution_options={"isolation_level": "REPEATABLE READ"})
            yield Reader(session, self._memory, timeline, check, self._kept)

    def seal(self, *, only_grown: bool = False, undo_s: float = UNDO_S) -> int:
        """Merge small blocks into big ones, archive by archive, each in its own transaction, let rollups grow, and remove
        what was deleted. Return how many blocks vanished.

        `only_grown` leaves out archives that have not grown enough since the last time to give anything to merge.
        """
        with self._session() as session:
            remove_deleted(session, time.time_ns(), undo_s)
            every = session.execute(select(ArchiveRow.host_id, ArchiveRow.id)).all()
        if only_grown:
            grown = set(self._appender.take_grown(TARGETS[0]))
            every = [row for row in every if row.id in grown]
        vanished = 0
        for host_id, archive in every:
            try:
                with self._session() as session:
                    host_of(session, archive, lock=True)
                    vanished += seal_archive(session, host_id, archive)
            except UnknownArchive:
                continue  # removed in the meantime
            self._roll(host_id, archive)
        return vanished

    def _roll(self, host_id: UUID, archive: UUID) -> None:
        """Let rollups grow, some at a time, so that appending never waits long."""
        more = True
        while more:
            with self._session() as session:
                host_of(session, archive, lock=True)
                drop_stale(session, host_id, archive)
                more = roll_archive(session, self._memory, archive)

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

    def _written(self) -> None:
        """There is room again."""
        self.full = None


def _archive_info(row: Row[*tuple[Any, ...]]) -> ArchiveInfo:
    archive, host_name = row[0], row[1]
    return ArchiveInfo(
        id=archive.id,
        host=HostInfo(archive.host_id, host_name),
        name=archive.name,
        source=archive.source,
        facts=HostFacts.from_json(archive.facts),
        created_ns=archive.created_ns,
        first_ns=row.first_ns,
        last_ns=row.last_ns,
        interval_ns=row.interval_ns,
        ticks=int(row.ticks or 0),
        columns=int(row.columns or 0),
        size_bytes=int(row.size_bytes or 0),
        notes=archive.notes,
        protected=archive.protected,
        deleted_ns=archive.deleted_ns,
    )
