"""Measures over a window as files: CSV, JSON lines, Arrow, Parquet."""

import tempfile
from collections.abc import AsyncIterator
from pathlib import Path
from typing import Annotated, Literal
from uuid import UUID

from anyio import open_file
from fastapi import APIRouter, Query, Request, Response
from fastapi.responses import StreamingResponse
from starlette.background import BackgroundTask

from reditus.analysis.report.files import stem_of
from reditus.analysis.series import MOST_NAMES
from reditus.analysis.tables import table_of
from reditus.analysis.windows import requested_window
from reditus.exchange.tables.formats import FORMATS
from reditus.server.cancellation import check_cancelled, run_until_disconnect
from reditus.server.context import ContextDep
from reditus.server.schemas import Moment, Out

router = APIRouter(tags=["tables"])

FormatName = Literal["csv", "csv-long", "jsonl", "arrow", "parquet"]
READ_BYTES = 1 << 18


class FormatOut(Out):
    """A format that tables are written in."""

    name: str
    title: str
    extension: str
    media_type: str
    carries: str
    loses: str


@router.get("/formats")
def list_formats() -> list[FormatOut]:
    """The formats that tables of measures are written in, with what each carries and loses."""
    return [
        FormatOut(
            name=each.name, title=each.title, extension=each.extension, media_type=each.media_type,
            carries=each.carries, loses=each.loses,
        )
        for each in FORMATS.values()
    ]  # fmt: skip


@router.get("/archives/{archive_id}/table", response_class=Response)
async def read_table(
    archive_id: UUID,
    request: Request,
    context: ContextDep,
    measure: Annotated[
        list[str],
        Query(min_length=1, max_length=MOST_NAMES, description="NAME, NAME@DEVICE, or NAME@* for every device."),
    ],
    form: Annotated[FormatName, Query(alias="format", description="GET /formats says what each carries.")] = "csv",
    start: Annotated[Moment | None, Query(alias="from", description="RFC 3339; else the archive's beginning.")] = None,
    end: Annotated[Moment | None, Query(alias="to", description="RFC 3339; else the archive's end.")] = None,
) -> Response:
    """Every tick of some measures as a file. It is written whole before its first byte is sent: what goes wrong is
    said, and nothing arrives in half.
    """
    chosen = FORMATS[form]
    folder = tempfile.TemporaryDirectory(prefix="reditus-table-")
    path = Path(folder.name) / "table"

    def work() -> str:
        name = context.store.archives.get(archive_id).name
        with context.store.reading(archive_id, check_cancelled, context.budget) as reader, path.open("wb") as file:
            table = table_of(reader, measure, requested_window(reader, start, end), name)
            for part in chosen.write(table):
                file.write(part)
            return table.host

    try:
        host = await run_until_disconnect(request, work, context.lanes.long)
    except BaseException:
        folder.cleanup()
        raise
    head = {
        "Content-Disposition": f'attachment; filename="{stem_of(host)}{chosen.extension}"',
        "Content-Length": str(path.stat().st_size),
    }
    return StreamingResponse(_parts(path), media_type=chosen.media_type, headers=head,
                             background=BackgroundTask(folder.cleanup))  # fmt: skip


async def _parts(path: Path) -> AsyncIterator[bytes]:
    async with await open_file(path, "rb") as file:
        while part := await file.read(READ_BYTES):
            yield part
