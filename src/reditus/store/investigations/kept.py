"""What investigations keep of archives, whatever a plan or a person removes from them."""

from collections.abc import Sequence
from uuid import UUID

from sqlalchemy import select
from sqlalchemy.orm import Session

from reditus.store.database.tables import ExhibitRow, InvestigationRow


def kept_stretches(session: Session, archives: Sequence[UUID]) -> list[tuple[int, int]]:
    """The stretches of archives that investigations keep."""
    rows = session.execute(
        select(ExhibitRow.start_ns, ExhibitRow.end_ns)
        .join(InvestigationRow, InvestigationRow.id == ExhibitRow.investigation_id)
        .where(
            ExhibitRow.archive_id.in_(archives),
            ExhibitRow.deleted_ns.is_(None),
            InvestigationRow.deleted_ns.is_(None),
            InvestigationRow.keeps,
        )
    )
    return [(start_ns, end_ns) for start_ns, end_ns in rows]
