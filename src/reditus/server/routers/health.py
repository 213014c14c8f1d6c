"""Whether the server can keep and read anything, how its background work does, and what is damaged."""

from typing import Literal
from uuid import UUID

import anyio
from anyio import to_thread
from fastapi import APIRouter, Request, Response

from reditus import __version__
from reditus.analysis.maintenance import TaskReport
from reditus.server.cancellation import run_until_disconnect
from reditus.server.context import ContextDep, StoreDep
from reditus.server.schemas import CheckIn, CheckOut, DamageOut, FailingOut, FlawOut, HealthOut, TaskOut
from reditus.store import DatabaseUnavailable
from reditus.store.records import CheckPosition, Flaw

router = APIRouter(tags=["health"])

ANSWER_S = 2.0
"""A database that has not answered for so long is away, whatever it does."""
CHECKED_AT_ONCE = 256
Status = Literal["ok", "disk full", "database away", "damaged", "work overdue"]


@router.get("/health", responses={503: {"model": HealthOut, "description": "Database unavailable."}})
async def read_health(context: ContextDep, response: Response) -> HealthOut:
    """Status 200 when all is well, or when only a part is not; 503 while the database is away."""
    store = context.store
    tasks = [_task(report) for report in context.journal.reports()]
    reason: str | None = f"the database has not answered for {ANSWER_S:g} s"
    damaged: dict[UUID, int] = {}
    with anyio.move_on_after(ANSWER_S):
        try:
            # Given up after a while; the thread ends whenever the database does answer.
            damaged = await to_thread.run_sync(store.check, limiter=context.lanes.health, abandon_on_cancel=True)
            reason = None
        except DatabaseUnavailable as why:
            reason = str(why)
    status: Status = "ok"
    detail: str | None = None
    if reason is not None:
        response.status_code = 503
        status, detail = "database away", reason
    elif store.full is not None:
        status, detail = "disk full", store.full
    elif damaged or store.damaged is not None:
        status, detail = "damaged", "; ".join(filter(None, (_counted(damaged), store.damaged)))
    elif late := [item.task for item in tasks if item.overdue or item.failing]:
        status, detail = "work overdue", f"{', '.join(late)}: see tasks"
    return HealthOut(
        status=status,
        version=__version__,
        detail=detail,
        tasks=tasks,
        damaged_archives={str(archive): count for archive, count in damaged.items()},
    )


def _counted(damaged: dict[UUID, int]) -> str | None:
    blocks, archives = sum(damaged.values()), len(damaged)
    if not blocks:
        return None
    which = "1 block is damaged" if blocks == 1 else f"{blocks} blocks are damaged"
    return f"{which}, of {'1 archive' if archives == 1 else f'{archives} archives'}; ./reditus check says more"


@router.get("/damage")
def list_damage(store: StoreDep) -> list[DamageOut]:
    """Everything that is known to be damaged, in the order of time."""
    return [DamageOut.of(item) for item in store.archives.damage()]


@router.get("/archives/{archive_id}/damage")
def list_damage_of_archive(archive_id: UUID, store: StoreDep) -> list[DamageOut]:
    """What is known to be damaged of an archive, or of all archives of a host."""
    return [DamageOut.of(item) for item in store.archives.damage(archive_id)]


@router.post("/archives/{archive_id}/check")
async def check_archive(archive_id: UUID, body: CheckIn, request: Request, context: ContextDep) -> CheckOut:
    """Read and decode the next few hundred blocks of an archive, and note which are damaged. Go on from `next` until it
    is null.
    """

    def work() -> CheckOut:
        found = context.store.archives.verify(archive_id, CheckPosition(body.schema_id, body.after_ns), CHECKED_AT_ONCE)
        following = None if found.next is None else CheckIn(schema_id=found.next.schema, after_ns=found.next.after_ns)
        return CheckOut(checked=found.checked, size_bytes=found.size_bytes, damaged=len(found.damage), next=following)

    return await run_until_disconnect(request, work, context.lanes.long)


@router.post("/archives/{archive_id}/check-rollups")
async def check_rollups(archive_id: UUID, request: Request, context: ContextDep) -> list[FlawOut]:
    """Verify what was computed beforehand for long windows."""
    return await run_until_disconnect(
        request, lambda: _flaws(context.store.archives.verify_rollups(archive_id)), context.lanes.long
    )


@router.post("/check-tables")
async def check_tables(request: Request, context: ContextDep) -> list[FlawOut]:
    """Read every row of every table but the blocks."""
    return await run_until_disconnect(
        request, lambda: _flaws(context.store.archives.verify_tables()), context.lanes.long
    )


def _flaws(flaws: list[Flaw]) -> list[FlawOut]:
    return [FlawOut(where=flaw.where, reason=flaw.reason, remedy=flaw.remedy) for flaw in flaws]


def _task(report: TaskReport) -> TaskOut:
    return TaskOut(
        task=report.task.value,
        last_success=report.last_success_ns,
        overdue=report.overdue,
        failing=[
            FailingOut(
                archive=str(item.archive),
                reason=item.reason,
                since=item.since_ns,
                times=item.times,
                retry=item.retry_ns,
            )
            for item in report.failing
        ],
    )
