"""Which archives an id stands for, and what they hold."""

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any, NamedTuple
from uuid import UUID

import psycopg
from sqlalchemy import func, select
from sqlalchemy.orm import Session

from reditus.core.facts import FactsError, HostFacts
from reditus.core.types import Json
from reditus.store.database import statements
from reditus.store.database.connection import binary_rows, driver_of
from reditus.store.database.damage import as_rows, attempt, can_go_around, surviving
from reditus.store.database.tables import BlockRow
from reditus.store.errors import DatabaseDamaged, UnknownArchive
from reditus.store.read.block_reader import Held


@dataclass(frozen=True)
class Scope:
    """What is read: some archives of one host, the one that counts most first where several tell of the same time."""

    host: UUID
    host_name: str
    archives: tuple[UUID, ...]
    facts: HostFacts
    name: str
    """Of the archive that was requested, or of the host."""


def archive_at(session: Session, scope: Scope, at_ns: int) -> UUID | None:
    """The archive that tells of a moment; where none does, the one that counts most."""
    if len(scope.archives) == 1:
        return scope.archives[0]
    values = {"host": scope.host, "archives": list(scope.archives), "at": at_ns}
    found = {archive for (archive,) in binary_rows(session, statements.ARCHIVES_AT, values)}
    return next((item for item in scope.archives if item in found), next(iter(scope.archives), None))


def readable_facts(stored: Any) -> tuple[HostFacts, str | None]:
    """Facts as they are stored; none, and why, where they cannot be read."""
    try:
        return HostFacts.from_json(stored), None
    except FactsError as why:
        return HostFacts(), f"what was known of the host cannot be read: {why}"


class _ArchiveOf(NamedTuple):
    host_id: UUID
    id: UUID
    facts: Json
    host_name: str
    name: str


def scope_of(session: Session, timeline: UUID) -> Scope:
    """What an id stands for: an archive, or a host and so all of its archives. Raise UnknownArchive."""
    return _scope(session, timeline, binary_rows(session, statements.ARCHIVES_OF, {"id": timeline}))


def open_timeline(session: Session, timeline: UUID, *, writes: bool) -> tuple[Scope, list[Held]]:
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
        every = [held for archive in scope.archives for held in surviving_extents(session, scope.host, archive)]
        if not every:
            raise DatabaseDamaged(
                f"nothing of {scope.host_name} can be read here: {found}; see docs/operation.md, Restoring"
            )
        return scope, sorted(every)
    rows = found
    held = [
        Held(schema, archive, *own)
        for _, archive, _, _, _, schemas, *parts in rows
        if schemas is not None
        for schema, *own in zip(schemas, *parts, strict=True)
    ]
    return _scope(session, timeline, [row[:5] for row in rows]), sorted(held)


def surviving_extents(session: Session, host: UUID, archive: UUID) -> list[Held]:
    """What an archive has, as far as it can be read."""
    out: list[Held] = []
    for (schema,) in binary_rows(session, statements.SCHEMAS_OF, {"host": host}):
        values = {"host": host, "archive": archive, "schema": schema}

        def read(begin: int, end: int, values: dict[str, Any] = values) -> list[tuple[Any, ...]]:
            return binary_rows(session, statements.HELD_BETWEEN, {**values, "begin": begin, "end": end})

        rows = [row for row in as_rows(surviving(session, read))[0] if row[0] is not None]
        if rows:
            firsts_ns, lasts_ns, intervals_ns = zip(*rows, strict=True)
            out.append(Held(schema, archive, min(firsts_ns), max(lasts_ns), min(intervals_ns)))
    return out


def _scope(session: Session, timeline: UUID, rows: Sequence[tuple[Any, ...]]) -> Scope:
    found = [_ArchiveOf(*row) for row in rows]
    if not found:
        raise UnknownArchive(timeline)
    host, host_name = found[0].host_id, found[0].host_name
    name = found[0].name if found[0].id == timeline else host_name
    if len(found) == 1:
        return Scope(host, host_name, (found[0].id,), readable_facts(found[0].facts)[0], name)
    # The finest ticks first; of equals those of the archive that goes on longest.
    ordered = session.execute(
        select(BlockRow.archive_id)
        .where(BlockRow.host_id == host, BlockRow.archive_id.in_([row.id for row in found]))
        .group_by(BlockRow.archive_id)
        .order_by(func.min(BlockRow.interval_ns), func.max(BlockRow.last_ns).desc())
    ).scalars()
    facts = {row.id: row.facts for row in found}
    archives = tuple(ordered)
    newest = readable_facts(facts[archives[0]] if archives else found[0].facts)[0]
    # What has no ticks may have lines of a log.
    every = (*archives, *(row.id for row in found if row.id not in archives))
    return Scope(host, host_name, every, newest, name)
