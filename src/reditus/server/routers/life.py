"""The life of an archive: notes, protection, trimming, copying, deletion that can be taken back; and its gaps."""

from typing import Annotated
from uuid import UUID

from fastapi import APIRouter, Query

from reditus.core.types import NS_PER_S
from reditus.server.context import StoreDep
from reditus.server.life_schemas import CopyIn, DescriptionIn, GapOut, GapsOut, StretchIn, TrimmedOut
from reditus.server.reading import asked_window
from reditus.server.schemas import ArchiveOut
from reditus.server.times import parse_window
from reditus.store.life import Description, copy_stretch, delete_archive, describe, restore_archive, trim
from reditus.store.reader import gaps_in

router = APIRouter(prefix="/archives/{archive_id}", tags=["life"])

MOST_GAPS = 1_000


@router.patch("")
def describe_archive(archive_id: UUID, told: DescriptionIn, store: StoreDep) -> ArchiveOut:
    """Give it another name or notes, or protect it from every removal."""
    changes: Description = {}
    if told.name is not None:
        changes["name"] = told.name
    if told.notes is not None:
        changes["notes"] = told.notes
    if told.protected is not None:
        changes["protected"] = told.protected
    store.during(lambda session: describe(session, archive_id, changes))
    return ArchiveOut.of(store.archive(archive_id))


@router.delete("")
def remove_archive(archive_id: UUID, store: StoreDep) -> ArchiveOut:
    """Delete it. It is removed by a sealing about a minute later; until then the deletion can be taken back."""
    store.during(lambda session: delete_archive(session, archive_id))
    return ArchiveOut.of(store.archive(archive_id))


@router.post("/restore")
def take_back(archive_id: UUID, store: StoreDep) -> ArchiveOut:
    """Take a deletion back. 404 where it is too late."""
    store.during(lambda session: restore_archive(session, archive_id))
    return ArchiveOut.of(store.archive(archive_id))


@router.post("/trim")
def trim_archive(archive_id: UUID, told: StretchIn, store: StoreDep) -> TrimmedOut:
    """Keep a stretch and remove what lies outside. That cannot be taken back."""
    window = parse_window(told.from_, told.to, (None, None))
    return TrimmedOut(removed_ticks=store.during(lambda session: trim(session, archive_id, window)).removed_ticks)


@router.post("/copies", status_code=201)
def copy(archive_id: UUID, told: CopyIn, store: StoreDep) -> ArchiveOut:
    """Copy a stretch, with its markers and processes, to an archive of its own. Plans do not expire it."""
    window = parse_window(told.from_, told.to, (None, None))
    fresh = store.during(lambda session: copy_stretch(session, archive_id, window, told.name))
    return ArchiveOut.of(store.archive(fresh))


@router.get("/gaps")
def list_gaps(
    archive_id: UUID,
    store: StoreDep,
    start: Annotated[str | None, Query(alias="from", description="RFC 3339; else the archive's beginning.")] = None,
    end: Annotated[str | None, Query(alias="to", description="RFC 3339; else the archive's end.")] = None,
    limit: Annotated[int, Query(ge=1, le=MOST_GAPS)] = 200,
) -> GapsOut:
    """Stretches without ticks, of the group that is read most often, and why, where that is known."""
    with store.reading(archive_id) as reader:
        if reader.extent.first_ns is None and not (start and end):
            return GapsOut(gaps=[], total=0, seconds=0.0)
        gaps = gaps_in(reader, asked_window(reader, start, end))
    longest = sorted(gaps, key=lambda gap: gap.start_ns - gap.end_ns)[:limit]
    return GapsOut(
        gaps=[GapOut.of(gap) for gap in sorted(longest, key=lambda gap: gap.start_ns)],
        total=len(gaps),
        seconds=sum(gap.end_ns - gap.start_ns for gap in gaps) / NS_PER_S,
    )
