"""An archive read whole, block by block, and one put in place, all or nothing: what archive files and backups need."""

import time
from collections.abc import Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass, field, replace
from typing import Any
from uuid import UUID

from sqlalchemy import select
from sqlalchemy.dialects.postgresql import insert as insert_new
from sqlalchemy.orm import Session

from reditus.core.batches import Batch
from reditus.core.blocks import Block
from reditus.core.errors import BlockError
from reditus.core.facts import HostFacts
from reditus.core.identities import Identities, Identity
from reditus.core.markers import SEVERITIES, Marker
from reditus.core.schema import Schema
from reditus.core.window import Window
from reditus.store.archives.compaction import block_of
from reditus.store.archives.device_names import names_of
from reditus.store.archives.lifecycle import check_writable, cut
from reditus.store.database import statements
from reditus.store.database.connection import ask
from reditus.store.database.tables import (
    ArchiveRow,
    BlockRow,
    DeviceNameRow,
    FactsRow,
    HostRow,
    MarkerRow,
    ProcessRow,
    SchemaRow,
)
from reditus.store.errors import BlockConflict, StoreError, UnknownArchive
from reditus.store.ingest.commit_groups import Append, Known
from reditus.store.ingest.slow_append import SlowAppender
from reditus.store.read.schema_cache import column_of
from reditus.store.read.scope import readable_facts

BLOCKS_AT_ONCE = 64


@dataclass(frozen=True, slots=True)
class ArchiveHead:
    """Everything about an archive but its ticks, processes and markers."""

    host: UUID
    host_name: str
    archive: UUID
    name: str
    source: str
    notes: str
    created_ns: int
    facts: Sequence[tuple[int, HostFacts]]
    """With the time since when they hold, oldest first."""
    schemas: Sequence[Schema]
    device_names: Mapping[str, Mapping[str, str]] = field(default_factory=dict)
    protected: bool = False


@dataclass(slots=True)
class ArchiveContents:
    """An archive while it is read. `blocks` are fetched as they are used; what could not be read is counted."""

    head: ArchiveHead
    identities: Sequence[Identities]
    markers: Sequence[Marker]
    blocks: Iterator[Block]
    damaged: int = 0


@dataclass(frozen=True, slots=True)
class Taken:
    """What became of an archive that was put in place."""

    archive: UUID
    stored_ticks: int
    repeated_ticks: int
    """That were there already."""


def contents_of(session: Session, archive: UUID, window: Window | None = None) -> ArchiveContents:
    """An archive as the session's transaction sees it. Raise UnknownArchive."""
    found = session.execute(
        select(ArchiveRow, HostRow.name).join(HostRow, HostRow.id == ArchiveRow.host_id).where(ArchiveRow.id == archive)
    ).one_or_none()
    if found is None:
        raise UnknownArchive(archive)
    row, host_name = found
    held = select(BlockRow.schema_id).where(BlockRow.host_id == row.host_id, BlockRow.archive_id == archive)
    ids = sorted(session.scalars(held.distinct()).all())
    schemas = schemas_of(session, row.host_id, ids)
    head = ArchiveHead(
        row.host_id, host_name, archive, row.name, row.source, row.notes, row.created_ns,
        facts_of(session, row.host_id, archive), list(schemas.values()), names_of(session, row.host_id),
        row.protected,
    )  # fmt: skip
    boots = set(
        session.scalars(
            select(BlockRow.boot).where(BlockRow.host_id == row.host_id, BlockRow.archive_id == archive).distinct()
        )
    )
    contents = ArchiveContents(
        head,
        identities_of(session, row.host_id, archive, boots),
        markers_of(session, row.host_id, archive, window),
        iter(()),
    )
    contents.blocks = _blocks(session, contents, schemas, window)
    return contents


def _blocks(
    session: Session, contents: ArchiveContents, schemas: Mapping[int, Schema], window: Window | None
) -> Iterator[Block]:
    """In the order of schemas and time."""
    for row in block_rows(session, contents.head.host, contents.head.archive, window):
        try:
            block = block_of(row)
            kept = block if window is None else cut(block, window)
        except BlockError:
            contents.damaged += 1
            continue
        if kept is not None:
            yield replace(kept, schema=schemas[row.schema_id].digest)


def block_rows(session: Session, host: UUID, archive: UUID, window: Window | None) -> Iterator[BlockRow]:
    """The blocks of which a part lies in a window, or all, by schema and time, some at a time."""
    statement = select(BlockRow).where(BlockRow.host_id == host, BlockRow.archive_id == archive)
    if window is not None:
        statement = statement.where(BlockRow.first_ns < window.end_ns, BlockRow.last_ns >= window.start_ns)
    ordered = statement.order_by(BlockRow.schema_id, BlockRow.first_ns)
    for row in session.scalars(ordered.execution_options(yield_per=BLOCKS_AT_ONCE)):
        yield row
        # Of a year of blocks none is kept.
        session.expunge(row)


def schemas_of(session: Session, host: UUID, ids: Sequence[int]) -> dict[int, Schema]:
    """Schemas of a host by their ids."""
    columns: dict[int, list[Any]] = {schema: [] for schema in ids}
    for row, _ in session.execute(statements.schema_columns(host, ids)):
        columns[row.schema_id].append(column_of(row))
    rows = session.scalars(select(SchemaRow).where(SchemaRow.host_id == host, SchemaRow.id.in_(ids)))
    return {row.id: Schema(row.group_name, row.part, tuple(columns[row.id])) for row in rows}


def facts_of(session: Session, host: UUID, archive: UUID) -> list[tuple[int, HostFacts]]:
    """The facts of an archive's host, each with the time since when they hold, oldest first."""
    rows = session.execute(statements.facts_history(host, [archive]))
    return [(since_ns, readable_facts(stored)[0]) for since_ns, stored in rows]


def identities_of(session: Session, host: UUID, archive: UUID, boots: set[UUID]) -> list[Identities]:
    """Who the processes of some boots were."""
    rows = session.scalars(
        select(ProcessRow)
        .where(ProcessRow.host_id == host, ProcessRow.archive_id == archive, ProcessRow.boot.in_(boots))
        .order_by(ProcessRow.boot, ProcessRow.pid, ProcessRow.start)
    )
    by_boot: dict[UUID, list[Identity]] = {}
    for row in rows:
        by_boot.setdefault(row.boot, []).append(
            Identity(row.pid, row.start, row.name, row.user_name, row.control_group, row.parent, row.arguments)
        )
    return [Identities(archive, boot, tuple(found)) for boot, found in by_boot.items()]


def markers_of(session: Session, host: UUID, archive: UUID, window: Window | None) -> list[Marker]:
    """The markers of a window, or all, in the order of time."""
    statement = select(MarkerRow).where(MarkerRow.host_id == host, MarkerRow.archive_id == archive)
    if window is not None:
        statement = statement.where(MarkerRow.at_ns < window.end_ns, MarkerRow.at_ns >= window.start_ns)
    return [
        Marker(
            row.ident, row.at_ns, row.kind, row.text, row.source,
            None if row.severity is None else SEVERITIES[row.severity], row.end_ns, row.log,
        )
        for row in session.scalars(statement.order_by(MarkerRow.at_ns, MarkerRow.ident))
    ]  # fmt: skip


def put_contents(session: Session, head: ArchiveHead, batches: Iterable[Batch]) -> Taken:
    """Put an archive in place; what is there of it already stays as it is. Nothing is left of it where this raises.

    Raise BlockConflict where another host has the archive's id or a block does not fit, ArchiveReadOnly for an archive
    that came in a bundle.
    """
    owner = session.scalar(select(ArchiveRow.host_id).where(ArchiveRow.id == head.archive).with_for_update())
    if owner is not None and owner != head.host:
        raise BlockConflict(f"archive {head.archive} belongs to another host; an archive is of one host only")
    if owner is not None:
        check_writable(session, head.archive)
    session.execute(statements.upsert_host(head.host, head.host_name))
    if owner is None:
        newest = head.facts[-1][1] if head.facts else HostFacts()
        session.add(
            ArchiveRow(
                host_id=head.host, id=head.archive, name=head.name, source=head.source, facts=newest.as_json(),
                created_ns=head.created_ns or time.time_ns(), notes=head.notes, protected=head.protected,
            )
        )  # fmt: skip
        session.flush()
    for since_ns, facts in head.facts:
        values = {"host_id": head.host, "archive_id": head.archive, "since_ns": since_ns, "facts": facts.as_json()}
        session.execute(insert_new(FactsRow).values(**values).on_conflict_do_nothing())
    put_schemas(session, head.host, head.schemas)
    put_names(session, head.host, head.device_names)
    session.flush()
    appender, stored, repeated = SlowAppender(session, Known()), 0, 0
    for batch in batches:
        (outcome,) = appender.append([Append(head.archive, batch)])
        if isinstance(outcome, StoreError):
            raise outcome
        stored += outcome.stored_ticks
        repeated += outcome.repeated_ticks
    return Taken(head.archive, stored, repeated)


def put_schemas(session: Session, host: UUID, schemas: Iterable[Schema]) -> dict[bytes, int]:
    """Make schemas known to a host; return their ids by digest."""
    ids: dict[bytes, int] = {}
    for schema in schemas:
        made = session.scalar(statements.insert_schema(host, schema))
        if made is None:
            made = session.scalar(
                select(SchemaRow.id).where(SchemaRow.host_id == host, SchemaRow.digest == schema.digest)
            )
            assert made is not None
        else:
            ask(session, statements.INSERT_COLUMNS, statements.columns_of(host, made, schema.columns))
        ids[schema.digest] = made
    return ids


def put_names(session: Session, host: UUID, device_names: Mapping[str, Mapping[str, str]]) -> None:
    """What people called the devices, where they have not been called anything yet."""
    rows = session.scalars(select(DeviceNameRow).where(DeviceNameRow.host_id == host)).all()
    named = {(row.kind, row.device) for row in rows}
    for kind, names in device_names.items():
        for device, name in names.items():
            if (kind, device) not in named:
                session.add(DeviceNameRow(host_id=host, kind=kind, device=device, name=name))
