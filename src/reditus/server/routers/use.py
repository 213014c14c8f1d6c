"""Who used what over a window."""

from typing import Annotated
from uuid import UUID

from fastapi import APIRouter, Query, Request

from reditus.analysis.placement import read_placement
from reditus.analysis.use import By, read_use
from reditus.analysis.windows import requested_window
from reditus.core.use import Quantity
from reditus.server.cancellation import check_cancelled, run_until_disconnect
from reditus.server.context import ContextDep
from reditus.server.schemas import Moment
from reditus.server.use_schemas import PlacementOut, UseOut, use_out

router = APIRouter(prefix="/archives/{archive_id}", tags=["use"])

MOST_ROWS = 500
MOST_BINS = 400
MOST_RUNS = 600
"""Bins of the picture of cores: a run is at least one of them long."""


@router.get("/use")
async def read_use_of(
    archive_id: UUID,
    request: Request,
    context: ContextDep,
    start: Annotated[Moment | None, Query(alias="from", description="RFC 3339; else the archive's beginning.")] = None,
    end: Annotated[Moment | None, Query(alias="to", description="RFC 3339; else the archive's end.")] = None,
    by: Annotated[By, Query(description="What processes are put together by.")] = By.PROCESS,
    sort: Annotated[Quantity, Query(description="What the heaviest are the heaviest of.")] = Quantity.PROCESSOR,
    most: Annotated[int, Query(ge=1, le=MOST_ROWS, description="Rows at most.")] = 60,
    match: Annotated[
        str, Query(max_length=120, description="Only those whose name, user, group, number or command line holds this.")
    ] = "",
    bins: Annotated[int, Query(ge=2, le=MOST_BINS, description="Bins of the curves at most.")] = 60,
) -> UseOut:
    """Processes over a window, or what they are put together by, with what is attributed to none of them."""

    def work() -> UseOut:
        with context.store.reading(archive_id, check_cancelled, context.budget) as reader:
            table = read_use(reader, requested_window(reader, start, end), bins, by, match=match.strip())
        return use_out(table, by, sort, most)

    return await run_until_disconnect(request, work, context.lanes.charts)


@router.get("/placement")
async def read_placement_of(
    archive_id: UUID,
    request: Request,
    context: ContextDep,
    start: Annotated[Moment | None, Query(alias="from", description="RFC 3339; else the archive's beginning.")] = None,
    end: Annotated[Moment | None, Query(alias="to", description="RFC 3339; else the archive's end.")] = None,
    width: Annotated[int, Query(ge=2, le=MOST_RUNS, description="Bins at most.")] = 200,
) -> PlacementOut:
    """Which process or thread had most of each core, bin by bin."""

    def work() -> PlacementOut:
        with context.store.reading(archive_id, check_cancelled, context.budget) as reader:
            return PlacementOut.of(read_placement(reader, requested_window(reader, start, end), width))

    return await run_until_disconnect(request, work, context.lanes.charts)
