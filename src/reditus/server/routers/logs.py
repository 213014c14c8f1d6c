"""Logs: which there are, how one's lines would be read, and adding one."""

import time
from typing import Annotated
from uuid import UUID

from fastapi import APIRouter, Query, Request

from reditus.core.errors import WindowError
from reditus.core.markers import MAX_LOG, SEVERITIES, in_log
from reditus.core.rfc3339 import parse_time
from reditus.exchange.log_reading import SAMPLE_BYTES, LogRead, LogTimes, read_any, zone_named
from reditus.server.cancellation import run_until_disconnect
from reditus.server.context import ContextDep, StoreDep
from reditus.server.document_schemas import Severity
from reditus.server.log_schemas import LogKeptOut, LogOut, LogPreviewOut
from reditus.server.schemas import Moment

router = APIRouter(prefix="/archives/{archive_id}/logs", tags=["markers"])

PREVIEWED = 20
LOG_TYPE = "text/plain"
BODY = {"requestBody": {"required": True, "content": {LOG_TYPE: {"schema": {"type": "string", "format": "binary"}}}}}
Zone = Annotated[str, Query(max_length=60, description="Of times without one: UTC, or a place such as Europe/Berlin.")]
Year = Annotated[int | None, Query(ge=1990, le=2199, description="Of the first line, where years are left out.")]
Boot = Annotated[Moment | None, Query(description="When the machine started, RFC 3339, for the kernel's own times.")]
Written = Annotated[Moment | None, Query(description="When the file was last written, RFC 3339: its year is a clue.")]


@router.get("")
def list_logs(archive_id: UUID, store: StoreDep) -> list[LogOut]:
    """The logs that an archive, or a host, has lines of, by name."""
    with store.reading(archive_id) as reader:
        return [LogOut.of(log) for log in reader.logs()]


@router.post("/preview", openapi_extra=BODY)
async def preview(
    archive_id: UUID,
    request: Request,
    context: ContextDep,
    zone: Zone = "UTC",
    year: Year = None,
    boot: Boot = None,
    written: Written = None,
) -> LogPreviewOut:
    """How a log's beginning would be read: nothing is kept."""
    context.store.archives.get(archive_id)
    body = await request.body()
    text = body[:SAMPLE_BYTES]
    # What was cut off somewhere ends in the middle of a line.
    if len(body) >= SAMPLE_BYTES and b"\n" in text:
        text = text[: text.rfind(b"\n") + 1]

    def work() -> LogPreviewOut:
        return LogPreviewOut.of(_read(text, zone, year, boot, written), PREVIEWED)

    return await run_until_disconnect(request, work, context.lanes.charts)


@router.post("", openapi_extra=BODY)
async def add_log(
    archive_id: UUID,
    request: Request,
    context: ContextDep,
    name: Annotated[str, Query(min_length=1, max_length=MAX_LOG, pattern=r"\S", description="What the log is called.")],
    zone: Zone = "UTC",
    year: Year = None,
    boot: Boot = None,
    written: Written = None,
    severity: Annotated[Severity, Query(description="Keep lines that are as bad as this, or worse.")] = "debug",
) -> LogKeptOut:
    """Keep a log's lines as markers, all or none. The same log again changes nothing."""
    context.store.archives.get(archive_id)
    text = await request.body()
    worst = SEVERITIES.index(severity)

    def work() -> LogKeptOut:
        context.store.archives.check_writable(archive_id)
        read = _read(text, zone, year, boot, written)
        wanted = [item for item in read.lines.markers if SEVERITIES.index(item.severity or severity) <= worst]
        if wanted:
            context.store.markers.add(archive_id, in_log(wanted, name.strip()))
        times = [item.at_ns for item in wanted]
        return LogKeptOut(
            kept=len(wanted),
            first=min(times, default=None),
            last=max(times, default=None),
            format=read.format,
            doubts=list(read.doubts),
            problem_count=len(read.lines.problems),
        )

    return await run_until_disconnect(request, work, context.lanes.long)


def _read(text: bytes, zone: str, year: int | None, boot: str | None, written: str | None) -> LogRead:
    times = LogTimes(zone_named(zone), year, None if boot is None else parse_time(boot))
    written_ns = time.time_ns() if written is None else parse_time(written)
    try:
        return read_any(text, times, written_ns)
    except OverflowError as why:
        raise WindowError(f"its times lie beyond every clock: {why}") from why
