"""What people made of findings: confirmed, dismissed with a reason, or remarked upon."""

from uuid import UUID

from sqlalchemy import delete, select
from sqlalchemy.dialects.postgresql import insert
from sqlalchemy.orm import Session

from reditus.store.database.tables import VerdictRow
from reditus.store.read.scope import scope_of
from reditus.store.records import Verdict, VerdictState


def verdicts_of(session: Session, host_id: UUID) -> list[Verdict]:
    """The newest first."""
    rows = session.scalars(
        select(VerdictRow).where(VerdictRow.host_id == host_id).order_by(VerdictRow.decided_ns.desc())
    )
    return [_verdict(row) for row in rows]


def save_verdict(session: Session, archive: UUID, verdict: Verdict) -> None:
    """Keep a verdict in the place of what was said of the same finding before; an open one without a remark takes that
    away. Raise UnknownArchive.
    """
    host_id = scope_of(session, archive).host
    for old in verdicts_of(session, host_id):
        if old.is_of(verdict.kind, verdict.device, verdict.start_ns, verdict.end_ns):
            session.execute(
                delete(VerdictRow).where(
                    VerdictRow.host_id == host_id,
                    VerdictRow.finding_kind == old.kind,
                    VerdictRow.device == (old.device or ""),
                    VerdictRow.start_ns == old.start_ns,
                )
            )
    if verdict.state != "open" or verdict.remark:
        session.execute(
            insert(VerdictRow).values(
                host_id=host_id, finding_kind=verdict.kind, device=verdict.device or "", start_ns=verdict.start_ns,
                end_ns=verdict.end_ns, state=verdict.state, remark=verdict.remark, decided_ns=verdict.decided_ns,
            )
        )  # fmt: skip


def _verdict(row: VerdictRow) -> Verdict:
    state: VerdictState = (
        "confirmed" if row.state == "confirmed" else "dismissed" if row.state == "dismissed" else "open"
    )
    return Verdict(row.finding_kind, row.device or None, row.start_ns, row.end_ns, state, row.remark, row.decided_ns)
