"""What ran out, and what only looks like it."""

import time
from typing import Annotated
from uuid import UUID

from fastapi import APIRouter, Query, Request, Response

from reditus.analysis.diagnosis import diagnose_timeline
from reditus.analysis.maintenance import Task
from reditus.analysis.normal import incidents_elsewhere, with_unusual
from reditus.analysis.windows import requested_window
from reditus.core.errors import CoreError
from reditus.core.rfc3339 import TimeError
from reditus.server.cancellation import check_cancelled, run_until_disconnect
from reditus.server.context import ContextDep, StoreDep
from reditus.server.schemas import DiagnosisOut, Moment, VerdictIn
from reditus.store import StoreError

router = APIRouter(prefix="/archives/{archive_id}", tags=["diagnosis"])


@router.get("/diagnosis")
async def read_diagnosis(
    archive_id: UUID,
    request: Request,
    context: ContextDep,
    start: Annotated[Moment | None, Query(alias="from", description="RFC 3339; else the archive's beginning.")] = None,
    end: Annotated[Moment | None, Query(alias="to", description="RFC 3339; else the archive's end.")] = None,
) -> DiagnosisOut:
    """Findings and what was ruled out, over a window or the whole archive."""

    def work() -> DiagnosisOut:
        try:
            elsewhere = incidents_elsewhere(
                context.store, archive_id, context.judged, check_cancelled, context.budget.long
            )
            with context.store.reading(archive_id, check_cancelled, context.budget.long) as reader:
                window = requested_window(reader, start, end)
                found = diagnose_timeline(reader, window, context.judged)
                body = with_unusual(reader, found, elsewhere, context.judged)
                verdicts = reader.verdicts()
        except (StoreError, CoreError, TimeError):
            raise  # the request's fault, not the archive's
        except Exception as why:
            context.journal.failed(Task.JUDGING, archive_id, why)
            raise
        context.journal.succeeded(Task.JUDGING, archive_id)
        return DiagnosisOut.of(reader.scope.host_name, body.diagnosis, body.processes, verdicts)

    return await run_until_disconnect(request, work, context.lanes.long)


@router.put("/verdicts", status_code=204, response_class=Response)
def put_verdict(archive_id: UUID, body: VerdictIn, store: StoreDep) -> None:
    """Confirm a finding, dismiss it with a reason, or remark upon it. It holds for every archive of the host."""
    verdict = body.verdict(time.time_ns())
    store.verdicts.save(archive_id, verdict)
