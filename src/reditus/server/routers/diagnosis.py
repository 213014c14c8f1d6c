"""What ran out, and what only looks like it."""

from typing import Annotated
from uuid import UUID

from fastapi import APIRouter, Query

from reditus.core.diagnosis import diagnose, needed_measures
from reditus.core.measures import measure_named
from reditus.server.context import StoreDep
from reditus.server.reading import Wanted, needed_columns
from reditus.server.schemas import DiagnosisOut
from reditus.server.times import parse_window

router = APIRouter(prefix="/archives/{archive_id}", tags=["diagnosis"])


@router.get("/diagnosis")
def read_diagnosis(
    archive_id: UUID,
    store: StoreDep,
    start: Annotated[str | None, Query(alias="from", description="RFC 3339; else the archive's beginning.")] = None,
    end: Annotated[str | None, Query(alias="to", description="RFC 3339; else the archive's end.")] = None,
) -> DiagnosisOut:
    """Findings and what was ruled out, over a window or the whole archive."""
    archive = store.archive(archive_id)
    window = parse_window(start, end, (archive.first_ns, archive.last_ns))
    wanted = tuple(Wanted(measure_named(name), None) for name in needed_measures())
    frame = store.frame(archive_id, needed_columns(store.columns(archive_id), wanted), window)
    return DiagnosisOut.of(archive.host.name, diagnose(frame, window))
