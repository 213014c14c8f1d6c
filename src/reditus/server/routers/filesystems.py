"""Filesystems: how full, and until when there is room."""

from dataclasses import asdict
from math import isnan
from typing import Annotated
from uuid import UUID

from fastapi import APIRouter, Query, Request

from reditus.analysis.filesystems import filesystems
from reditus.analysis.windows import requested_window
from reditus.server.cancellation import check_cancelled, run_until_disconnect
from reditus.server.context import ContextDep
from reditus.server.schemas import FilesystemOut, Moment

router = APIRouter(prefix="/archives/{archive_id}", tags=["filesystems"])


@router.get("/filesystems")
async def read_filesystems(
    archive_id: UUID,
    request: Request,
    context: ContextDep,
    start: Annotated[Moment | None, Query(alias="from", description="RFC 3339; else the archive's beginning.")] = None,
    end: Annotated[Moment | None, Query(alias="to", description="RFC 3339; else the archive's end.")] = None,
) -> list[FilesystemOut]:
    """Each filesystem at the end of a window, with its growth within it and the time until it is full at that rate."""

    def work() -> list[FilesystemOut]:
        with context.store.reading(archive_id, check_cancelled, context.budget) as reader:
            found = filesystems(reader, requested_window(reader, start, end))
        return [
            FilesystemOut(
                **{
                    name: None if isinstance(value, float) and isnan(value) else value
                    for name, value in asdict(item).items()
                }
            )
            for item in found
        ]

    return await run_until_disconnect(request, work, context.lanes.charts)
