"""Exhibits: pinning them, and showing what was frozen."""

import time
from collections.abc import Mapping
from typing import Annotated
from uuid import UUID

from fastapi import APIRouter, Body, Query, Request, Response

from reditus.analysis.report.dossier import content_of, numbered, ordered
from reditus.analysis.report.drawing import pictures
from reditus.analysis.report.inks import Theme
from reditus.exchange.bundle.contents import checksum, frozen
from reditus.exchange.bundle.fields import Fields
from reditus.server.cancellation import run_until_disconnect
from reditus.server.context import Context, ContextDep, StoreDep
from reditus.server.investigation_schemas import ExhibitOut
from reditus.server.pin_schemas import PinIn
from reditus.server.pinning import LONG, frozen_of
from reditus.store.investigations.records import Exhibit, UnknownExhibit
from reditus.store.records import ArchiveInfo
from reditus.store.store import Store

router = APIRouter(tags=["investigations"])

SVG = "image/svg+xml"


@router.get("/investigations/{investigation_id}/exhibits")
def list_exhibits(investigation_id: UUID, store: StoreDep) -> list[ExhibitOut]:
    """The exhibits of an investigation, in the analyst's order."""
    return _shown(store, investigation_id)


@router.put("/investigations/{investigation_id}/exhibits/{exhibit_id}")
async def pin_exhibit(
    investigation_id: UUID, exhibit_id: UUID, pin: Annotated[PinIn, Body()], request: Request, context: ContextDep
) -> ExhibitOut:
    """Read what is to be pinned, and freeze it with its numbers, under an id that the client made."""

    def work() -> ExhibitOut:
        _pin(context, investigation_id, exhibit_id, pin)
        shown = _shown(context.store, investigation_id, only=exhibit_id)
        if not shown:
            raise UnknownExhibit(exhibit_id)  # it was pinned under this id before, and removed
        return shown[0]

    lane = context.lanes.long if isinstance(pin, LONG) else context.lanes.charts
    return await run_until_disconnect(request, work, lane)


def _pin(context: Context, investigation_id: UUID, exhibit_id: UUID, pin: PinIn) -> None:
    context.store.investigations.get(investigation_id)
    content = frozen_of(context, pin)
    data = frozen(content)
    context.store.investigations.pin(
        Exhibit(
            id=exhibit_id,
            investigation=investigation_id,
            archive=pin.archive,
            start_ns=content.start_ns,
            end_ns=content.end_ns,
            content=data,
            pictures=tuple(pictures(content)),
            checksum=checksum(data),
            pinned_ns=time.time_ns(),
        )
    )


def _shown(store: Store, investigation_id: UUID, only: UUID | None = None) -> list[ExhibitOut]:
    """All exhibits of an investigation, or one of them; what the others hold is not read then."""
    record = store.investigations.get(investigation_id)
    fields = Fields.of(record.fields)
    archives: dict[UUID, list[ArchiveInfo]] = {}
    for info in store.archives.all():
        archives.setdefault(info.id, []).append(info)
        archives.setdefault(info.host.id, []).append(info)
    ids: Mapping[str, str] = {} if record.origin is None else record.origin.get("ids", {})
    return [
        ExhibitOut.of(numbered(fields, number, item), archives, ids)
        for number, item in ordered(fields, store.investigations.exhibits(investigation_id))
        if only in (None, item.id)
    ]


@router.get("/exhibits/{exhibit_id}", response_class=Response)
def read_exhibit(exhibit_id: UUID, store: StoreDep) -> Response:
    """What was frozen, byte by byte: canonical JSON after the schema in docs/bundles.md. Its SHA-256 is the ETag."""
    exhibit = store.investigations.exhibit(exhibit_id)
    content_of(exhibit)
    return Response(exhibit.content, media_type="application/json", headers={"ETag": f'"{exhibit.checksum}"'})


@router.get("/exhibits/{exhibit_id}/pictures/{place}", response_class=Response)
def read_picture(
    exhibit_id: UUID,
    place: int,
    store: StoreDep,
    theme: Annotated[Theme, Query(description="By day as it was frozen; by night in the inks of that theme.")] = "day",
    head: Annotated[bool, Query(description="With host, window and clock in the picture.")] = False,
) -> Response:
    """A picture of an exhibit, counted from 0."""
    exhibit = store.investigations.exhibit(exhibit_id)
    content = content_of(exhibit)
    drawn = exhibit.pictures if theme == "day" and not head else pictures(content, theme, head=head)
    if not 0 <= place < len(drawn):
        raise UnknownExhibit(exhibit_id)
    return Response(drawn[place], media_type=SVG)


@router.delete("/exhibits/{exhibit_id}", status_code=204, response_class=Response)
def remove_exhibit(exhibit_id: UUID, store: StoreDep) -> None:
    """Take an exhibit away. For a month it can be brought back."""
    store.investigations.remove_exhibit(exhibit_id)


@router.post("/exhibits/{exhibit_id}/restore", status_code=204, response_class=Response)
def restore_exhibit(exhibit_id: UUID, store: StoreDep) -> None:
    """Bring an exhibit back."""
    store.investigations.remove_exhibit(exhibit_id, back=True)
