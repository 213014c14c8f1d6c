"""Recorders: how they do, and what they are to do."""

import time
from uuid import UUID

from fastapi import APIRouter, Response

from reditus.core.types import NS_PER_S
from reditus.server.context import StoreDep
from reditus.server.plan_schemas import AnnouncedIn, DirectIn, OrdersOut, RecorderOut
from reditus.store import HostInfo
from reditus.store.archives import plans

router = APIRouter(prefix="/recorders", tags=["recorders"])


@router.get("")
def list_recorders(store: StoreDep) -> list[RecorderOut]:
    """All recorders, with their last reports."""
    return [RecorderOut.of(info) for info in store.recorders.all()]


@router.put("/{recorder_id}")
def announce_recorder(recorder_id: UUID, body: AnnouncedIn, store: StoreDep) -> OrdersOut:
    """A recorder reports, and gets its orders."""
    announced = plans.Announced(
        recorder_id, HostInfo(body.host.id, body.host.name), body.name, body.plan, body.report.model_dump()
    )
    info, plan = store.recorders.announce(announced)
    return OrdersOut(
        plan=None if plan is None else plan.source,
        recording=info.recording,
        burst_until=info.burst_until_ns or None,
        burst_until_ns=info.burst_until_ns,
    )


@router.patch("/{recorder_id}")
def direct_recorder(recorder_id: UUID, orders: DirectIn, store: StoreDep) -> RecorderOut:
    """Stop, go on, burst, or follow another plan; the recorder hears of it within seconds."""
    changes: plans.Changes = {}
    if "plan" in orders.model_fields_set:
        changes["plan"] = orders.plan
    if orders.recording is not None:
        changes["recording"] = orders.recording
    if orders.burst_s is not None:
        changes["burst_until_ns"] = time.time_ns() + round(orders.burst_s * NS_PER_S) if orders.burst_s else 0
    return RecorderOut.of(store.recorders.update_orders(recorder_id, changes))


@router.delete("/{recorder_id}", status_code=204, response_class=Response)
def forget_recorder(recorder_id: UUID, store: StoreDep) -> None:
    """Forget a recorder; what it recorded stays. One that is still at work reports again."""
    store.recorders.delete(recorder_id)
