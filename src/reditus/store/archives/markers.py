"""Markers in the database."""

from collections.abc import Sequence
from uuid import UUID

from sqlalchemy import func, or_, select
from sqlalchemy.dialects.postgresql import insert
from sqlalchemy.orm import Session

from reditus.core.markers import SEVERITIES, Marker
from reditus.core.window import Window
from reditus.store.database.tables import MarkerRow
from reditus.store.errors import UnknownArchive
from reditus.store.read.scope import archive_at, scope_of
from reditus.store.records import Found


def put_markers(session: Session, host_id: UUID, archive: UUID, markers: Sequence[Marker]) -> None:
    """Keep markers; one that is reported again takes the place of the first."""
    last = {marker.ident: marker for marker in markers}
    if not last:
        return
    values = [
        {
            "host_id": host_id,
            "archive_id": archive,
            "ident": item.ident,
            "at_ns": item.at_ns,
            "end_ns": item.end_ns,
            "kind": item.kind,
            "severity": None if item.severity is None else SEVERITIES.index(item.severity),
            "source": item.source,
            "text": item.text,
        }
        for item in last.values()
    ]
    statement = insert(MarkerRow)
    key = ("host_id", "archive_id", "ident")
    changed = {name: statement.excluded[name] for name in values[0] if name not in key}
    session.execute(statement.on_conflict_do_update(index_elements=list(key), set_=changed), values)


def add_markers(session: Session, archive: UUID, markers: Sequence[Marker]) -> None:
    """Raise UnknownArchive. Given a host's id, each marker goes to the archive that tells of its time."""
    scope = scope_of(session, archive)
    if scope.host != archive:
        put_markers(session, scope.host, archive, markers)
        return
    for marker in markers:
        home = archive_at(session, scope, marker.at_ns)
        if home is None:
            raise UnknownArchive(archive)
        put_markers(session, scope.host, home, [marker])


def read_markers(session: Session, archive: UUID, window: Window, *, worse_than: str, limit: int) -> Found:
    """What is marked in a window: remarks, gaps, and lines as bad as a severity. Raise UnknownArchive."""
    scope = scope_of(session, archive)
    chosen = (
        select(MarkerRow)
        .where(
            MarkerRow.host_id == scope.host,
            MarkerRow.archive_id.in_(scope.archives),
            MarkerRow.at_ns <= window.end_ns,
            func.coalesce(MarkerRow.end_ns, MarkerRow.at_ns) >= window.start_ns,
            or_(MarkerRow.severity.is_(None), MarkerRow.severity <= SEVERITIES.index(worse_than)),
        )
        .order_by(func.coalesce(MarkerRow.severity, -1), MarkerRow.at_ns)
    )
    total = session.scalar(select(func.count()).select_from(chosen.order_by(None).subquery())) or 0
    rows = session.scalars(chosen.limit(limit)).all()
    return Found(sorted(map(_marker, rows), key=lambda item: item.at_ns), total)


def _marker(row: MarkerRow) -> Marker:
    severity = None if row.severity is None else SEVERITIES[row.severity]
    return Marker(row.ident, row.at_ns, row.kind, row.text, row.source, severity, row.end_ns)
