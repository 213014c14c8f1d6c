"""The strain map: how hard each resource and device was pressed, over a whole archive."""

from typing import Annotated, Any
from uuid import UUID

import numpy as np
import orjson
from fastapi import APIRouter, Query, Request, Response

from reditus.analysis.strain import StrainRow, strain_rows
from reditus.analysis.strain import read_strain as strain_of
from reditus.analysis.windows import requested_window
from reditus.core.binning.stats import BinStats
from reditus.core.measures import Resource
from reditus.core.measures.strain import BEHIND
from reditus.core.rfc3339 import spell_time
from reditus.core.types import NS_PER_S, FloatArray
from reditus.server.cancellation import check_cancelled, run_until_disconnect
from reditus.server.context import ContextDep
from reditus.server.schemas import Moment, StrainMapOut

router = APIRouter(prefix="/archives/{archive_id}", tags=["strain"])

MOST_BINS = 4_000


@router.get("/strain", response_model=StrainMapOut)
async def read_strain(
    archive_id: UUID,
    request: Request,
    context: ContextDep,
    start: Annotated[Moment | None, Query(alias="from", description="RFC 3339; else the archive's beginning.")] = None,
    end: Annotated[Moment | None, Query(alias="to", description="RFC 3339; else the archive's end.")] = None,
    width: Annotated[int, Query(ge=1, le=MOST_BINS, description="Bins at most.")] = 1_000,
    devices: Annotated[
        list[Resource] | None,
        Query(max_length=len(Resource), description="Resources whose devices are included."),
    ] = None,
) -> Response:
    """Strain per bin, in whole percent: mean and highest, of every resource and of the devices requested."""

    def work() -> bytes:
        with context.store.reading(archive_id, check_cancelled, context.budget) as reader:
            window = requested_window(reader, start, end)
            rows = strain_rows(reader, devices or [])
            context.budget.check_points(len(rows), width)
            found = strain_of(reader, rows, window, width)
        out = {
            "start": spell_time(int(found.edges_ns[0])),
            "bin_s": float(found.edges_ns[1] - found.edges_ns[0]) / NS_PER_S,
            "rows": [_row(row, series) for row, series in zip(rows, found.series, strict=True)],
        }
        return orjson.dumps(out)

    return Response(await run_until_disconnect(request, work, context.lanes.charts), media_type="application/json")


def _row(row: StrainRow, series: BinStats | None) -> dict[str, Any]:
    measure = row.measure
    return {
        "measure": measure.name,
        "resource": measure.resource.value,
        "device": row.device,
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
