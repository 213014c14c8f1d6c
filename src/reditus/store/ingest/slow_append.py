"""The long way to append: whatever is late, repeated or overlapping is merged, and what cannot be taken is refused."""

from collections.abc import Sequence
from typing import Any
from uuid import UUID

import numpy as np
from sqlalchemy.orm import Session

from reditus.core.blocks import Block, only
from reditus.core.column_codec import decode_column
from reditus.core.errors import BlockError
from reditus.core.types import IntArray
from reditus.store.archives.compaction import block_of
from reditus.store.archives.markers import put_markers
from reditus.store.database import statements
from reditus.store.database.binary_copy import copy_rows
from reditus.store.database.connection import ask, driver_of
from reditus.store.database.tables import BlockRow
from reditus.store.errors import BlockConflict, StoreError, UnknownArchive, UnknownSchema
from reditus.store.ingest.commit_groups import Append, Known, stored_of
from reditus.store.ingest.fast_append import Row
from reditus.store.records import Stored
from reditus.store.rollups.table import drop_rollups

# The locks on the archives' rows keep senders, sealing and removal from seeing half of each other's work. In the order
# of the keys, so that two that lock several cannot wait for each other. A statement that waits for a lock sees the rest
# of the database as it was before: what else is needed is fetched by the next one.
_ARCHIVES = "select a.id, a.host_id from archives a where a.id = any(%(ids)s) order by a.id for update"
_SCHEMAS = """
select l.host_id, l.digest, l.id, count(c.position) from schemas l
join unnest(%(hosts)s::uuid[], %(digests)s::bytea[]) as w(host_id, digest)
  on l.host_id = w.host_id and l.digest = w.digest
join columns c on c.host_id = l.host_id and c.schema_id = l.id
group by l.host_id, l.digest, l.id
"""
_NEWEST = """
select w.archive_id, w.schema_id, last.last_ns, rolled.until_ns
from unnest(%(hosts)s::uuid[], %(archives)s::uuid[], %(schemas)s::int[]) as w(host_id, archive_id, schema_id)
left join lateral (select b.last_ns from blocks b
                   where b.host_id = w.host_id and b.archive_id = w.archive_id and b.schema_id = w.schema_id
                   order by b.last_ns desc limit 1) as last on true
left join lateral (
    select max(reach.until_ns) as until_ns from (
        select r.until_ns from rollup_reach r where r.host_id = w.host_id and r.archive_id = w.archive_id
        union all
        select r.until_ns from use_reach r where r.host_id = w.host_id and r.archive_id = w.archive_id
    ) as reach
) as rolled on true
"""


class SlowAppender:
    """Batches of one transaction."""

    def __init__(self, session: Session, known: Known) -> None:
        self._session = session
        self._known = known
        self._homes: dict[UUID, UUID] = {}
        """The hosts of the archives that are there."""
        self._newest: dict[tuple[UUID, int], int] = {}
        self._rolled_until_ns: dict[UUID, int] = {}
        self._rows: list[Row] = []

    def append(self, together: Sequence[Append]) -> list[Stored | StoreError]:
        """What became of each; those that are refused leave nothing."""
        self._look(together)
        checked = [self._refusal(item) for item in together]
        out: list[Stored | StoreError] = []
        for entry, refused in zip(together, checked, strict=True):
            if refused is not None:
                out.append(refused)
            else:
                out.append(self._taken(entry) if self._may_overlap(entry) else self._take(entry))
        self._write()
        return out

    def _may_overlap(self, request: Append) -> bool:
        """Whether ticks of the batch may be stored already, or two of its blocks may overlap."""
        firsts_ns: dict[int, int] = {}
        for block in request.batch.blocks:
            schema = self._schema(request.archive, block)
            if schema in firsts_ns or self._newest.get((request.archive, schema), block.first_ns - 1) >= block.first_ns:
                return True
            firsts_ns[schema] = block.first_ns
        return False

    def _taken(self, request: Append) -> Stored | StoreError:
        """Take a batch, or leave nothing of it where it contradicts what is stored."""
        self._write()  # a savepoint holds only what was written after it
        before = dict(self._newest)
        try:
            with self._session.begin_nested():
                stored = self._take(request)
                self._write()
                return stored
        except BlockConflict as why:
            self._rows.clear()
            self._newest = before
            return why

    def _look(self, together: Sequence[Append]) -> None:
        """Lock the archives, then learn what they have. Usually all is known that both questions need, and they go out
        together.
        """
        ids = sorted({item.archive for item in together})
        guessed = self._keys(together)
        with driver_of(self._session).pipeline():
            locked = ask(self._session, _ARCHIVES, {"ids": ids})
            newest = ask(self._session, _NEWEST, _by_column(guessed))
        self._homes = dict(locked.fetchall())
        self._known.hosts.update(self._homes)
        self._learn_schemas(together)
        keys = self._keys(together)
        if keys != guessed:
            newest = ask(self._session, _NEWEST, _by_column(keys))
        for archive, schema, last_ns, rolled_until_ns in newest.fetchall():
            if last_ns is not None:
                self._newest[archive, schema] = last_ns
            if rolled_until_ns is not None:
                self._rolled_until_ns[archive] = rolled_until_ns

    def _keys(self, together: Sequence[Append]) -> set[tuple[UUID, UUID, int]]:
        """Host, archive and schema of all blocks, as far as they are known."""
        hosts, schemas = self._known.hosts, self._known.schemas
        return {
            (hosts[item.archive], item.archive, schemas[hosts[item.archive], block.schema][0])
            for item in together
            if item.archive in hosts
            for block in item.batch.blocks
            if (hosts[item.archive], block.schema) in schemas
        }

    def _learn_schemas(self, together: Sequence[Append]) -> None:
        missing = {
            (self._homes[item.archive], block.schema)
            for item in together
            if item.archive in self._homes
            for block in item.batch.blocks
        } - self._known.schemas.keys()
        if not missing:
            return
        values = {"hosts": [host for host, _ in missing], "digests": [digest for _, digest in missing]}
        for host, digest, schema, width in ask(self._session, _SCHEMAS, values).fetchall():
            self._known.schemas[host, digest] = (schema, width)

    def _refusal(self, request: Append) -> StoreError | None:
        archive, batch = request.archive, request.batch
        host = self._homes.get(archive)
        if host is None:
            return UnknownArchive(archive)
        for block in batch.blocks:
            if block.archive != archive:
                return BlockConflict(f"the batch holds a block of archive {block.archive}, sent to archive {archive}")
            known = self._known.schemas.get((host, block.schema))
            if known is None:
                return UnknownSchema(block.schema)
            if known[1] != block.columns:
                return BlockConflict(f"a block has {block.columns} columns, its schema {known[1]}")
        for what, records in (("tells of processes", batch.identities), ("holds markers", batch.markers)):
            for other in records:
                if other.archive != archive:
                    return BlockConflict(f"the batch {what} of archive {other.archive}, sent to {archive}")
        return None

    def _schema(self, archive: UUID, block: Block) -> int:
        return self._known.schemas[self._homes[archive], block.schema][0]

    def _take(self, request: Append) -> Stored:
        host, rolled_until_ns = self._homes[request.archive], self._rolled_until_ns.get(request.archive)
        stored, earliest_ns = 0, None
        for block in request.batch.blocks:
            fresh = self._fresh(host, block)
            if fresh is None:
                continue
            schema = self._schema(request.archive, block)
            self._rows.append((host, schema, fresh))
            key = request.archive, schema
            self._newest[key] = max(fresh.last_ns, self._newest.get(key, fresh.last_ns))
            stored += fresh.ticks
            begin_ns = fresh.first_ns - fresh.interval_ns
            earliest_ns = begin_ns if earliest_ns is None else min(begin_ns, earliest_ns)
        if earliest_ns is not None and rolled_until_ns is not None and earliest_ns < rolled_until_ns:
            # Late ticks: what was rolled up without them is rolled up again.
            drop_rollups(self._session, host, request.archive, earliest_ns)
        for identities in request.batch.identities:
            if identities.processes:
                ask(self._session, statements.UPSERT_PROCESSES, statements.processes_of(host, identities))
        for markers in request.batch.markers:
            put_markers(self._session, host, request.archive, markers.markers)
        return stored_of(request.batch, stored)

    def _fresh(self, host: UUID, block: Block) -> Block | None:
        """The block less the ticks that are stored already; None if that leaves nothing. Usually it is the block
        itself.
        """
        schema = self._schema(block.archive, block)
        newest_ns = self._newest.get((block.archive, schema))
        if newest_ns is None or block.first_ns > newest_ns:
            return block
        self._write()  # what overlaps may be of this very transaction
        return _without_known_ticks(self._session, host, schema, block)

    def _write(self) -> None:
        if not self._rows:
            return
        copy_rows(self._session, self._rows)
        self._rows.clear()


def _by_column(keys: set[tuple[UUID, UUID, int]]) -> dict[str, list[Any]]:
    hosts, archives, schemas = ([key[at] for key in keys] for at in range(3))
    return {"hosts": hosts, "archives": archives, "schemas": schemas}


def _without_known_ticks(session: Session, host_id: UUID, schema_id: int, block: Block) -> Block | None:
    overlapping = session.scalars(
        statements.overlapping_blocks(host_id, block.archive, schema_id, block.first_ns, block.last_ns)
    ).all()
    same_boot = [row for row in overlapping if row.boot == block.boot]
    stretch = block.stretch()
    stored_ns = [clock_ns for row in same_boot if (clock_ns := _clock_of(row)) is not None]
    fresh = block if not stored_ns else only(block, stretch, ~np.isin(stretch.monotonic_ns, np.concatenate(stored_ns)))
    if fresh is not None and any(row.first_ns == fresh.first_ns for row in overlapping):
        raise BlockConflict(
            f"a block that begins at {fresh.first_ns} ns is stored already, of another boot or with another monotonic "
            f"clock; "
            "two blocks of one schema cannot begin at the same instant"
        )
    return fresh


def _clock_of(row: BlockRow) -> IntArray | None:
    """The monotonic clock; None where it is damaged, and so covers nothing."""
    try:
        return decode_column(block_of(row).chunk(1), row.ticks)
    except BlockError:
        return None
