"""The full state of the host at the needle."""

from typing import Annotated
from uuid import UUID

from fastapi import APIRouter, Query, Request

from reditus.analysis import moment as analysis
from reditus.analysis.series import MOST_NAMES
from reditus.core.rfc3339 import parse_time
from reditus.server.cancellation import check_cancelled, run_until_disconnect
from reditus.server.context import Context, ContextDep
from reditus.server.schemas import Moment, MomentOut, ReadingOut

router = APIRouter(prefix="/archives/{archive_id}", tags=["moment"])


@router.get("/moment")
async def read_moment(
    archive_id: UUID,
    request: Request,
    context: ContextDep,
    at: Annotated[Moment, Query(description="RFC 3339.")],
    measure: Annotated[
        list[str] | None,
        Query(max_length=MOST_NAMES, description="NAME, NAME@DEVICE, or NAME@* for every device; else all there is."),
    ] = None,
) -> MomentOut:
    """Every measure, of the machine and of each device, at the tick that describes the moment; or those requested."""
    at_ns = parse_time(at)
    return await run_until_disconnect(
        request, lambda: _moment(context, archive_id, at_ns, measure), context.lanes.charts
    )


def _moment(context: Context, archive_id: UUID, at_ns: int, names: list[str] | None) -> MomentOut:
    with context.store.reading(archive_id, check_cancelled, context.budget) as reader:
        found = analysis.read_moment(reader, at_ns, names)
    return MomentOut(
        at=at_ns,
        tick=found.tick_ns,
        cores=found.cores,
        readings=[_reading(reading) for reading in found.readings],
    )


def _reading(reading: analysis.Reading) -> ReadingOut:
    measure = reading.key.measure
    return ReadingOut(
        measure=measure.name,
        device=reading.key.device,
        unit=measure.unit,
        value=None if reading.value != reading.value else reading.value,
    )
