"""Bundles: looked into before they leave, made, and opened."""

import tempfile
import time
from pathlib import Path
from typing import Annotated
from uuid import UUID

from anyio import to_thread
from fastapi import APIRouter, Query, Request, Response

from reditus.analysis.bundles import Choices, inside_of, put_opened, usual_stretches
from reditus.analysis.report.dossier import dossier_of
from reditus.analysis.report.files import file_name
from reditus.core.rfc3339 import spell_time
from reditus.exchange.bundle.manifest import MEDIA_TYPE
from reditus.exchange.bundle.reading import open_bundle
from reditus.exchange.bundle.writing import Inside, Part, parts_of, zipped
from reditus.server.bundle_schemas import (
    BundleIn,
    BundleInsideOut,
    BundlePartOut,
    BundleStretchOut,
    SubstituteOut,
)
from reditus.server.cancellation import check_cancelled, run_until_disconnect
from reditus.server.context import Context, ContextDep
from reditus.server.investigation_schemas import InvestigationOut
from reditus.store.investigations.stretches import ArchiveStretch

router = APIRouter(tags=["investigations"])

MOST_SUBSTITUTES = 1_000
Job = Annotated[UUID | None, Query(description="An id that the client made, to ask for the progress by.")]


@router.post("/investigations/{investigation_id}/bundle/inside")
async def read_inside(
    investigation_id: UUID, body: BundleIn, request: Request, context: ContextDep, job: Job = None
) -> BundleInsideOut:
    """What a bundle would hold: its parts with their sizes, the stretches, and what stands for which name."""
    choices = body.choices()

    def work() -> BundleInsideOut:
        inside, parts, _ = _made(context, investigation_id, choices, job)
        return _described(context, investigation_id, inside, parts)

    return await run_until_disconnect(request, work, context.lanes.long)


@router.post("/investigations/{investigation_id}/bundle", response_class=Response)
async def make_bundle(
    investigation_id: UUID, body: BundleIn, request: Request, context: ContextDep, job: Job = None
) -> Response:
    """The bundle. Nothing leaves where a name is left that was to be replaced."""
    choices = body.choices()

    def work() -> tuple[bytes, str]:
        _, parts, question = _made(context, investigation_id, choices, job)
        return zipped(parts), question

    data, question = await run_until_disconnect(request, work, context.lanes.long)
    head = {"Content-Disposition": file_name(question, "reditus.zip")}
    return Response(data, media_type=MEDIA_TYPE, headers=head)


@router.post(
    "/bundles",
    openapi_extra={
        "requestBody": {"required": True, "content": {MEDIA_TYPE: {"schema": {"type": "string", "format": "binary"}}}}
    },
)
async def open_sent_bundle(request: Request, context: ContextDep) -> InvestigationOut:
    """Open a bundle that was sent: into an investigation that stays as it came, beside one's own. A bundle that is
    damaged or made up is refused, and leaves nothing behind.
    """
    with tempfile.TemporaryDirectory(prefix="reditus-bundle-") as folder:
        path = Path(folder) / "bundle.zip"
        with path.open("wb") as file:
            async for chunk in request.stream():
                await to_thread.run_sync(file.write, chunk, limiter=context.lanes.intake)

        def work() -> InvestigationOut:
            return InvestigationOut.of(put_opened(context.store, open_bundle(path)))

        return await to_thread.run_sync(work, limiter=context.lanes.long)


def _made(
    context: Context, investigation_id: UUID, choices: Choices, job: UUID | None
) -> tuple[Inside, list[Part], str]:
    store = context.store

    def at(done: int, total: int, doing: str) -> None:
        check_cancelled()
        context.progress.at(job, done, total, doing)

    try:
        dossier = dossier_of(
            store.investigations.get(investigation_id), store.investigations.exhibits(investigation_id)
        )
        inside = inside_of(store, dossier, choices, context.web, spell_time(time.time_ns()), at)
        parts = parts_of(inside, lambda done, total: at(done, total, "packing"))
    finally:
        context.progress.ended(job)
    # What was replaced in it is replaced in the name of the file as well.
    return inside, parts, inside.fields.question or ""


def _ticks(stretch: ArchiveStretch) -> int:
    """Of the schema that has the most."""
    counts: dict[bytes, int] = {}
    for block in stretch.blocks:
        counts[block.schema] = counts.get(block.schema, 0) + block.ticks
    return max(counts.values(), default=0)


def _described(context: Context, investigation_id: UUID, inside: Inside, parts: list[Part]) -> BundleInsideOut:
    store = context.store
    dossier = dossier_of(store.investigations.get(investigation_id), store.investigations.exhibits(investigation_id))
    timelines = list(usual_stretches(dossier))
    made = [] if inside.names is None else sorted(inside.names.made.items(), key=lambda pair: (pair[1][0], pair[0]))
    return BundleInsideOut(
        parts=[BundlePartOut(name=part.name, bytes=len(part.data), media_type=part.media_type) for part in parts],
        packed_bytes=len(zipped(parts)),
        stretches=[
            BundleStretchOut(
                timeline=next((key for key in timelines if key in (stretch.archive, stretch.host)), stretch.archive),
                host=stretch.host_name,
                archive=stretch.name,
                start=window.start_ns,
                end=window.end_ns,
                ticks=_ticks(stretch),
                processes=sum(len(item.processes) for item in stretch.identities),
                markers=len(stretch.markers),
                damaged=stretch.damaged,
            )
            for stretch, window in inside.stretches
        ],
        substitutes=[
            SubstituteOut(category=category, name=name[:200], substitute=substitute)
            for name, (category, substitute) in made[:MOST_SUBSTITUTES]
        ],
        more=max(len(made) - MOST_SUBSTITUTES, 0),
        searched=0 if inside.names is None else len(inside.names.words()),
    )
