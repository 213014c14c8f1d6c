"""What ran out, and what only looks like it."""

import time
from typing import Annotated
from uuid import UUID

from fastapi import APIRouter, Query, Request, Response

from reditus.server.cancelling import Patience, while_wanted
from reditus.server.context import ContextDep, StoreDep
from reditus.server.diagnosing import judged_timeline
from reditus.server.reading import asked_window
from reditus.server.schemas import DiagnosisOut, VerdictIn
from reditus.store.verdicts import tell_verdict, verdicts_of

router = APIRouter(prefix="/archives/{archive_id}", tags=["diagnosis"])


@router.get("/diagnosis")
async def read_diagnosis(
    archive_id: UUID,
    request: Request,
    context: ContextDep,
    start: Annotated[str | None, Query(alias="from", description="RFC 3339; else the archive's beginning.")] = None,
    end: Annotated[str | None, Query(alias="to", description="RFC 3339; else the archive's end.")] = None,
) -> DiagnosisOut:
    """Findings and what was ruled out, over a window or the whole archive."""

    def work(patience: Patience) -> DiagnosisOut:
        with context.store.reading(archive_id, patience.check) as reader:
            told = judged_timeline(reader, asked_window(reader, start, end), context.judged)
            verdicts = verdicts_of(reader.session, reader.scope.host)
        return DiagnosisOut.of(reader.scope.host_name, told.diagnosis, told.processes, verdicts)

    return await while_wanted(request, work)


@router.put("/verdicts", status_code=204, response_class=Response)
def put_verdict(archive_id: UUID, told: VerdictIn, store: StoreDep) -> None:
    """Confirm a finding, dismiss it with a reason, or remark upon it. It holds for every archive of the host."""
    verdict = told.verdict(time.time_ns())
    store.during(lambda session: tell_verdict(session, archive_id, verdict))
