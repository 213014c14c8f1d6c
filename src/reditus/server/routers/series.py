"""Series for charts."""

from dataclasses import asdict
from typing import Annotated, Any
from uuid import UUID

import orjson
from fastapi import APIRouter, Query, Request, Response

from reditus.analysis.log_series import is_log, log_drawn
from reditus.analysis.series import MOST_NAMES, ChartSeries, drawn, series_named
from reditus.analysis.use_series import is_use, use_drawn
from reditus.analysis.windows import requested_window
from reditus.core.binning.edges import MAX_BINS, requested_edges
from reditus.core.errors import WindowError
from reditus.core.rfc3339 import spell_time
from reditus.core.types import NS_PER_MS, NS_PER_S
from reditus.server.cancellation import check_cancelled, run_until_disconnect
from reditus.server.context import ContextDep
from reditus.server.schemas import Moment, SeriesSetOut

router = APIRouter(prefix="/archives/{archive_id}", tags=["series"])

MAX_SERIES = 512
LONGEST_BIN_S = 31 * 86_400
MOST_USE = 12
MOST_LOGS = 16
"""Names of use, and of lines of logs, in one request."""


@router.get("/series", response_model=SeriesSetOut)
async def read_series(
    archive_id: UUID,
    request: Request,
    context: ContextDep,
    measure: Annotated[
        list[str],
        Query(
            min_length=1,
            max_length=MOST_NAMES,
            description="NAME, NAME@DEVICE, or NAME@* for every device; use.QUANTITY{by=BY,most=N}, with @* by those "
            "who used it; log.lines or log.errors, {holding=TEXT} of some lines, @LOG of one log, @* of each.",
        ),
    ],
    start: Annotated[Moment | None, Query(alias="from", description="RFC 3339; else the archive's beginning.")] = None,
    end: Annotated[Moment | None, Query(alias="to", description="RFC 3339; else the archive's end.")] = None,
    width: Annotated[int, Query(ge=1, le=MAX_BINS, description="Points to draw at most, per series.")] = 1_300,
    bin_s: Annotated[
        int | None,
        Query(ge=1, le=LONGEST_BIN_S, description="Length of the bins, in place of a width; on whole multiples of it."),
    ] = None,
) -> Response:
    """Measures over a window: ticks where they fit the width, else bins with mean, lowest and highest."""

    def work() -> bytes:
        with context.store.reading(archive_id, check_cancelled, context.budget) as reader:
            window = requested_window(reader, start, end)
            keys = series_named(reader, [name for name in measure if not is_use(name) and not is_log(name)])
            logs = [name for name in dict.fromkeys(measure) if is_log(name)]
            use = [name for name in dict.fromkeys(measure) if is_use(name)]
            if len(use) > MOST_USE:
                raise WindowError(f"{len(use)} names of use are requested at once; at most {MOST_USE} are drawn")
            if len(logs) > MOST_LOGS:
                raise WindowError(
                    f"{len(logs)} names of log lines are requested at once; at most {MOST_LOGS} are drawn"
                )
            if len(keys) > MAX_SERIES:
                raise WindowError(f"{len(keys)} series are requested at once; at most {MAX_SERIES} are drawn")
            bin_ns = None if bin_s is None else bin_s * NS_PER_S
            points = width if bin_ns is None else min(len(requested_edges(window, bin_ns)), MAX_BINS)
            context.budget.check_points(len(keys), points)
            found = [
                *drawn(reader, keys, window, points, bin_ns),
                *use_drawn(reader, use, window, points),
                *log_drawn(reader, logs, window, points, bin_ns),
            ]
        times, series = _shaped(found)
        ends = {"start": spell_time(window.start_ns), "end": spell_time(window.end_ns)}
        # Straight from NumPy: a model of a hundred thousand numbers would cost more than reading them.
        return orjson.dumps({**ends, "times_ms": times, "series": series}, option=orjson.OPT_SERIALIZE_NUMPY)

    return Response(await run_until_disconnect(request, work, context.lanes.charts), media_type="application/json")


def _shaped(every: list[ChartSeries]) -> tuple[list[Any], list[dict[str, Any]]]:
    """Series that run along the same times share them."""
    times: list[Any] = []
    places: dict[bytes, int] = {}
    series = []
    for entry in every:
        content = entry.times_ns.tobytes()
        if content not in places:
            places[content] = len(times)
            times.append(entry.times_ns / NS_PER_MS)
        key = entry.key
        series.append(
            {
                "measure": key.measure.name,
                "device": key.device,
                "unit": key.measure.unit.value,
                "times": places[content],
                "bin_s": entry.bin_s,
                "mean": entry.mean,
                "low": entry.low,
                "high": entry.high,
                "summary": None if entry.summary is None else _summary(entry),
                "missing": entry.missing,
            }
        )
    return times, series


def _summary(chart_series: ChartSeries) -> dict[str, Any]:
    assert chart_series.summary is not None
    out = asdict(chart_series.summary) | {"bin_s": chart_series.summary_of_s}
    return out if chart_series.key.measure.total else out | {"total": None}
