"""What a bundle takes of archives and puts into archives of its own: blocks of a window, and what stands beside."""

import secrets
import time
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, replace
from typing import Any
from uuid import UUID

from sqlalchemy import select
from sqlalchemy.orm import Session

from reditus.core.blocks import Block
from reditus.core.errors import BlockError
from reditus.core.facts import HostFacts
from reditus.core.identities import Identities
from reditus.core.markers import Marker
from reditus.core.schema import Schema
from reditus.core.window import Window
from reditus.store.archives.compaction import block_of
from reditus.store.archives.device_names import names_of
from reditus.store.archives.lifecycle import BUNDLE_SOURCE, cut
from reditus.store.archives.markers import put_markers
from reditus.store.archives.transfer import (
    block_rows,
    facts_of,
    identities_of,
    markers_of,
    put_names,
    put_schemas,
    schemas_of,
)
from reditus.store.database import statements
from reditus.store.database.binary_copy import copy_rows
from reditus.store.database.connection import ask
from reditus.store.database.tables import (
    ArchiveRow,
    ExhibitRow,
    FactsRow,
    HostRow,
    InvestigationRow,
    SettingRow,
)
from reditus.store.investigations.documents import add_exhibit, open_investigation
from reditus.store.investigations.records import Exhibit, Investigation
from reditus.store.read.scope import scope_of

KEY_NAME, KEY_BYTES = "pseudonym key", 32


@dataclass(frozen=True, slots=True)
class ArchiveStretch:
    """A window of an archive."""

    host: UUID
    host_name: str
    archive: UUID
    name: str
    source: str
    facts: Sequence[tuple[int, HostFacts]]
    """With the time since when they hold, oldest first."""
    schemas: Sequence[Schema]
    blocks: Sequence[Block]
    identities: Sequence[Identities]
    markers: Sequence[Marker]
    device_names: Mapping[str, Mapping[str, str]] = field(default_factory=dict)
    damaged: int = 0
    """Blocks that could not be read and are left out."""


@dataclass(frozen=True, slots=True)
class Stretch:
    """A window of a timeline: of an archive, or of each archive of a host."""

    archives: Sequence[ArchiveStretch]


def read_stretch(session: Session, timeline: UUID, window: Window) -> Stretch:
    """What there is of a window. Raise UnknownArchive."""
    scope = scope_of(session, timeline)
    rows = session.execute(
        select(ArchiveRow, HostRow.name)
        .join(HostRow, HostRow.id == ArchiveRow.host_id)
        .where(ArchiveRow.host_id == scope.host, ArchiveRow.id.in_(scope.archives))
    ).all()
    found = [_of_archive(session, row, host_name, window) for row, host_name in rows]
    return Stretch([item for item in found if item.blocks or timeline == item.archive])


def _of_archive(session: Session, row: ArchiveRow, host_name: str, window: Window) -> ArchiveStretch:
    host, archive = row.host_id, row.id
    cuts: list[tuple[int, Block]] = []
    damaged = 0
    for block_row in block_rows(session, host, archive, window):
        try:
            kept = cut(block_of(block_row), window)
        except BlockError:
            damaged += 1
            continue
        if kept is not None:
            cuts.append((block_row.schema_id, kept))
    schemas = schemas_of(session, host, sorted({schema for schema, _ in cuts}))
    return ArchiveStretch(
        host=host,
        host_name=host_name,
        archive=archive,
        name=row.name,
        source=row.source,
        facts=facts_of(session, host, archive),
        schemas=list(schemas.values()),
        blocks=[replace(block, schema=schemas[schema].digest) for schema, block in cuts],
        identities=identities_of(session, host, archive, {block.boot for _, block in cuts}),
        markers=markers_of(session, host, archive, window),
        device_names=names_of(session, host),
        damaged=damaged,
    )


def write_bundle(
    session: Session,
    investigation: UUID,
    fields: Mapping[str, Any],
    origin: Mapping[str, Any],
    parts: tuple[Sequence[ArchiveStretch], Sequence[Exhibit]],
) -> Investigation:
    """Put an investigation with its exhibits and archives in place, all or nothing; one that is there already is
    replaced. Raise BlockConflict where a block does not fit.
    """
    stretches, exhibits = parts
    old = session.get(InvestigationRow, investigation, with_for_update=True)
    if old is not None:
        for pinned in session.scalars(select(ExhibitRow).where(ExhibitRow.investigation_id == investigation)):
            session.delete(pinned)
        session.flush()
        session.delete(old)
        session.flush()
    for stretch in stretches:
        _put_archive(session, stretch)
    open_investigation(session, investigation, fields, origin)
    for exhibit in exhibits:
        add_exhibit(session, exhibit, frozen_too=True)
    row = session.get(InvestigationRow, investigation)
    assert row is not None
    return Investigation(
        row.id, dict(row.fields), row.version, row.keeps, row.origin, row.created_ns, row.changed_ns, len(exhibits)
    )


def _put_archive(session: Session, stretch: ArchiveStretch) -> None:
    if session.scalar(select(ArchiveRow.id).where(ArchiveRow.id == stretch.archive)) is not None:
        return  # of the same bundle, opened before: archives of a bundle are never changed
    session.execute(statements.upsert_host(stretch.host, stretch.host_name))
    newest = stretch.facts[-1][1] if stretch.facts else HostFacts()
    session.add(
        ArchiveRow(
            host_id=stretch.host, id=stretch.archive, name=stretch.name, source=BUNDLE_SOURCE, facts=newest.as_json(),
            created_ns=time.time_ns(), notes="", protected=True,
        )
    )  # fmt: skip
    session.flush()
    for since_ns, facts in stretch.facts:
        session.add(
            FactsRow(host_id=stretch.host, archive_id=stretch.archive, since_ns=since_ns, facts=facts.as_json())
        )
    ids = put_schemas(session, stretch.host, stretch.schemas)
    session.flush()
    copy_rows(session, [(stretch.host, ids[block.schema], block) for block in stretch.blocks])
    for identities in stretch.identities:
        ask(session, statements.UPSERT_PROCESSES, statements.processes_of(stretch.host, identities))
    put_markers(session, stretch.host, stretch.archive, stretch.markers)
    put_names(session, stretch.host, stretch.device_names)
    session.flush()


def pseudonym_key(session: Session) -> bytes:
    """The key by which this server makes substitutes for names; made at first use, and never handed out."""
    row = session.get(SettingRow, KEY_NAME, with_for_update=True)
    if row is None:
        row = SettingRow(name=KEY_NAME, content={"hex": secrets.token_hex(KEY_BYTES)})
        session.add(row)
        session.flush()
    return bytes.fromhex(row.content["hex"])
