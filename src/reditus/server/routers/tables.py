"""Measures over a window as files: CSV, JSON lines, Arrow, Parquet."""

import tempfile
import time
from collections.abc import AsyncIterator, Awaitable, Mapping, Sequence
from pathlib import Path
from types import MappingProxyType
from typing import Annotated, Literal, TypeVar
from uuid import UUID

from anyio import open_file
from fastapi import APIRouter, Query, Request, Response
from fastapi.responses import StreamingResponse
from pydantic import Field
from starlette.background import BackgroundTask

from reditus.analysis.newest import newest_values
from reditus.analysis.report.files import stem_of
from reditus.analysis.series import MOST_NAMES
from reditus.analysis.tables import signature_of, table_of
from reditus.analysis.windows import open_window, requested_window
from reditus.core.rfc3339 import spell_time
from reditus.exchange.archive_file.writing import write_archive
from reditus.exchange.formats import FORMATS
from reditus.exchange.tables.openmetrics import newest_text
from reditus.exchange.tables.writers import WRITERS
from reditus.server.cancellation import check_cancelled, run_until_disconnect
from reditus.server.context import ContextDep
from reditus.server.kept_tables import Written
from reditus.server.schemas import Moment, Out
from reditus.store.records import Damage

router = APIRouter(tags=["tables"])
scraped = APIRouter(tags=["tables"])

FormatName = Literal["csv", "csv-long", "jsonl", "arrow", "parquet", "openmetrics"]
ArchiveFormat = Literal["archive", "archive-parquet"]
READ_BYTES = 1 << 20
LEFT_OUT = "Reditus-Left-Out"
NOTHING: Mapping[str, str] = MappingProxyType({})
T = TypeVar("T")
SCRAPED = "application/openmetrics-text"


class FormatOut(Out):
    """A format that goes out, comes in, or both."""

    name: str
    title: str
    extensions: list[str] = Field(description="The first is what is written.")
    media_type: str
    carries: str
    loses: str
    writes: Literal["measures", "archive"] | None
    reads: bool


@router.get("/formats")
def list_formats() -> list[FormatOut]:
    """The formats that go out and come in, with what each carries and loses."""
    return [
        FormatOut(
            name=each.name, title=each.title, extensions=list(each.extensions), media_type=each.media_type,
            carries=each.carries, loses=each.loses, writes=None if each.writes is None else each.writes.value,
            reads=each.reads,
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
    said, and nothing arrives in half. What was damaged is left out; the head `Reditus-Left-Out` says so.
    """
    chosen, write = FORMATS[form], WRITERS[form]
    folder = tempfile.TemporaryDirectory(prefix="reditus-table-")
    path = Path(folder.name) / "table"

    def work() -> Written:
        with context.store.reading(archive_id, check_cancelled, context.budget) as reader:
            window = requested_window(reader, start, end)
            signature = (form, signature_of(reader, measure, window))
            kept = context.tables.get(signature, path)
            if kept is not None:
                return kept
            table = table_of(reader, measure, window)
            with path.open("wb") as file:
                for part in write(table):
                    file.write(part)
            written = Written(path, path.stat().st_size, table.host, _left_out(reader.damage, archive_id))
        context.tables.keep(signature, written)
        return written

    written = await _kept(folder, run_until_disconnect(request, work, context.lanes.long))
    head = {} if written.left_out is None else {LEFT_OUT: written.left_out}
    return _sent(folder, path, f"{stem_of(written.host)}{chosen.extension}", chosen.media_type, head)


def _left_out(damage: Sequence[Damage], archive_id: UUID) -> str | None:
    if not damage:
        return None
    stretches = "1 stretch of ticks is" if len(damage) == 1 else f"{len(damage)} stretches of ticks are"
    return f"{stretches} damaged and not in here; GET /api/archives/{archive_id}/damage says which"


@router.get("/archives/{archive_id}/file", response_class=Response)
async def read_archive_file(
    archive_id: UUID,
    request: Request,
    context: ContextDep,
    form: Annotated[ArchiveFormat, Query(alias="format")] = "archive",
    start: Annotated[Moment | None, Query(alias="from", description="RFC 3339; else the archive's beginning.")] = None,
    end: Annotated[Moment | None, Query(alias="to", description="RFC 3339; else the archive's end.")] = None,
) -> Response:
    """An archive, or a window of it, as a file that checks itself: docs/archive-files.md."""
    chosen = FORMATS[form]
    folder = tempfile.TemporaryDirectory(prefix="reditus-archive-")
    path = Path(folder.name) / "archive"

    def work() -> str:
        window = None if start is None and end is None else open_window(start, end)
        with context.store.taking_out(archive_id, window) as contents:
            made = spell_time(time.time_ns())
            write_archive(
                path,
                contents,
                made,
                window=window,
                parquet=form == "archive-parquet",
                check=lambda _: check_cancelled(),
            )
            return f"{contents.head.host_name} {contents.head.name}"

    name = await _kept(folder, run_until_disconnect(request, work, context.lanes.long))
    return _sent(folder, path, f"{stem_of(name)}{chosen.extension}", chosen.media_type)


async def _kept(folder: tempfile.TemporaryDirectory[str], work: Awaitable[T]) -> T:
    """What the work returns; where it fails nothing of the folder is left."""
    try:
        return await work
    except BaseException:
        folder.cleanup()
        raise


def _sent(
    folder: tempfile.TemporaryDirectory[str], path: Path, name: str, media_type: str, more: Mapping[str, str] = NOTHING
) -> Response:
    head = {
        "Content-Disposition": f'attachment; filename="{name}"',
        "Content-Length": str(path.stat().st_size),
        **more,
    }
    return StreamingResponse(
        _parts(path), media_type=media_type, headers=head, background=BackgroundTask(folder.cleanup)
    )


async def _parts(path: Path) -> AsyncIterator[bytes]:
    async with await open_file(path, "rb") as file:
        while part := await file.read(READ_BYTES):
            yield part


@scraped.get(
    "/metrics", response_class=Response, responses={200: {"content": {SCRAPED: {"schema": {"type": "string"}}}}}
)
async def read_newest(request: Request, context: ContextDep) -> Response:
    """The newest values of whatever is being recorded, as OpenMetrics text, for scraping."""

    def work() -> str:
        return newest_text(
            (item.host, item.head, item.value, item.at_ns) for item in newest_values(context.store, time.time_ns())
        )

    return Response(
        await run_until_disconnect(request, work, context.lanes.charts), media_type=FORMATS["openmetrics"].media_type
    )
