"""Markers in the database."""

from collections.abc import Sequence
from uuid import UUID

from sqlalchemy import func, select
from sqlalchemy.dialects.postgresql import insert
from sqlalchemy.orm import Session

from reditus.core.markers import SEVERITIES, Marker
from reditus.core.window import Window
from reditus.store.archives.log_lines import LineChoice, lines_near, of_scope
from reditus.store.database.tables import MarkerRow
from reditus.store.errors import UnknownArchive
from reditus.store.read.scope import archive_at, scope_of
from reditus.store.records import Found

MOST_A_STATEMENT = 5_000


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
            "log": item.lane,
            "text": item.text,
        }
        for item in last.values()
    ]
    statement = insert(MarkerRow)
    key = ("host_id", "archive_id", "ident")
    changed = {name: statement.excluded[name] for name in values[0] if name not in key}
    for at in range(0, len(values), MOST_A_STATEMENT):
        part = values[at : at + MOST_A_STATEMENT]
        session.execute(statement.on_conflict_do_update(index_elements=list(key), set_=changed), part)


def add_markers(session: Session, archive: UUID, markers: Sequence[Marker]) -> None:
    """Raise UnknownArchive. Given a host's id, each marker goes to the archive that tells of its time."""
    scope = scope_of(session, archive)
    if scope.host != archive:
        put_markers(session, scope.host, archive, markers)
        return
    homes: dict[UUID, list[Marker]] = {}
    for marker in markers:
        home = archive_at(session, scope, marker.at_ns)
        if home is None:
            raise UnknownArchive(archive)
        homes.setdefault(home, []).append(marker)
    for home, own in homes.items():
        put_markers(session, scope.host, home, own)


def read_markers(session: Session, archive: UUID, window: Window, choice: LineChoice, limit: int) -> Found:
    """What is marked in a window: remarks, gaps, and the lines that are chosen. Raise UnknownArchive."""
    scope = scope_of(session, archive)
    chosen = of_scope(scope).where(
        MarkerRow.at_ns <= window.end_ns,
        func.coalesce(MarkerRow.end_ns, MarkerRow.at_ns) >= window.start_ns,
        *choice.conditions,
    )
    total = session.scalar(select(func.count()).select_from(chosen.subquery())) or 0
    worst_first = chosen.order_by(func.coalesce(MarkerRow.severity, -1), MarkerRow.at_ns)
    rows = session.scalars(worst_first.limit(limit)).all()
    return Found(sorted(map(_marker, rows), key=lambda item: item.at_ns), total)


def read_lines(session: Session, archive: UUID, at_ns: int, choice: LineChoice, limit: int) -> list[Marker]:
    """Lines of logs around a moment, in the order of time. Raise UnknownArchive."""
    return [_marker(row) for row in lines_near(session, scope_of(session, archive), at_ns, choice, limit)]


def _marker(row: MarkerRow) -> Marker:
    severity = None if row.severity is None else SEVERITIES[row.severity]
    return Marker(row.ident, row.at_ns, row.kind, row.text, row.source, severity, row.end_ns, row.log)
