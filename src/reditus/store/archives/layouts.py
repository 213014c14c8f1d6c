"""Layouts that were saved: named arrangements of strips, in an order of their own."""

import time
from collections.abc import Sequence
from dataclasses import dataclass
from uuid import UUID

from sqlalchemy import delete, func, select, update
from sqlalchemy.orm import Session

from reditus.core.types import NS_PER_S
from reditus.store.database.tables import HostRow, LayoutRow
from reditus.store.errors import TooManyLayouts, UnknownHost, UnknownLayout

MOST_LAYOUTS = 500
KEPT_S = 30 * 86_400
"""A deleted layout can be brought back for so long."""


@dataclass(frozen=True, slots=True)
class Layout:
    """A saved layout."""

    id: UUID
    name: str
    host: UUID | None
    """None: for all hosts."""
    strips: tuple[str, ...]
    """Each as a link names it (docs/layouts.md)."""


def layouts(session: Session) -> list[Layout]:
    """Those that are not deleted, in their order."""
    statement = select(LayoutRow).where(LayoutRow.deleted_ns.is_(None)).order_by(LayoutRow.place, LayoutRow.name)
    return [_layout(row) for row in session.scalars(statement)]


def save_layout(session: Session, layout: Layout) -> Layout:
    """Save a layout; a new one comes last, and one that was deleted is back. Raise UnknownHost, TooManyLayouts."""
    if layout.host is not None and session.get(HostRow, layout.host) is None:
        raise UnknownHost(layout.host)
    row = session.get(LayoutRow, layout.id, with_for_update=True)
    if row is None:
        # What was deleted long ago makes room.
        old_ns = time.time_ns() - KEPT_S * NS_PER_S
        session.execute(delete(LayoutRow).where(LayoutRow.deleted_ns < old_ns))
        count, last = session.execute(select(func.count(), func.max(LayoutRow.place))).one()
        if count >= MOST_LAYOUTS:
            raise TooManyLayouts(MOST_LAYOUTS)
        row = LayoutRow(id=layout.id, place=(last or 0) + 1)
        session.add(row)
    row.name, row.host_id, row.strips, row.deleted_ns = layout.name, layout.host, list(layout.strips), None
    session.flush()
    return _layout(row)


def delete_layout(session: Session, layout: UUID) -> None:
    """Delete a layout; `restore_layout` brings it back. Raise UnknownLayout."""
    _there(session, layout).deleted_ns = time.time_ns()
    session.flush()


def restore_layout(session: Session, layout: UUID) -> Layout:
    """Bring a deleted layout back. Raise UnknownLayout where it is too late."""
    row = _there(session, layout)
    row.deleted_ns = None
    session.flush()
    return _layout(row)


def order_layouts(session: Session, ordered: Sequence[UUID]) -> list[Layout]:
    """Put layouts in this order, in front of those that are not named. Return all of them."""
    session.execute(update(LayoutRow).values(place=LayoutRow.place + len(ordered)))
    for place, layout in enumerate(ordered):
        session.execute(update(LayoutRow).where(LayoutRow.id == layout).values(place=place))
    session.flush()
    return layouts(session)


def _there(session: Session, layout: UUID) -> LayoutRow:
    row = session.get(LayoutRow, layout, with_for_update=True)
    if row is None:
        raise UnknownLayout(layout)
    return row


def _layout(row: LayoutRow) -> Layout:
    return Layout(row.id, row.name, row.host_id, tuple(row.strips))
