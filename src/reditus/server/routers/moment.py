"""The full state of the host at the needle."""

from typing import Annotated
from uuid import UUID

import numpy as np
from fastapi import APIRouter, Query, Request

from reditus.analysis.series import MOST_NAMES, Read, read
from reditus.core.measures.processor import core_count
from reditus.core.measures.selection import SeriesKey, everything, parse_series_keys
from reditus.core.window import Window
from reditus.server.cancellation import CancelToken, run_until_disconnect
from reditus.server.context import Context, ContextDep
from reditus.server.schemas import Moment, MomentOut, ReadingOut
from reditus.server.times import parse_time, to_ms
from reditus.store.read.reader import Reader

router = APIRouter(prefix="/archives/{archive_id}", tags=["moment"])

REACH_INTERVALS = 3
"""How far around the needle ticks are read; a rate needs the one before."""


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
    """Every measure, of the machine and of each device, at the tick that describes the moment; or those asked for."""
    at_ns = parse_time(at)
    return await run_until_disconnect(
        request, lambda patience: _moment(context, archive_id, at_ns, measure, patience), context.lanes.charts
    )


def _moment(
    context: Context, archive_id: UUID, at_ns: int, measure: list[str] | None, patience: CancelToken
) -> MomentOut:
    with context.store.reading(archive_id, patience.check, context.budget) as reader:
        reach_ns = REACH_INTERVALS * (reader.extent.interval_ns or 0) + 1
        wanted = everything(reader.known) if measure is None else _named(reader, measure)
        frame, reads = read(reader, wanted, Window(at_ns - reach_ns, at_ns + reach_ns))
    found = [
        (read_series, read_series.sampled.timebase.index_at(at_ns))
        for read_series in reads
        if read_series.sampled is not None
    ]
    tick_ns = max(
        (int(match.sampled.timebase.wall_ns[at]) for match, at in found if at is not None and match.sampled),
        default=None,
    )
    return MomentOut(
        at_ms=to_ms(at_ns),
        tick_ms=None if tick_ns is None else to_ms(tick_ns),
        cores=core_count(frame) if found else None,
        readings=[_reading(match, at) for match, at in found],
    )


def _named(reader: Reader, names: list[str]) -> tuple[SeriesKey, ...]:
    return tuple(parse_series_key for name in names for parse_series_key in parse_series_keys(name, reader.known))


def _reading(item: Read, at: int | None) -> ReadingOut:
    value = float(item.sampled.values[at]) if item.sampled is not None and at is not None else float("nan")
    measure = item.wanted.measure
    return ReadingOut(
        measure=measure.name,
        device=item.wanted.device,
        unit=measure.unit.value,
        value=None if np.isnan(value) else value,
    )
