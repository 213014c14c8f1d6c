"""One database of archives: append batches, read timelines, and the repositories for all else. Safe from several
threads.
"""

from collections.abc import Callable, Iterable, Iterator, Sequence
from concurrent.futures import Future
from contextlib import contextmanager
from functools import partial
from typing import Any, TypeVar
from uuid import UUID

import structlog
from sqlalchemy import Engine, create_engine
from sqlalchemy.orm import Session

from reditus.core.batches import Batch
from reditus.core.blocks import Block
from reditus.core.identities import Identities
from reditus.core.markers import Markers
from reditus.core.schema import Schema
from reditus.core.types import Json
from reditus.core.window import Window
from reditus.store.archives.compaction import TARGETS, seal_archive
from reditus.store.archives.kept_records import put_records, records_of
from reditus.store.archives.ownership import host_of
from reditus.store.archives.transfer import ArchiveContents, ArchiveHead, Taken, contents_of, put_contents, put_schemas
from reditus.store.database.connection import force_generic_plans, ping_on_checkout
from reditus.store.database.damage import again_elsewhere, count_damage, note_damage, walk_by_index
from reditus.store.database.driver_errors import translate_driver_errors
from reditus.store.database.migrations import migrate
from reditus.store.errors import DatabaseDamaged, DatabaseDiskFull
from reditus.store.imports.repository import Imports
from reditus.store.ingest.fast_append import FastAppender
from reditus.store.ingest.write_queue import WriteQueue
from reditus.store.investigations.repository import Investigations
from reditus.store.read.block_cache import CACHE_BYTES, BlockCache
from reditus.store.read.reader import Allowance, Reader
from reditus.store.read.schema_cache import SchemaCache
from reditus.store.records import Stored
from reditus.store.repositories import Archives, DeviceNames, Layouts, MarkerStore, Plans, Recorders, Upkeep, Verdicts
from reditus.store.rollups.table import drop_rollups, drop_stale

log = structlog.get_logger()

T = TypeVar("T")
CONNECT_TIMEOUT_S = 5


EXTENDING_BYTES = 48 << 20
"""Of decoded columns, while rollups are made."""


class Store:
    """One database. Every method raises DatabaseUnavailable while it cannot be reached."""

    def __init__(self, url: str, *, cache_bytes: int = CACHE_BYTES) -> None:
        """`cache_bytes`: so much of what is read for pictures is kept in memory at most."""
        # Parameters hold what people recorded: no error that is logged may show them.
        connecting: dict[str, Any] = {"connect_args": {"connect_timeout": CONNECT_TIMEOUT_S}, "hide_parameters": True}
        # Of everything but appending, reading and health.
        self.engine = create_engine(url, pool_size=8, pool_use_lifo=True, **connecting)
        ping_on_checkout(self.engine)
        # Connections that are not checked before use: that costs as much as a part of the
        # work.
        self._append_engine = create_engine(url, pool_size=2, **connecting)
        # Readings may be long and many: none of them keeps the others, intake or health from a connection.
        self._read_engine = create_engine(url, pool_size=4, max_overflow=12, pool_use_lifo=True, **connecting)
        ping_on_checkout(self._read_engine)
        # Health checks have a connection of their own.
        self._check_engine = create_engine(url, pool_size=1, max_overflow=1, **connecting)
        ping_on_checkout(self._check_engine)
        for engine in (self.engine, self._append_engine, self._read_engine):
            force_generic_plans(engine)
        self._noted: set[tuple[UUID, int, int]] = set()
        self._memory = SchemaCache()
        self._kept = BlockCache(cache_bytes)
        self.full: str | None = None
        """Why nothing can be written, where the database's disk was full at the last try."""
        self.damaged: str | None = None
        """What of the database's own files was found damaged since the start."""
        self.appender = WriteQueue(
            partial(self._session, self._append_engine),
            FastAppender(self._append_engine),
            self._written,
            self._append_engine.dispose,
        )
        self.archives = Archives(self._transact)
        self.plans = Plans(self._transact)
        self.recorders = Recorders(self._transact)
        self.markers = MarkerStore(self._transact)
        self.device_names = DeviceNames(self._transact)
        self.layouts = Layouts(self._transact)
        self.verdicts = Verdicts(self._transact)
        self.investigations = Investigations(self._transact)
        self.imports = Imports(self._transact)
        self.upkeep = Upkeep(self._transact)

    def migrate(self) -> None:
        """Bring the database to today's tables."""
        with translate_driver_errors():
            migrate(self.engine)

    def close(self) -> None:
        """End the write queue and all connections."""
        self.appender.close()
        for engine in (self._append_engine, self._read_engine, self._check_engine, self.engine):
            engine.dispose()

    def check(self) -> dict[UUID, int]:
        """How many blocks are known to be damaged, by archive. Raise DatabaseUnavailable unless the
        database answers.
        """
        try:
            with self._session(self._check_engine) as session:
                return count_damage(session)
        except DatabaseDamaged as why:
            self.damaged = str(why)
            return {}

    def add_schema(self, archive: UUID, schema: Schema) -> None:
        """Make a schema known to the archive's host; nothing happens where it is known already."""
        with self._session() as session:
            put_schemas(session, host_of(session, archive), [schema])

    def append(
        self,
        archive: UUID,
        blocks: Sequence[Block],
        identities: Sequence[Identities] = (),
        marked: Sequence[Markers] = (),
    ) -> Stored:
        """Commit blocks, who processes are, and markers, all or none, each once. When this returns they are on disk.

        Raise UnknownArchive, UnknownSchema, or BlockConflict for a block of another archive or with other columns than
        its schema has.
        """
        return self.submit(archive, Batch(list(blocks), list(identities), list(marked))).result()

    def submit(self, archive: UUID, batch: Batch) -> "Future[Stored]":
        """Append without waiting; batches that come at the same time are committed together. The result is there when
        the batch is on disk, or the error as of `append`.
        """
        return self.appender.submit(archive, batch)

    @contextmanager
    def reading(
        self, timeline: UUID, check: Callable[[], None] = lambda: None, allowance: Allowance | None = None
    ) -> Iterator[Reader]:
        """Read an archive, or, given a host's id, all archives of that host as one timeline. Raise UnknownArchive.

        `check` is called between parts of the work, and may raise to end it; `allowance` says how much may be read at
        once.
        """
        with self._session(self._read_engine) as session:
            # Several statements that have to tell of the same instant, while sealing and removal go on.
            session.connection(execution_options={"isolation_level": "REPEATABLE READ"})
            reader = Reader(session, self._memory, timeline, check, self._kept, allowance=allowance)
            yield reader
        self._found(reader)

    def _found(self, reader: Reader) -> None:
        """Write down what a reading found damaged, once."""
        every = {(item.archive, item.schema, item.first_ns): item for item in reader.damage}
        new = [entry for key, entry in every.items() if key not in self._noted]
        if new:
            for element in new:
                log.error(
                    "damaged block", archive=str(element.archive), first_ns=element.first_ns, reason=element.reason
                )
            self._transact(lambda session: note_damage(session, new))
            self._noted |= {(item.archive, item.schema, item.first_ns) for item in new}
        for archive in reader.damaged_rollups | reader.rollups.hours.damaged:
            log.error("damaged rollups, made again", archive=str(archive))
            self.drop_rollups(archive)

    @contextmanager
    def taking_out(self, archive: UUID, window: Window | None = None) -> Iterator[ArchiveContents]:
        """An archive, or a window of it, with everything that it holds, as it is at this instant while recording goes
        on. Raise UnknownArchive.
        """
        with self._session(self._read_engine) as session:
            session.connection(execution_options={"isolation_level": "REPEATABLE READ"})
            yield contents_of(session, archive, window)

    def put_in(self, head: ArchiveHead, batches: Iterable[Batch]) -> Taken:
        """Put an archive in place, all or nothing; what is there of it already stays as it is. Raise BlockConflict or
        ArchiveReadOnly where it does not fit, and whatever `batches` raises.
        """
        return self._transact(lambda session: put_contents(session, head, batches))

    def records(self, host: UUID | None = None) -> Json:
        """What people and recorders decided and wrote beside the archives, of all hosts or of one, as JSON."""
        return self._transact(lambda session: records_of(session, host))

    def put_records(self, records: Json) -> dict[str, int]:
        """Insert records that are not there yet, all or none; return how many by table. Raise RecordsUnreadable."""
        return self._transact(lambda session: put_records(session, records))

    @contextmanager
    def extending_rollups(self, archive: UUID) -> Iterator[Reader]:
        """Read an archive in a transaction that may write its rollups; nothing is appended to it meanwhile.

        Rollups by other formulas than today's are removed first. Raise UnknownArchive.
        """
        with self._session() as session:
            host_id = host_of(session, archive, lock=True)
            walk_by_index(session)
            drop_stale(session, host_id, archive)
            # Bin after bin comes out of the same blocks; those that requests want are not driven out for that.
            yield Reader(session, self._memory, archive, kept=BlockCache(EXTENDING_BYTES), writes=True)

    def drop_rollups(self, archive: UUID, from_ns: int | None = None) -> None:
        """Remove an archive's rollups from some time on, or all; they can be derived again. Raise UnknownArchive."""
        self._transact(lambda session: drop_rollups(session, host_of(session, archive, lock=True), archive, from_ns))

    def compact(self, archive: UUID) -> int:
        """Merge small blocks of an archive into big ones. Return by how many blocks there are fewer. Raise
        UnknownArchive.
        """
        merged: list[int] = []

        def work() -> None:
            with self._session() as session:
                host_id = host_of(session, archive, lock=True)
                walk_by_index(session)
                merged.append(seal_archive(session, host_id, archive))

        again_elsewhere(work)
        return merged[-1]

    def take_grown(self) -> set[UUID]:
        """The archives that have grown enough since the last call for compaction to find something to merge."""
        return set(self.appender.take_grown(TARGETS[0]))

    def has_come_to_rest(self, for_s: float) -> bool:
        """Whether some archive has grown enough for compaction, and not at all for so long."""
        return self.appender.has_come_to_rest(TARGETS[-1], for_s)

    def _transact(self, work: Callable[[Session], T]) -> T:
        with self._session() as session:
            return work(session)

    @contextmanager
    def _session(self, engine: Engine | None = None) -> Iterator[Session]:
        try:
            with translate_driver_errors(), Session(engine or self.engine) as session, session.begin():
                yield session
        except DatabaseDiskFull as why:
            self.full = str(why)
            raise
        except DatabaseDamaged as why:
            self.damaged = str(why)
            raise

    def _written(self) -> None:
        """There is room again."""
        self.full = None
