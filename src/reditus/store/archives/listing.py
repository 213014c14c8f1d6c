"""Registering archives and listing them with what they contain, damaged ones included."""

import time
from collections.abc import Mapping, Sequence
from dataclasses import replace
from functools import partial
from typing import Any
from uuid import UUID

import structlog
from sqlalchemy import Row, Select, select
from sqlalchemy.orm import Session

from reditus.core.facts import HostFacts
from reditus.store.database import statements
from reditus.store.database.damage import attempt, count_damage
from reditus.store.database.tables import ArchiveRow, FactsRow
from reditus.store.errors import BlockConflict
from reditus.store.read.block_reader import Held
from reditus.store.read.scope import readable_facts, surviving_extents
from reditus.store.records import ArchiveInfo, HostInfo

log = structlog.get_logger()


def register_archive(
    session: Session, *, host: HostInfo, archive: UUID, name: str, source: str, facts: HostFacts
) -> None:
    """Insert an archive, or update its name and facts. Raise BlockConflict if another host has the id."""
    owner = session.scalar(select(ArchiveRow.host_id).where(ArchiveRow.id == archive))
    if owner is not None and owner != host.id:
        raise BlockConflict(f"archive {archive} belongs to another host; an archive is of one host only")
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


def list_archives(session: Session, wanted: UUID | None = None) -> list[ArchiveInfo]:
    """All archives, or one, or (given a host's id) those of a host; the one with the newest data first."""
    damage = count_damage(session)
    return [_archive_info(row, damage) for row in session.execute(statements.archives_with_contents(wanted))]


def list_readable_archives(session: Session, wanted: UUID | None = None) -> list[ArchiveInfo]:
    """The same, archive by archive, where pages of the database are damaged."""
    out: list[ArchiveInfo] = []
    ids = session.scalars(statements.archive_ids(wanted)).all()
    counted = attempt(session, lambda: count_damage(session))
    damage = {} if isinstance(counted, str) else counted
    for archive in ids:
        found = attempt(session, partial(_rows, session, statements.archives_with_contents(archive)))
        if not isinstance(found, str):
            out += [_archive_info(row, damage) for row in found if row[0].id == archive]
            continue
        log.warning("archive on damaged pages", archive=str(archive), reason=found)
        bare = session.execute(statements.archives_alone(archive)).one()
        held = surviving_extents(session, bare[0].host_id, archive)
        out.append(_damaged_info(bare[0], bare[1], held, found, damage))
    return sorted(out, key=lambda info: (-(info.last_ns or 0), info.host.name, info.name))


def _rows(session: Session, statement: Select[*tuple[Any, ...]]) -> Sequence[Row[*tuple[Any, ...]]]:
    return session.execute(statement).all()


def _damaged_info(
    archive: ArchiveRow, host_name: str, held: Sequence[Held], reason: str, damage: Mapping[UUID, int]
) -> ArchiveInfo:
    """An archive of which only a part can be read: from when to when is known, how much it holds is not."""
    return replace(
        _info(archive, host_name, damage),
        first_ns=min((extent.first_ns for extent in held), default=None),
        last_ns=max((extent.last_ns for extent in held), default=None),
        interval_ns=min((extent.interval_ns for extent in held), default=None),
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
