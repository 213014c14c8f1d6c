"""Whose archive it is: every key begins with the host."""

from uuid import UUID

from sqlalchemy import select
from sqlalchemy.orm import Session

from reditus.store.database.tables import ArchiveRow
from reditus.store.errors import UnknownArchive


def host_of(session: Session, archive: UUID, *, lock: bool = False) -> UUID:
    """The archive's host; with `lock` no other transaction appends to the archive or compacts it until the transaction
    ends. Raise UnknownArchive.
    """
    statement = select(ArchiveRow.host_id).where(ArchiveRow.id == archive)
    host_id = session.scalar(statement.with_for_update() if lock else statement)
    if host_id is None:
        raise UnknownArchive(archive)
    return host_id
