"""Investigations in the database. Each field has the version in which it was last changed: two people who change
different fields do not meet, and who changes one that another person changed meanwhile learns so before anything is
lost.
"""

import time
from collections.abc import Mapping
from typing import Any
from uuid import UUID

from sqlalchemy import ColumnElement, delete, func, select
from sqlalchemy.orm import Session

from reditus.core.types import NS_PER_S
from reditus.store.database.tables import ExhibitRow, InvestigationRow
from reditus.store.investigations.records import (
    KEPT_S,
    MOST_EXHIBITS,
    MOST_INVESTIGATIONS,
    ChangedMeanwhile,
    Exhibit,
    Investigation,
    ReadOnlyInvestigation,
    TooManyInvestigations,
    UnknownExhibit,
    UnknownInvestigation,
)

REMOVED = None
"""The value of a field that is to be removed."""


def investigations(session: Session) -> list[Investigation]:
    """Those that are not deleted, the one that was changed last first."""
    counts = _counts(session)
    rows = session.scalars(
        select(InvestigationRow)
        .where(InvestigationRow.deleted_ns.is_(None))
        .order_by(InvestigationRow.changed_ns.desc(), InvestigationRow.id)
    )
    return [_record(row, counts.get(row.id, 0)) for row in rows]


def investigation(session: Session, wanted: UUID) -> Investigation:
    """Raise UnknownInvestigation."""
    row = _there(session, wanted, lock=False)
    return _record(row, _counts(session, ExhibitRow.investigation_id == wanted).get(wanted, 0))


def open_investigation(
    session: Session, made: UUID, fields: Mapping[str, Any], origin: Mapping[str, Any] | None = None
) -> Investigation:
    """A new one; of an id that is there already, that one as it is. Raise TooManyInvestigations, and
    UnknownInvestigation for one that was deleted.
    """
    now_ns = time.time_ns()
    _forget(session, now_ns)
    row = session.get(InvestigationRow, made, with_for_update=True)
    if row is None:
        count = session.scalar(select(func.count()).select_from(InvestigationRow)) or 0
        if count >= MOST_INVESTIGATIONS:
            raise TooManyInvestigations(
                f"{MOST_INVESTIGATIONS} investigations are kept, and no more; delete some first"
            )
        row = InvestigationRow(
            id=made,
            fields={name: value for name, value in fields.items() if value is not REMOVED},
            touched=dict.fromkeys(fields, 1),
            version=1,
            keeps=False,
            origin=None if origin is None else dict(origin),
            created_ns=now_ns,
            changed_ns=now_ns,
        )
        session.add(row)
        session.flush()
    return investigation(session, made)


def change_investigation(session: Session, wanted: UUID, version: int, changes: Mapping[str, Any]) -> Investigation:
    """Set fields, of which the writer had seen what they were in `version`; None removes one. Raise
    UnknownInvestigation, ReadOnlyInvestigation, or ChangedMeanwhile, and then nothing is written.
    """
    row = _there(session, wanted)
    if row.origin is not None:
        raise ReadOnlyInvestigation
    later = {
        name: row.fields.get(name)
        for name, value in changes.items()
        if row.touched.get(name, 0) > version and row.fields.get(name) != value
    }
    if later:
        raise ChangedMeanwhile(_record(row, 0), later)
    changed = {name: value for name, value in changes.items() if row.fields.get(name) != value}
    if changed:
        row.version += 1
        kept = {name: value for name, value in row.fields.items() if name not in changed}
        row.fields = kept | {name: value for name, value in changed.items() if value is not REMOVED}
        row.touched = {**row.touched, **dict.fromkeys(changed, row.version)}
        row.changed_ns = time.time_ns()
        session.flush()
    return investigation(session, wanted)


def keep_archives(session: Session, wanted: UUID, *, keeps: bool) -> Investigation:
    """Whether what the exhibits stand on stays in the archives. Raise UnknownInvestigation."""
    _there(session, wanted).keeps = keeps
    session.flush()
    return investigation(session, wanted)


def delete_investigation(session: Session, wanted: UUID) -> None:
    """`restore_investigation` brings it back. Raise UnknownInvestigation."""
    _there(session, wanted).deleted_ns = time.time_ns()
    session.flush()


def restore_investigation(session: Session, wanted: UUID) -> Investigation:
    """Bring a deleted one back. Raise UnknownInvestigation where it is too late."""
    row = session.get(InvestigationRow, wanted, with_for_update=True)
    if row is None:
        raise UnknownInvestigation(wanted)
    row.deleted_ns = None
    session.flush()
    return investigation(session, wanted)


def add_exhibit(session: Session, exhibit: Exhibit, *, frozen_too: bool = False) -> None:
    """Pin an exhibit; one of that id that is there already stays as it is. `frozen_too`: to what came in a bundle as
    well. Raise UnknownInvestigation, ReadOnlyInvestigation, TooManyInvestigations.
    """
    row = _there(session, exhibit.investigation)
    if row.origin is not None and not frozen_too:
        raise ReadOnlyInvestigation
    if session.get(ExhibitRow, exhibit.id) is not None:
        return
    counted = select(func.count()).where(ExhibitRow.investigation_id == exhibit.investigation)
    if (session.scalar(counted.where(ExhibitRow.deleted_ns.is_(None))) or 0) >= MOST_EXHIBITS:
        raise TooManyInvestigations(f"an investigation has at most {MOST_EXHIBITS} exhibits; remove some first")
    session.add(
        ExhibitRow(
            id=exhibit.id,
            investigation_id=exhibit.investigation,
            archive_id=exhibit.archive,
            start_ns=exhibit.start_ns,
            end_ns=exhibit.end_ns,
            content=exhibit.content,
            pictures=list(exhibit.pictures),
            checksum=exhibit.checksum,
            pinned_ns=exhibit.pinned_ns,
        )
    )
    row.changed_ns = time.time_ns()
    session.flush()


def exhibits(session: Session, wanted: UUID) -> list[Exhibit]:
    """Of an investigation, in the order in which they were pinned. Raise UnknownInvestigation."""
    _there(session, wanted, lock=False)
    rows = session.scalars(
        select(ExhibitRow)
        .where(ExhibitRow.investigation_id == wanted, ExhibitRow.deleted_ns.is_(None))
        .order_by(ExhibitRow.pinned_ns, ExhibitRow.id)
    )
    return [_exhibit(row) for row in rows]


def exhibit(session: Session, wanted: UUID) -> Exhibit:
    """Raise UnknownExhibit."""
    row = session.get(ExhibitRow, wanted)
    if row is None or row.deleted_ns is not None:
        raise UnknownExhibit(wanted)
    return _exhibit(row)


def remove_exhibit(session: Session, wanted: UUID, *, back: bool = False) -> None:
    """Take an exhibit away, or bring it back. Raise UnknownExhibit, ReadOnlyInvestigation."""
    row = session.get(ExhibitRow, wanted, with_for_update=True)
    if row is None:
        raise UnknownExhibit(wanted)
    if _there(session, row.investigation_id).origin is not None:
        raise ReadOnlyInvestigation
    row.deleted_ns = None if back else time.time_ns()
    session.flush()


def _there(session: Session, wanted: UUID, *, lock: bool = True) -> InvestigationRow:
    row = session.get(InvestigationRow, wanted, with_for_update=lock)
    if row is None or row.deleted_ns is not None:
        raise UnknownInvestigation(wanted)
    return row


def _counts(session: Session, *where: ColumnElement[bool]) -> dict[UUID, int]:
    rows = session.execute(
        select(ExhibitRow.investigation_id, func.count())
        .where(ExhibitRow.deleted_ns.is_(None), *where)
        .group_by(ExhibitRow.investigation_id)
    )
    return {row[0]: row[1] for row in rows}


def _forget(session: Session, now_ns: int) -> None:
    """What was deleted long ago makes room."""
    old_ns = now_ns - KEPT_S * NS_PER_S
    old = select(InvestigationRow.id).where(InvestigationRow.deleted_ns < old_ns)
    session.execute(delete(ExhibitRow).where((ExhibitRow.deleted_ns < old_ns) | ExhibitRow.investigation_id.in_(old)))
    session.execute(delete(InvestigationRow).where(InvestigationRow.deleted_ns < old_ns))


def _record(row: InvestigationRow, count: int) -> Investigation:
    return Investigation(
        row.id, dict(row.fields), row.version, row.keeps, row.origin, row.created_ns, row.changed_ns, count
    )


def _exhibit(row: ExhibitRow) -> Exhibit:
    return Exhibit(
        row.id, row.investigation_id, row.archive_id, row.start_ns, row.end_ns, row.content, tuple(row.pictures),
        row.checksum, row.pinned_ns,
    )  # fmt: skip
