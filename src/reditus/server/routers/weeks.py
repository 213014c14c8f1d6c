"""A host over weeks, and what is usual for it at each hour."""

from typing import Annotated
from uuid import UUID

import numpy as np
from fastapi import APIRouter, Query, Request

from reditus.analysis.normal import (
    MOST_DAYS,
    UsualSeries,
    hours_of_window,
    incidents_elsewhere,
    incidents_of,
    unusual_map,
    usual_series,
)
from reditus.analysis.series import cut_to_ticks, series_named
from reditus.analysis.weeks import weeks_of
from reditus.analysis.windows import requested_window
from reditus.core.errors import WindowError
from reditus.core.types import NS_PER_S
from reditus.core.window import Window
from reditus.server.cancellation import check_cancelled, run_until_disconnect
from reditus.server.context import ContextDep
from reditus.server.routers.series import MAX_SERIES
from reditus.server.schemas import Moment
from reditus.server.weeks_schemas import UnusualOut, UsualOut, WeeksOut, numbers_of

router = APIRouter(prefix="/archives/{archive_id}", tags=["weeks"])

MOST_MEASURES = 160
MOST_RESPONSES = 256
"""Series behind one row of the map."""
MOST_BINS = 4_000
Start = Annotated[Moment | None, Query(alias="from", description="RFC 3339; else the beginning.")]
End = Annotated[Moment | None, Query(alias="to", description="RFC 3339; else the end.")]


@router.get("/weeks")
async def read_weeks(
    archive_id: UUID, request: Request, context: ContextDep, start: Start = None, end: End = None
) -> WeeksOut:
    """All archives of the host as one: strained days, what changed slowly and since when, and how long there is
    room.
    """

    def work() -> WeeksOut:
        with context.store.reading(archive_id, check_cancelled, context.budget.long) as reader:
            host = reader.scope.host
        with context.store.reading(host, check_cancelled, context.budget.long) as reader:
            window = requested_window(reader, start, end)
            found = weeks_of(reader, cut_to_ticks(reader, window), check_cancelled)
            return WeeksOut.of(found)

    return await run_until_disconnect(request, work, context.lanes.long)


@router.get("/usual")
async def read_usual(
    archive_id: UUID,
    request: Request,
    context: ContextDep,
    measure: Annotated[
        list[str],
        Query(min_length=1, max_length=MOST_MEASURES, description="NAME, NAME@DEVICE, or NAME@* for every device."),
    ],
    start: Start = None,
    end: End = None,
) -> list[UsualOut]:
    """What is usual at each hour of a window, learnt from the host's weeks before it, and how much was outside."""

    def work() -> list[UsualOut]:
        elsewhere = incidents_elsewhere(context.store, archive_id, context.judged, check_cancelled, context.budget.long)
        with context.store.reading(archive_id, check_cancelled, context.budget.long) as reader:
            window = cut_to_ticks(reader, requested_window(reader, start, end))
            if window.length_s > MOST_DAYS * 86_400:
                raise WindowError(f"what is usual is shown over at most {MOST_DAYS} days; choose a shorter window")
            keys = series_named(reader, measure)
            if len(keys) > MAX_SERIES:
                raise WindowError(f"{len(keys)} series are requested at once; at most {MAX_SERIES} are answered")
            found = usual_series(reader, keys, window, [*elsewhere, *incidents_of(reader, context.judged)])
        return [_usual(item, window) for item in found]

    return await run_until_disconnect(request, work, context.lanes.long)


@router.get("/unusual")
async def read_unusual(
    archive_id: UUID,
    request: Request,
    context: ContextDep,
    start: Start = None,
    end: End = None,
    width: Annotated[int, Query(ge=1, le=MOST_BINS, description="Bins at most.")] = 1_000,
) -> UnusualOut:
    """How far beyond its band anything waited, queued, was held up or failed; what more work explains is left out."""

    def work() -> UnusualOut:
        elsewhere = incidents_elsewhere(context.store, archive_id, context.judged, check_cancelled, context.budget.long)
        with context.store.reading(archive_id, check_cancelled, context.budget.long) as reader:
            window = cut_to_ticks(reader, requested_window(reader, start, end))
            context.budget.check_points(MOST_RESPONSES, width)
            found = unusual_map(reader, window, width, [*elsewhere, *incidents_of(reader, context.judged)])
        names = list(dict.fromkeys(key.name for key in found.most if key is not None))
        return UnusualOut(
            start=int(found.edges_ns[0]),
            bin_s=float(found.edges_ns[1] - found.edges_ns[0]) / NS_PER_S,
            strain=[None if np.isnan(value) else round(100 * value) for value in found.strain.tolist()],
            most=[None if key is None else names.index(key.name) for key in found.most],
            names=names,
        )

    return await run_until_disconnect(request, work, context.lanes.long)


def _usual(found: UsualSeries, window: Window) -> UsualOut:
    key, normal = found.key, found.normal
    known = None if normal is None else ~np.isnan(normal.high)
    missing = None
    if normal is None or known is None or not known.any():
        missing = f"{key.name}: too little is known of this host's past to tell what is usual"
    return UsualOut(
        measure=key.measure.name,
        device=key.device,
        unit=key.measure.unit,
        hours_from=int(hours_of_window(window)[0]),
        middle=[] if normal is None else numbers_of(normal.middle),
        low=[] if normal is None else numbers_of(normal.low),
        high=[] if normal is None else numbers_of(normal.high),
        weeks=0 if normal is None or known is None or not known.any() else int(normal.weeks[known].min()),
        days=0 if normal is None or known is None or not known.any() else int(normal.days[known].max()),
        outside=found.outside,
        missing=missing,
    )
