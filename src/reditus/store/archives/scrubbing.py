"""Verify what is stored, block by block: the scrubber does it slowly in the background, `reditus check` on demand."""

import time
from collections.abc import Callable, Sequence
from functools import partial
from typing import Any
from uuid import UUID

import numpy as np
from sqlalchemy import Row, Table, delete, select
from sqlalchemy.dialects.postgresql import insert
from sqlalchemy.orm import Session

from reditus.core.errors import BlockError, CoreError
from reditus.core.facts import HostFacts
from reditus.core.plan import Plan
from reditus.core.rollup import PARTS, from_chunks
from reditus.core.schema import Schema
from reditus.core.types import NS_PER_S
from reditus.core.use_codec import decode_use
from reditus.store.archives.compaction import block_of
from reditus.store.database import statements
from reditus.store.database.connection import binary_rows
from reditus.store.database.damage import (
    Lost,
    as_rows,
    attempt,
    damaged_keys,
    note_damage,
    surviving,
    walk_by_index,
)
from reditus.store.database.tables import Base, BlockRow, ColumnRow, DamageRow, SchemaRow, ScrubRow
from reditus.store.read.schema_cache import column_of
from reditus.store.records import CheckedBlocks, CheckPosition, Damage, Flaw

SLICE_BLOCKS = 32
"""Blocks in memory at once; of the largest kind they are some tens of megabytes."""
WHOLE_TABLES: tuple[Table, ...] = tuple(
    table for table in Base.metadata.sorted_tables if table.name not in ("blocks", "rollups", "use_bins")
)
_KEYS = """
select schema_id, first_ns from blocks
where host_id = %(host)s and archive_id = %(archive)s
  and (schema_id > %(schema)s or (schema_id = %(schema)s and first_ns > %(after)s))
order by schema_id, first_ns limit %(limit)s
"""
_USE_BINS = "select first_ns, level_s, data from use_bins where host_id = %(host)s and archive_id = %(archive)s"

RESTORE = "restore the database from a backup (docs/operation.md)"


def verify_slice(
    session: Session, host: UUID, archive: UUID, place: CheckPosition, most: int = SLICE_BLOCKS
) -> CheckedBlocks:
    """Decode the next blocks of an archive, write down those that are damaged, and strike out those that are whole
    again.
    """
    values = {"host": host, "archive": archive, "schema": place.schema, "after": place.after_ns, "limit": most}
    walk_by_index(session)
    keys = attempt(session, lambda: binary_rows(session, _KEYS, values))
    if isinstance(keys, str):
        return _verify_schema_on_damaged_pages(session, host, archive, place)
    known = damaged_keys(session, host, archive)
    damage: list[Damage] = []
    size_bytes = 0
    for schema, first_ns in keys:
        found = attempt(session, partial(_verified, session, host, archive, (schema, first_ns)))
        if isinstance(found, str):
            damage.append(Damage(host, archive, schema, first_ns, first_ns + 1, None, found))
        elif isinstance(found, Damage):
            damage.append(found)
        else:
            size_bytes += found
            if (schema, first_ns) in known:
                _strike_out(session, host, archive, schema, first_ns)
    note_damage(session, damage)
    return CheckedBlocks(len(keys), size_bytes, damage, CheckPosition(*keys[-1]) if len(keys) == most else None)


def _verified(session: Session, host: UUID, archive: UUID, key: tuple[int, int]) -> int | Damage:
    """The block's size where it is whole."""
    row = session.scalar(
        select(BlockRow)
        .where(
            BlockRow.host_id == host,
            BlockRow.archive_id == archive,
            BlockRow.schema_id == key[0],
            # In the order of the key, so that its index is walked along, and no page met that only other blocks need.
            BlockRow.first_ns >= key[1],
            BlockRow.first_ns <= key[1],
        )
        .order_by(BlockRow.first_ns)
        .limit(1)
        .execution_options(populate_existing=True)
    )
    if row is None:  # merged into a bigger one meanwhile
        return 0
    try:
        block_of(row).check()
    except (BlockError, ValueError, IndexError) as why:
        return Damage(host, archive, row.schema_id, row.first_ns, row.last_ns, None, str(why))
    finally:
        session.expunge(row)
    return row.size_bytes


def _verify_schema_on_damaged_pages(session: Session, host: UUID, archive: UUID, place: CheckPosition) -> CheckedBlocks:
    """The index or the pages that it leads to cannot be read in one go: one schema, by ranges."""
    after = select(SchemaRow.id).where(SchemaRow.host_id == host, SchemaRow.id > place.schema).order_by(SchemaRow.id)
    schema = session.scalar(after.limit(1))
    if schema is None:
        return CheckedBlocks(0, 0, [], None)

    def read(begin: int, end: int) -> list[tuple[Any, ...]]:
        values = {"host": host, "archive": archive, "schema": schema, "begin": begin, "end": end}
        return binary_rows(session, statements.HELD_BETWEEN, values)

    rows, losses = as_rows(surviving(session, read))
    damage = [_lost(host, archive, schema, loss) for loss in losses]
    note_damage(session, damage)
    return CheckedBlocks(sum(row[0] is not None for row in rows), 0, damage, CheckPosition(schema, (1 << 62)))


def _lost(host: UUID, archive: UUID, schema: int, lost: Lost) -> Damage:
    return Damage(host, archive, schema, lost.begin_ns, lost.end_ns, None, lost.reason)


def _strike_out(session: Session, host: UUID, archive: UUID, schema: int, first_ns: int) -> None:
    session.execute(
        delete(DamageRow).where(
            DamageRow.host_id == host,
            DamageRow.archive_id == archive,
            DamageRow.schema_id == schema,
            DamageRow.first_ns == first_ns,
        )
    )


def scrub_place(session: Session, host: UUID, archive: UUID) -> tuple[CheckPosition, int | None]:
    """Where the scrubber is in an archive, and when it last came to its end."""
    row = session.get(ScrubRow, (host, archive))
    return (CheckPosition(), None) if row is None else (CheckPosition(row.schema_id, row.after_ns), row.finished_ns)


def save_scrub_place(session: Session, host: UUID, archive: UUID, place: CheckPosition | None, now_ns: int) -> None:
    """`place` None: the pass is over, and the next one begins at the beginning."""
    at = place or CheckPosition()
    values: dict[str, Any] = {"schema_id": at.schema, "after_ns": at.after_ns}
    if place is None:
        values["finished_ns"] = now_ns
    statement = insert(ScrubRow).values(host_id=host, archive_id=archive, **values)
    session.execute(statement.on_conflict_do_update(index_elements=["host_id", "archive_id"], set_=values))


def turns(session: Session, every_s: float) -> list[tuple[UUID, UUID]]:
    """Host and archive ids of the archives that were not scrubbed for `every_s`, the longest overdue first."""
    rows = session.execute(statements.scrub_turns(time.time_ns() - round(every_s * NS_PER_S)))
    return [(host_id, archive_id) for host_id, archive_id in rows]


def scrub_slice(session: Session, host: UUID, archive: UUID) -> CheckedBlocks:
    """Verify the next blocks of an archive where the scrubber left off, and save where it is now."""
    place, _ = scrub_place(session, host, archive)
    found = verify_slice(session, host, archive, place)
    save_scrub_place(session, host, archive, found.next, time.time_ns())
    return found


def verify_rollups(session: Session, host: UUID, archive: UUID) -> list[Flaw]:
    """Rollups are only a cache: damaged ones are made again."""
    statement = "select bins, places, data from rollups where host_id = %(host)s and archive_id = %(archive)s"

    def read() -> list[str]:
        wrong = []
        for bins, places, data in binary_rows(session, statement, {"host": host, "archive": archive}):
            chunks = [data[begin:end] for begin, end in zip(places[::2], places[1::2], strict=True)]
            try:
                for at in range(0, len(chunks), PARTS):
                    from_chunks(chunks[at : at + PARTS], bins)
            except BlockError as why:
                wrong.append(str(why))
        return wrong

    def read_use() -> list[str]:
        wrong = []
        for first_ns, level_s, data in binary_rows(session, _USE_BINS, {"host": host, "archive": archive}):
            try:
                decode_use(data, np.array([first_ns, first_ns + level_s * NS_PER_S], dtype=np.int64))
            except BlockError as why:
                wrong.append(str(why))
        return wrong

    flaws = []
    for what, reading in (("rollups", read), ("use", read_use)):
        found = attempt(session, reading)
        reasons = [found] if isinstance(found, str) else found
        flaws += [Flaw(what, reason, "they are made again from the ticks by themselves") for reason in reasons[:1]]
    return flaws


def verify_tables(session: Session) -> list[Flaw]:
    """Read every row of every other table, and what has a form of its own as that."""
    flaws = []
    for table in WHOLE_TABLES:
        rows = attempt(session, partial(_rows_of, session, table))
        if isinstance(rows, str):
            flaws.append(Flaw(f"table {table.name}", rows, RESTORE))
            continue
        reader = _READERS.get(table.name)
        for row in rows if reader else ():
            assert reader is not None
            try:
                reader(row)
            except (CoreError, ValueError, KeyError, TypeError, AttributeError) as why:
                flaws.append(Flaw(f"table {table.name}", f"{_name_of(row)}: {why}", RESTORE))
    schemas = attempt(session, lambda: _verify_schemas(session))
    return flaws + ([Flaw("table columns", schemas, RESTORE)] if isinstance(schemas, str) else schemas)


def _rows_of(session: Session, table: Table) -> Sequence[Row[Any]]:
    return session.execute(select(table)).all()


def _verify_schemas(session: Session) -> list[Flaw]:
    """Each schema's digest is that of its columns."""
    columns: dict[tuple[UUID, int], list[ColumnRow]] = {}
    for column in session.scalars(select(ColumnRow).order_by(ColumnRow.position)):
        columns.setdefault((column.host_id, column.schema_id), []).append(column)
    flaws = []
    for row in session.scalars(select(SchemaRow)):
        try:
            schema = Schema(row.group_name, row.part, tuple(map(column_of, columns.get((row.host_id, row.id), []))))
            wrong = None if schema.digest == row.digest else "its columns are not those that its digest names"
        except (CoreError, ValueError) as why:
            wrong = str(why)
        if wrong:
            flaws.append(Flaw(f"schema {row.id} of group {row.group_name}", wrong, RESTORE))
    return flaws


def _name_of(row: Any) -> str:
    return str(getattr(row, "name", None) or getattr(row, "id", None) or row[0])


_READERS: dict[str, Callable[[Any], object]] = {
    "archives": lambda row: HostFacts.from_json(row.facts),
    "facts": lambda row: HostFacts.from_json(row.facts),
    "plans": lambda row: Plan.from_json(row.content),
}
