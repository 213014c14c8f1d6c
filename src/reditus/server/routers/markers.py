"""Markers: log lines, gaps with their reasons, remarks."""

from typing import Annotated
from uuid import UUID

from fastapi import APIRouter, Body, Query, Response

from reditus.core.rfc3339 import parse_time
from reditus.core.window import parse_window
from reditus.server.context import StoreDep
from reditus.server.document_schemas import Severity
from reditus.server.marker_schemas import MOST_AT_ONCE, MarkerIn, MarkersOut
from reditus.server.schemas import Moment
from reditus.store.archives.log_lines import LineChoice
from reditus.store.records import Found

router = APIRouter(prefix="/archives/{archive_id}/markers", tags=["markers"])

MOST_SHOWN = 2_000


@router.get("")
def list_markers(
    archive_id: UUID,
    store: StoreDep,
    start: Annotated[Moment | None, Query(alias="from", description="RFC 3339; else the archive's beginning.")] = None,
    end: Annotated[Moment | None, Query(alias="to", description="RFC 3339; else the archive's end.")] = None,
    severity: Annotated[Severity, Query(description="Lines that are as bad as this, or worse.")] = "debug",
    log: Annotated[list[str] | None, Query(max_length=64, description="Lines of these logs alone.")] = None,
    holding: Annotated[
        str, Query(max_length=200, description="Lines that hold this, whatever the case; * stands for any letters.")
    ] = "",
    near: Annotated[
        Moment | None,
        Query(
            description="RFC 3339. Lines before and after this moment, wherever they are, instead of those of a window."
        ),
    ] = None,
    limit: Annotated[int, Query(ge=1, le=MOST_SHOWN)] = 500,
) -> MarkersOut:
    """What is marked in a window: remarks, gaps with their reasons, and lines that the machine logged."""
    choice = LineChoice(severity, tuple(log or ()), holding.strip())
    if near is not None:
        lines = store.markers.near(archive_id, parse_time(near), choice, limit)
        return MarkersOut.of(Found(lines, len(lines)))
    archive = store.archives.get(archive_id)
    if archive.first_ns is None and not (start and end):
        return MarkersOut(markers=[], total=0)
    window = parse_window(start, end, (archive.first_ns, archive.last_ns))
    return MarkersOut.of(store.markers.read(archive_id, window, choice, limit))


@router.post("", status_code=204, response_class=Response)
def add(
    archive_id: UUID, markers: Annotated[list[MarkerIn], Body(min_length=1, max_length=MOST_AT_ONCE)], store: StoreDep
) -> None:
    """Add markers, all or none. One that is sent again takes the place of the first."""
    store.archives.check_writable(archive_id)
    added = [item.marker() for item in markers]
    store.markers.add(archive_id, added)
