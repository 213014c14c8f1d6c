"""Damage: blocks, or columns of blocks, whose bytes are not those that were written. Readers go around it, and it is
written down where health, gaps and `reditus check` find it.
"""

import time
from collections.abc import Callable, Iterable, Iterator, Sequence
from dataclasses import dataclass
from typing import Any, TypeVar
from uuid import UUID

import psycopg
from sqlalchemy import func, select
from sqlalchemy.dialects.postgresql import insert
from sqlalchemy.exc import DBAPIError
from sqlalchemy.orm import Session

from reditus.core.types import NS_PER_S
from reditus.store.database.connection import driver_of
from reditus.store.database.driver_errors import is_damage
from reditus.store.database.tables import ArchiveRow, DamageRow, HostRow, SchemaRow
from reditus.store.errors import DatabaseDamaged
from reditus.store.records import Damage, KnownDamage

T = TypeVar("T")
WRITE_TRIES = 4
EARLIEST_NS, LATEST_NS = -(1 << 62), 1 << 62
NARROWEST_NS = NS_PER_S
"""Where the database cannot say what it has lost, the loss is narrowed down to this."""
MOST_RANGES = 4_096
"""Of lost stretches looked for in one schema, before all of it is given up."""


@dataclass(frozen=True, slots=True)
class Lost:
    """A range of keys that the database cannot read."""

    begin_ns: int
    end_ns: int
    reason: str


def note_damage(session: Session, found: Iterable[Damage]) -> int:
    """Write down what was found; what is known already stays as it is. Return how much was new."""
    new = 0
    for match in found:
        values = {
            "host_id": match.host, "archive_id": match.archive, "schema_id": match.schema, "first_ns": match.first_ns,
            "last_ns": match.last_ns, "columns": None if match.columns is None else list(match.columns),
            "reason": match.reason, "found_ns": time.time_ns(),
        }  # fmt: skip
        # An archive that was removed meanwhile has no damage any more.
        there = select(ArchiveRow.id).where(ArchiveRow.host_id == match.host, ArchiveRow.id == match.archive)
        if session.scalar(there.with_for_update(key_share=True)) is None:
            continue
        statement = insert(DamageRow).values(**values).on_conflict_do_nothing().returning(DamageRow.first_ns)
        new += session.scalar(statement) is not None
    return new


def damage_of(session: Session, archives: Sequence[UUID] | None = None) -> list[KnownDamage]:
    """What is known to be damaged, of some archives or of all, in the order of time."""
    statement = (
        select(DamageRow, ArchiveRow.name, HostRow.name, SchemaRow.group_name)
        .join(ArchiveRow, (ArchiveRow.host_id == DamageRow.host_id) & (ArchiveRow.id == DamageRow.archive_id))
        .join(HostRow, HostRow.id == DamageRow.host_id)
        .outerjoin(SchemaRow, (SchemaRow.host_id == DamageRow.host_id) & (SchemaRow.id == DamageRow.schema_id))
        .order_by(DamageRow.first_ns)
    )
    if archives is not None:
        statement = statement.where(DamageRow.archive_id.in_(archives))
    return [
        KnownDamage(
            row.archive_id, archive_name, host_name, group or "an unknown group", row.first_ns, row.last_ns,
            None if row.columns is None else len(row.columns), row.reason, row.found_ns,
        )
        for row, archive_name, host_name, group in session.execute(statement)
    ]  # fmt: skip


def damaged_keys(session: Session, host: UUID, archive: UUID) -> set[tuple[int, int]]:
    """Schema and first tick of each block that is known to be damaged."""
    rows = session.execute(
        select(DamageRow.schema_id, DamageRow.first_ns).where(
            DamageRow.host_id == host, DamageRow.archive_id == archive
        )
    )
    return {(schema, first_ns) for schema, first_ns in rows}


def count_damage(session: Session) -> dict[UUID, int]:
    """How many blocks of each archive are known to be damaged."""
    statement = select(DamageRow.archive_id, func.count()).group_by(DamageRow.archive_id)
    return {row[0]: row[1] for row in session.execute(statement)}


def can_go_around(why: Exception) -> bool:
    """Whether the rest can be read without what could not: damaged files, and offsets of a block that lead nowhere."""
    return is_damage(why) or isinstance(getattr(why, "orig", None) or why, psycopg.DataError)


def attempt(session: Session, work: Callable[[], T]) -> T | str:
    """What some work gives; or the reason where the database's files are damaged, and then the transaction goes on."""
    try:
        with driver_of(session).transaction():
            return work()
    except (psycopg.Error, DBAPIError) as why:
        if not can_go_around(why):
            raise
        return str(getattr(why, "orig", None) or why).strip().splitlines()[0]


def again_elsewhere(work: Callable[[], T]) -> T:
    """Do some work that writes; again, up to a few times, where that met a damaged page. A new row goes to any page
    with room, and the next time to another one (PostgreSQL's free space map goes round).
    """
    for _ in range(WRITE_TRIES - 1):
        try:
            return work()
        except DatabaseDamaged:
            continue
    return work()


def walk_by_index(session: Session) -> None:
    """Until the transaction ends: walking over a whole table would meet its damaged pages every time."""
    driver_of(session).execute("set local enable_seqscan = off")


def surviving(
    session: Session, read: Callable[[int, int], T], begin_ns: int = EARLIEST_NS, end_ns: int = LATEST_NS
) -> Iterator[T | Lost]:
    """Read a range of keys (`end_ns` not included) in parts, so that only what lies on damaged pages is lost."""
    walk_by_index(session)
    waiting = [(begin_ns, end_ns)]
    lost = 0
    while waiting:
        begin, end = waiting.pop()
        found = attempt(session, lambda begin=begin, end=end: read(begin, end))  # type: ignore[misc]
        if not isinstance(found, str):
            yield found
        elif end - begin <= NARROWEST_NS or lost >= MOST_RANGES:
            lost += 1
            yield Lost(begin, end, found)
        else:
            middle = begin + (end - begin) // 2
            waiting += [(middle, end), (begin, middle)]


def as_rows(found: Iterable[list[tuple[Any, ...]] | Lost]) -> tuple[list[tuple[Any, ...]], list[Lost]]:
    """Rows and losses apart; losses that touch are one."""
    rows: list[tuple[Any, ...]] = []
    losses: list[Lost] = []
    for match in found:
        if not isinstance(match, Lost):
            rows += match
        elif losses and losses[-1].end_ns == match.begin_ns:
            losses[-1] = Lost(losses[-1].begin_ns, match.end_ns, losses[-1].reason)
        else:
            losses.append(match)
    return rows, losses
