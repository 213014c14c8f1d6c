"""The life of an archive: notes, protection, trimming, copying, deletion that can be taken back; and its gaps."""

from typing import Annotated
from uuid import UUID

from fastapi import APIRouter, Query, Request

from reditus.analysis.series import cut_to_ticks
from reditus.analysis.windows import requested_window
from reditus.core.types import NS_PER_S
from reditus.core.window import parse_window
from reditus.server.cancellation import check_cancelled, run_until_disconnect
from reditus.server.context import Context, ContextDep, StoreDep
from reditus.server.life_schemas import CopyIn, DescriptionIn, GapOut, GapsOut, StretchIn, TrimmedOut
from reditus.server.schemas import ArchiveOut, Moment
from reditus.store.archives.lifecycle import Description

router = APIRouter(prefix="/archives/{archive_id}", tags=["life"])

MOST_GAPS = 1_000


@router.patch("")
def describe_archive(archive_id: UUID, body: DescriptionIn, store: StoreDep) -> ArchiveOut:
    """Give it another name or notes, or protect it from every removal."""
    changes: Description = {}
    if body.name is not None:
        changes["name"] = body.name
    if body.notes is not None:
        changes["notes"] = body.notes
    if body.protected is not None:
        changes["protected"] = body.protected
    store.archives.describe(archive_id, changes)
    return ArchiveOut.of(store.archives.get(archive_id))


@router.delete("")
def remove_archive(archive_id: UUID, store: StoreDep) -> ArchiveOut:
    """Delete it. It is removed by a sealing about a minute later; until then the deletion can be taken back."""
    store.archives.delete(archive_id)
    return ArchiveOut.of(store.archives.get(archive_id))


@router.post("/restore")
def take_back(archive_id: UUID, store: StoreDep) -> ArchiveOut:
    """Take a deletion back. 404 where it is too late."""
    store.archives.restore(archive_id)
    return ArchiveOut.of(store.archives.get(archive_id))


@router.post("/trim")
async def trim_archive(archive_id: UUID, body: StretchIn, request: Request, context: ContextDep) -> TrimmedOut:
    """Keep a stretch and remove what lies outside. That cannot be taken back."""
    window = parse_window(body.from_, body.to, (None, None))

    def work() -> TrimmedOut:
        done = context.store.archives.trim(archive_id, window)
        return TrimmedOut(removed_ticks=done.removed_ticks)

    return await run_until_disconnect(request, work, context.lanes.long)


@router.post("/copies", status_code=201)
async def copy(archive_id: UUID, body: CopyIn, request: Request, context: ContextDep) -> ArchiveOut:
    """Copy a stretch, with its markers and processes, to an archive of its own. Plans do not expire it."""
    window = parse_window(body.from_, body.to, (None, None))

    def work() -> ArchiveOut:
        fresh = context.store.archives.copy(archive_id, window, body.name)
        return ArchiveOut.of(context.store.archives.get(fresh))

    return await run_until_disconnect(request, work, context.lanes.long)


@router.get("/gaps")
async def list_gaps(
    archive_id: UUID,
    request: Request,
    context: ContextDep,
    start: Annotated[Moment | None, Query(alias="from", description="RFC 3339; else the archive's beginning.")] = None,
    end: Annotated[Moment | None, Query(alias="to", description="RFC 3339; else the archive's end.")] = None,
    limit: Annotated[int, Query(ge=1, le=MOST_GAPS)] = 200,
) -> GapsOut:
    """Stretches without ticks, of the group that is read most often, and why, where that is known."""
    return await run_until_disconnect(
        request,
        lambda: _gaps(context, archive_id, (start, end), limit),
        context.lanes.charts,
    )


def _gaps(context: Context, archive_id: UUID, ends: tuple[str | None, str | None], limit: int) -> GapsOut:
    with context.store.reading(archive_id, check_cancelled, context.budget) as reader:
        if reader.extent.first_ns is None and not all(ends):
            return GapsOut(gaps=[], total=0, seconds=0.0)
        gaps = reader.gaps(cut_to_ticks(reader, requested_window(reader, *ends)))
    longest = sorted(gaps, key=lambda gap: gap.start_ns - gap.end_ns)[:limit]
    return GapsOut(
        gaps=[GapOut.of(gap) for gap in sorted(longest, key=lambda gap: gap.start_ns)],
        total=len(gaps),
        seconds=sum(gap.end_ns - gap.start_ns for gap in gaps) / NS_PER_S,
    )
