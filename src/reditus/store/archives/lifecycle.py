"""The life of an archive: what people decide about it, and what is removed from it, by blocks."""

import time
from collections.abc import Sequence
from dataclasses import dataclass, replace
from typing import TypedDict
from uuid import UUID, uuid4

from sqlalchemy import delete, literal, select
from sqlalchemy.dialects.postgresql import insert
from sqlalchemy.orm import Session

from reditus.core.blocks import Block, only
from reditus.core.errors import BlockError
from reditus.core.types import NS_PER_S
from reditus.core.window import Window
from reditus.store.archives.compaction import block_of
from reditus.store.database.binary_copy import copy_rows
from reditus.store.database.damage import note_damage
from reditus.store.database.tables import (
    ArchiveRow,
    BlockRow,
    DamageRow,
    FactsRow,
    HoursRow,
    MarkerRow,
    ProcessRow,
    RecorderRow,
    RollupReachRow,
    RollupRow,
    ScrubRow,
    UseBinRow,
    UseReachRow,
)
from reditus.store.errors import ArchiveInUse, ArchiveProtected, ArchiveReadOnly, EmptyWindow, UnknownArchive
from reditus.store.investigations.kept import kept_stretches
from reditus.store.read.scope import scope_of
from reditus.store.records import Damage
from reditus.store.rollups.table import drop_rollups

UNDO_S = 60.0
"""A deletion is carried out by the first sealing after so long; until then it can be taken back."""
_OWN = (
    RollupRow, RollupReachRow, HoursRow, UseBinRow, UseReachRow, BlockRow, MarkerRow, ProcessRow, FactsRow, DamageRow,
    ScrubRow,
)  # fmt: skip


class Description(TypedDict, total=False):
    """What people say of an archive; what is not named stays."""

    name: str
    notes: str
    protected: bool


BUNDLE_SOURCE = "bundle"
"""Of archives that came in a bundle: nothing is added to them."""


def check_writable(session: Session, archive: UUID) -> None:
    """Raise ArchiveReadOnly for an archive that came in a bundle, or a host that has such."""
    rows = session.execute(
        select(ArchiveRow.name, ArchiveRow.source).where((ArchiveRow.id == archive) | (ArchiveRow.host_id == archive))
    )
    for name, source in rows:
        if source == BUNDLE_SOURCE:
            raise ArchiveReadOnly(name)


def describe(session: Session, archive: UUID, description: Description) -> None:
    """Raise UnknownArchive."""
    row = _locked(session, archive)
    for what, value in description.items():
        setattr(row, what, value)
    session.flush()


def delete_archive(session: Session, archive: UUID) -> None:
    """Let an archive be removed by a sealing to come. Raise ArchiveProtected, ArchiveInUse or UnknownArchive."""
    row = _locked(session, archive)
    if row.protected:
        raise ArchiveProtected(row.name)
    if kept_stretches(session, [archive, row.host_id]):
        raise ArchiveInUse(row.name)
    if row.deleted_ns is None:
        row.deleted_ns = time.time_ns()
    session.flush()


def restore_archive(session: Session, archive: UUID) -> None:
    """Take a deletion back. Raise UnknownArchive where it is too late."""
    _locked(session, archive).deleted_ns = None
    session.flush()


def due_for_removal(session: Session, now_ns: int, undo_s: float = UNDO_S) -> list[UUID]:
    """The archives that were deleted long enough ago."""
    latest_ns = now_ns - round(undo_s * NS_PER_S)
    return list(
        session.scalars(
            select(ArchiveRow.id)
            .where(ArchiveRow.deleted_ns.is_not(None), ArchiveRow.deleted_ns <= latest_ns)
            .order_by(ArchiveRow.id)
        )
    )


def remove_archive(session: Session, archive: UUID, now_ns: int, undo_s: float = UNDO_S) -> bool:
    """Remove an archive with all it has, if its deletion was not taken back meanwhile."""
    row = session.scalar(select(ArchiveRow).where(ArchiveRow.id == archive).with_for_update())
    if row is None or row.deleted_ns is None or row.deleted_ns > now_ns - round(undo_s * NS_PER_S):
        return False
    for table in _OWN:
        session.execute(delete(table).where(table.host_id == row.host_id, table.archive_id == row.id))
    session.execute(delete(RecorderRow).where(RecorderRow.host_id == row.host_id, RecorderRow.id == row.id))
    session.delete(row)
    session.flush()
    return True


@dataclass(frozen=True, slots=True)
class Trimmed:
    """What trimming removed."""

    removed_ticks: int


def trim(session: Session, archive: UUID, window: Window) -> Trimmed:
    """Keep the ticks of a window and nothing else. Raise ArchiveProtected, ArchiveInUse, UnknownArchive, or EmptyWindow
    for a window that would leave nothing; then the transaction has to be undone.
    """
    row = _locked(session, archive)
    if row.protected:
        raise ArchiveProtected(row.name)
    host = row.host_id
    for start_ns, end_ns in kept_stretches(session, [archive, host]):
        if start_ns < window.start_ns or end_ns > window.end_ns:
            raise ArchiveInUse(row.name)
    mine = [BlockRow.host_id == host, BlockRow.archive_id == archive]
    removed = 0
    for straddling in _straddling(session, host, archive, window):
        block = block_of(straddling)
        try:
            schema, kept = straddling.schema_id, cut(block, window)
        except BlockError as why:
            # It cannot be cut, and what is left of it may still be wanted: it stays whole.
            note_damage(
                session, [Damage(host, archive, straddling.schema_id, block.first_ns, block.last_ns, None, str(why))]
            )
            continue
        session.delete(straddling)
        session.flush()
        removed += block.ticks - (kept.ticks if kept else 0)
        if kept is not None:
            copy_rows(session, [(host, schema, kept)])
    outside = (BlockRow.first_ns >= window.end_ns) | (BlockRow.last_ns < window.start_ns)
    for ticks in session.scalars(delete(BlockRow).where(*mine, outside).returning(BlockRow.ticks)):
        removed += ticks
    if session.scalar(select(BlockRow.schema_id).where(*mine).limit(1)) is None:
        raise EmptyWindow(row.name)  # which undoes it all; a block may reach over the window and have no tick in it
    session.execute(
        delete(MarkerRow).where(
            MarkerRow.host_id == host,
            MarkerRow.archive_id == archive,
            (MarkerRow.at_ns >= window.end_ns) | (MarkerRow.at_ns < window.start_ns),
        )
    )
    drop_rollups(session, host, archive)
    return Trimmed(removed)


def copy_stretch(session: Session, timeline: UUID, window: Window, name: str) -> UUID:
    """Copy a window of an archive, or of all archives of a host, to an archive of its own. Raise UnknownArchive, or
    EmptyWindow.
    """
    scope = scope_of(session, timeline)
    copied, fresh = False, uuid4()
    first = session.scalars(select(ArchiveRow).where(ArchiveRow.id.in_(scope.archives))).first()
    if first is None:
        raise EmptyWindow(scope.host_name)
    session.add(
        ArchiveRow(
            host_id=scope.host,
            id=fresh,
            name=name,
            source=first.source,
            facts=scope.facts.as_json(),
            created_ns=time.time_ns(),
            notes="",
            protected=False,
        )
    )
    session.flush()
    # Where several archives tell of the same time, the one that counts most is what the copy holds: see joined().
    covered: dict[int, list[tuple[int, int]]] = {}
    for archive in scope.archives:
        copied |= _copy_blocks(session, scope.host, archive, fresh, window, covered)
    if not copied:
        raise EmptyWindow(scope.host_name)
    for archive in scope.archives:
        _copy_beside_blocks(session, scope.host, archive, fresh, window)
    return fresh


def _locked(session: Session, archive: UUID) -> ArchiveRow:
    row = session.scalar(select(ArchiveRow).where(ArchiveRow.id == archive).with_for_update())
    if row is None:
        raise UnknownArchive(archive)
    return row


def _straddling(session: Session, host: UUID, archive: UUID, window: Window) -> Sequence[BlockRow]:
    """The blocks that lie partly in a window."""
    return session.scalars(
        select(BlockRow).where(
            BlockRow.host_id == host,
            BlockRow.archive_id == archive,
            BlockRow.first_ns < window.end_ns,
            BlockRow.last_ns >= window.start_ns,
            (BlockRow.first_ns < window.start_ns) | (BlockRow.last_ns >= window.end_ns),
        )
    ).all()


def cut(block: Block, window: Window) -> Block | None:
    """The block's ticks in a window; None if there are none."""
    stretch = block.stretch()
    inside = (stretch.wall_ns >= window.start_ns) & (stretch.wall_ns < window.end_ns)
    return only(block, stretch, inside)


def _copy_blocks(
    session: Session, host: UUID, archive: UUID, fresh: UUID, window: Window, covered: dict[int, list[tuple[int, int]]]
) -> bool:
    rows = session.scalars(
        select(BlockRow)
        .where(
            BlockRow.host_id == host,
            BlockRow.archive_id == archive,
            BlockRow.first_ns < window.end_ns,
            BlockRow.last_ns >= window.start_ns,
        )
        .order_by(BlockRow.schema_id, BlockRow.first_ns)
        .execution_options(yield_per=64)
    )
    own: dict[int, list[tuple[int, int]]] = {}
    written = False
    damage: list[Damage] = []
    for row in rows:
        block = block_of(row)
        try:
            stretch = block.stretch()
        except BlockError as why:
            damage.append(Damage(host, archive, row.schema_id, row.first_ns, row.last_ns, None, str(why)))
            continue  # a copy has what can be read
        inside = (stretch.wall_ns >= window.start_ns) & (stretch.wall_ns < window.end_ns)
        for begin_ns, end_ns in covered.get(row.schema_id, ()):
            inside &= (stretch.wall_ns <= begin_ns) | (stretch.wall_ns > end_ns)
        kept = only(block, stretch, inside)
        if kept is not None:
            copy_rows(session, [(host, row.schema_id, replace(kept, archive=fresh))])
            own.setdefault(row.schema_id, []).append((row.first_ns - row.interval_ns, row.last_ns))
            written = True
    note_damage(session, damage)
    for schema, stretches in own.items():
        covered.setdefault(schema, []).extend(stretches)
    return written


def _copy_beside_blocks(session: Session, host: UUID, archive: UUID, fresh: UUID, window: Window) -> None:
    """Who the processes are, what is marked in the window, and what was known of the host."""
    for table, where in (
        (ProcessRow, []),
        (FactsRow, []),
        (MarkerRow, [MarkerRow.at_ns < window.end_ns, MarkerRow.at_ns >= window.start_ns]),
    ):
        columns = [column for column in table.__table__.columns if column.name != "archive_id"]
        chosen = select(literal(fresh), *columns).where(table.host_id == host, table.archive_id == archive, *where)
        from_sql = insert(table).from_select(["archive_id", *(column.name for column in columns)], chosen)
        # Several archives may tell of the same process, or mark the same.
        session.execute(from_sql.on_conflict_do_nothing())
