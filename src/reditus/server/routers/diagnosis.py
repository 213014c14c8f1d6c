"""What ran out, and what only looks like it."""

from typing import Annotated
from uuid import UUID

from fastapi import APIRouter, Query, Request

from reditus.core.diagnosis import diagnose, needed_measures
from reditus.server.cancelling import Patience, while_wanted
from reditus.server.context import StoreDep
from reditus.server.reading import asked_window
from reditus.server.schemas import DiagnosisOut
from reditus.store.wanted import Wanted, needed_columns

router = APIRouter(prefix="/archives/{archive_id}", tags=["diagnosis"])


@router.get("/diagnosis")
async def read_diagnosis(
    archive_id: UUID,
    request: Request,
    store: StoreDep,
    start: Annotated[str | None, Query(alias="from", description="RFC 3339; else the archive's beginning.")] = None,
    end: Annotated[str | None, Query(alias="to", description="RFC 3339; else the archive's end.")] = None,
) -> DiagnosisOut:
    """Findings and what was ruled out, over a window or the whole archive."""
    wanted = tuple(Wanted(measure, None) for measure in needed_measures())

    def work(patience: Patience) -> DiagnosisOut:
        with store.reading(archive_id, patience.check) as reader:
            window = asked_window(reader, start, end)
            frame = reader.frame(needed_columns(reader.known, wanted), window)
        patience.check()
        return DiagnosisOut.of(reader.scope.host_name, diagnose(frame, window))

    return await while_wanted(request, work)
