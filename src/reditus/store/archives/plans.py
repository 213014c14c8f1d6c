"""Plans and recorders in the database."""

import time
from collections.abc import Sequence
from dataclasses import dataclass
from typing import TypedDict
from uuid import UUID

from sqlalchemy import delete, not_, select
from sqlalchemy.dialects.postgresql import insert
from sqlalchemy.orm import Session

from reditus.core.markers import Marker
from reditus.core.plan import Plan, PlanError
from reditus.core.reports import upgraded
from reditus.core.rfc3339 import parse_instant
from reditus.core.types import Json
from reditus.store.archives.markers import put_markers
from reditus.store.database.tables import ArchiveRow, BlockRow, DamageRow, MarkerRow, PlanRow, RecorderRow
from reditus.store.errors import PlanInUse, UnknownPlan, UnknownRecorder
from reditus.store.investigations.kept import kept_stretches
from reditus.store.records import HostInfo
from reditus.store.rollups.table import truncate_rollups


@dataclass(frozen=True, slots=True)
class PlanInfo:
    """A plan as stored, and who follows it."""

    name: str
    content: Json
    """As it was written."""
    changed_ns: int
    recorders: tuple[str, ...]
    """`HOST: NAME` of those that follow it."""
    trouble: str | None = None
    """Why it cannot be followed, if it was damaged."""


@dataclass(frozen=True, slots=True)
class RecorderInfo:
    """A recorder's last report, and its orders."""

    id: UUID
    host: HostInfo
    name: str
    plan: str | None
    recording: bool
    burst_until_ns: int
    reported_ns: int
    report: Json


class Changes(TypedDict, total=False):
    """New orders; what is not named stays."""

    plan: str | None
    recording: bool
    burst_until_ns: int


@dataclass(frozen=True, slots=True)
class Announced:
    """What a recorder tells of itself."""

    id: UUID
    host: HostInfo
    name: str
    plan: str | None
    """The plan it was started with; what was chosen later on the server counts more."""
    report: Json


def plans(session: Session) -> list[PlanInfo]:
    """All plans, by name."""
    following: dict[str, list[str]] = {}
    for row in session.scalars(select(RecorderRow).where(RecorderRow.plan.is_not(None))):
        following.setdefault(str(row.plan), []).append(f"{row.host_name}: {row.name}")
    out: list[PlanInfo] = []
    for stored in session.scalars(select(PlanRow).order_by(PlanRow.name)):
        trouble = None
        try:
            Plan.from_json(stored.content)
        except PlanError as why:
            trouble = f"what is stored of it cannot be read: {why}"
        followers = tuple(sorted(following.get(stored.name, [])))
        out.append(PlanInfo(stored.name, stored.content, stored.changed_ns, followers, trouble))
    return out


def plan_named(session: Session, name: str) -> PlanInfo:
    """Raise UnknownPlan."""
    found = next((info for info in plans(session) if info.name == name), None)
    if found is None:
        raise UnknownPlan(name, _names(session))
    return found


def put_plan(session: Session, plan: Plan) -> None:
    """Insert or replace the plan of this name."""
    values = {"name": plan.name, "content": plan.source, "changed_ns": time.time_ns()}
    statement = insert(PlanRow).values(**values)
    session.execute(statement.on_conflict_do_update(index_elements=["name"], set_=values))


def remove_plan(session: Session, name: str) -> None:
    """Raise PlanInUse while a recorder follows it."""
    followers = session.scalars(select(RecorderRow.name).where(RecorderRow.plan == name)).all()
    if followers:
        raise PlanInUse(name, followers)
    if session.execute(delete(PlanRow).where(PlanRow.name == name).returning(PlanRow.name)).first() is None:
        raise UnknownPlan(name, _names(session))


def recorders(session: Session) -> list[RecorderInfo]:
    """All recorders, by host and name."""
    rows = session.scalars(select(RecorderRow).order_by(RecorderRow.host_name, RecorderRow.name))
    return [_info(row) for row in rows]


def recorders_with_plans(session: Session) -> list[UUID]:
    """The recorders whose archives may expire."""
    return list(session.scalars(select(RecorderRow.id).where(RecorderRow.plan.is_not(None))))


def announce(session: Session, announced: Announced) -> tuple[RecorderInfo, Plan | None]:
    """Keep a recorder's report, and return its orders. Raise UnknownPlan for a plan that there is not."""
    row = _row(session, announced.id)
    if row is None:
        if announced.plan is not None:
            _plan(session, announced.plan)
        row = RecorderRow(
            id=announced.id, host_id=announced.host.id, recording=True, burst_until_ns=0, plan=announced.plan
        )
        session.add(row)
    elif announced.plan is not None and announced.report.get("started") != upgraded(row.report).get("started"):
        # Started again, with a plan named: that is the last word.
        _plan(session, announced.plan)
        row.plan = announced.plan
    row.host_name, row.name = announced.host.name, announced.name
    more_dropped = announced.report.get("dropped") != upgraded(row.report or {}).get("dropped")
    row.report, row.reported_ns = announced.report, time.time_ns()
    session.flush()
    if more_dropped:
        _mark_dropped(session, announced)
    return _info(row), None if row.plan is None else _plan(session, row.plan)


def _mark_dropped(session: Session, announced: Announced) -> None:
    """What the recorder had to drop unsent is a gap with a reason, where charts can show it."""
    host_id = session.scalar(select(ArchiveRow.host_id).where(ArchiveRow.id == announced.id))
    if host_id is not None:
        put_markers(session, host_id, announced.id, [_gap(item) for item in announced.report.get("dropped", ())])


def _gap(announced: Json) -> Marker:
    at_ns, end_ns = (parse_instant(announced[key]) for key in ("start", "end"))
    return Marker(f"gap/{at_ns}", at_ns, "gap", announced["reason"], "recorder", end_ns=end_ns)


def update_orders(session: Session, recorder: UUID, changes: Changes) -> RecorderInfo:
    """Change a recorder's orders. Raise UnknownRecorder or UnknownPlan."""
    row = _row(session, recorder)
    if row is None:
        raise UnknownRecorder(recorder)
    if changes.get("plan") is not None:
        _plan(session, str(changes["plan"]))
    for order, value in changes.items():
        setattr(row, order, value)
    session.flush()
    return _info(row)


def delete_recorder(session: Session, recorder: UUID) -> None:
    """Delete a recorder; what it recorded stays. Raise UnknownRecorder."""
    gone = session.execute(delete(RecorderRow).where(RecorderRow.id == recorder).returning(RecorderRow.id)).first()
    if gone is None:
        raise UnknownRecorder(recorder)


def expire_recorder(session: Session, recorder: UUID, now_ns: int) -> int:
    """Remove a recorder's blocks that are older than its plan keeps them, but for what an investigation keeps. Return
    how many.
    """
    row = session.scalar(select(RecorderRow).where(RecorderRow.id == recorder, RecorderRow.plan.is_not(None)))
    if row is None:
        return 0
    keep_ns = _plan(session, str(row.plan)).keep_ns
    archive = session.scalar(select(ArchiveRow).where(ArchiveRow.id == recorder).with_for_update())
    if keep_ns is None or archive is None or archive.protected:
        return 0
    host_id, before_ns = archive.host_id, now_ns - keep_ns
    old = delete(BlockRow).where(
        BlockRow.host_id == host_id, BlockRow.archive_id == recorder, BlockRow.last_ns < before_ns
    )
    kept = kept_stretches(session, [recorder, host_id])
    for start_ns, end_ns in kept:
        old = old.where(not_((BlockRow.first_ns < end_ns) & (BlockRow.last_ns >= start_ns)))
    removed = len(session.execute(old.returning(BlockRow.first_ns)).all())
    if removed:
        truncate_rollups(session, host_id, recorder)
    for table, at_ns in ((MarkerRow, MarkerRow.at_ns), (DamageRow, DamageRow.last_ns)):
        gone = delete(table).where(table.host_id == host_id, table.archive_id == recorder, at_ns < before_ns)
        for start_ns, end_ns in kept:
            gone = gone.where(not_((at_ns >= start_ns) & (at_ns < end_ns)))
        session.execute(gone)
    return removed


def _row(session: Session, recorder: UUID) -> RecorderRow | None:
    return session.scalar(select(RecorderRow).where(RecorderRow.id == recorder).with_for_update())


def _plan(session: Session, name: str) -> Plan:
    row = session.get(PlanRow, name)
    if row is None:
        raise UnknownPlan(name, _names(session))
    return Plan.from_json(row.content)


def _names(session: Session) -> Sequence[str]:
    return session.scalars(select(PlanRow.name).order_by(PlanRow.name)).all()


def _info(row: RecorderRow) -> RecorderInfo:
    return RecorderInfo(
        row.id,
        HostInfo(row.host_id, row.host_name),
        row.name,
        row.plan,
        row.recording,
        row.burst_until_ns,
        row.reported_ns,
        row.report,
    )
