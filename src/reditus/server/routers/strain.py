"""The strain map: how hard each resource and device was pressed, over a whole archive."""

from typing import Annotated, Any
from uuid import UUID

import numpy as np
import orjson
from fastapi import APIRouter, Query, Request, Response

from reditus.analysis.series import asked_window, binned
from reditus.core.measures import Resource
from reditus.core.measures.selection import SeriesKey, bottom_devices, devices_of
from reditus.core.measures.strain import BEHIND, STRAIN
from reditus.core.types import NS_PER_MS, FloatArray
from reditus.core.window import Binned
from reditus.server.cancellation import CancelToken, run_until_disconnect
from reditus.server.context import ContextDep
from reditus.server.schemas import Moment, StrainMapOut
from reditus.server.times import to_ms
from reditus.store.read.reader import Reader

router = APIRouter(prefix="/archives/{archive_id}", tags=["strain"])

MOST_BINS = 4_000
MOST_DEVICES = 256


@router.get("/strain", response_model=StrainMapOut)
async def read_strain(
    archive_id: UUID,
    request: Request,
    context: ContextDep,
    start: Annotated[Moment | None, Query(alias="from", description="RFC 3339; else the archive's beginning.")] = None,
    end: Annotated[Moment | None, Query(alias="to", description="RFC 3339; else the archive's end.")] = None,
    width: Annotated[int, Query(ge=1, le=MOST_BINS, description="Bins at the most.")] = 1_000,
    devices: Annotated[
        list[Resource] | None,
        Query(max_length=len(Resource), description="Resources of which each device is told too."),
    ] = None,
) -> Response:
    """Strain per bin, in whole percent: mean and highest, of every resource and of the devices asked for."""

    def work(patience: CancelToken) -> bytes:
        with context.store.reading(archive_id, patience.check, context.budget) as reader:
            window = asked_window(reader, start, end)
            wanted = _wanted(reader, devices or [])
            context.budget.check_points(len(wanted), width)
            found = binned(reader, wanted, window, width)
        out = {
            "first_ms": to_ms(int(found.edges_ns[0])),
            "bin_ms": float(found.edges_ns[1] - found.edges_ns[0]) / NS_PER_MS,
            "rows": [_row(key, series) for key, series in zip(wanted, found.series, strict=True)],
        }
        return orjson.dumps(out)

    return Response(await run_until_disconnect(request, work, context.lanes.charts), media_type="application/json")


def _wanted(reader: Reader, opened: list[Resource]) -> list[SeriesKey]:
    out = []
    for measure in STRAIN:
        out.append(SeriesKey(measure, None))
        if measure.resource not in opened:
            continue
        names = bottom_devices(reader.scope.facts, measure, devices_of(reader.known, measure))
        out += [SeriesKey(measure, name) for name in names[:MOST_DEVICES]]
    return out


def _row(series_key: SeriesKey, series: Binned | None) -> dict[str, Any]:
    measure = series_key.measure
    return {
        "measure": measure.name,
        "resource": measure.resource.value,
        "device": series_key.device,
        "has_devices": measure.per is not None,
        "help": measure.help,
        "formula": measure.formula,
        "inputs": BEHIND[measure.name],
        "mean": None if series is None else _percent(series.mean),
        "high": None if series is None else _percent(series.high),
    }


def _percent(values: FloatArray) -> list[int | None]:
    known = ~np.isnan(values)
    whole = np.round(np.where(known, values, 0.0) * 100).astype(int).tolist()
    return [value if there else None for value, there in zip(whole, known.tolist(), strict=True)]
