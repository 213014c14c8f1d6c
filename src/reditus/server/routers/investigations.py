"""Investigations: the question that is worked on, with what people wrote of it."""

from uuid import UUID, uuid4

from fastapi import APIRouter, Request, Response

from reditus.analysis.investigations import Event, copied_fields, events_of, events_of_host, timeline_window
from reditus.analysis.report.dossier import dossier_of
from reditus.core.errors import Cancelled, CoreError
from reditus.exchange.bundle.fields import Fields
from reditus.server.cancellation import run_until_disconnect
from reditus.server.context import Context, ContextDep, StoreDep
from reditus.server.investigation_schemas import ChangesIn, EventOut, InvestigationOut, KeepsIn, TimelineOut
from reditus.server.pinning import judged
from reditus.store import StoreError, UnknownArchive
from reditus.store.archives.log_lines import LineChoice

router = APIRouter(prefix="/investigations", tags=["investigations"])

MOST_EVENTS = 300


@router.get("")
def list_investigations(store: StoreDep) -> list[InvestigationOut]:
    """All investigations, the one that was changed last first."""
    return [InvestigationOut.of(record) for record in store.investigations.all()]


@router.put("/{investigation_id}")
def put_investigation(investigation_id: UUID, body: Fields, store: StoreDep) -> InvestigationOut:
    """Begin an investigation under an id that the client made; one of that id is returned as it is."""
    return InvestigationOut.of(store.investigations.open(investigation_id, body.flat()))


@router.get("/{investigation_id}")
def read_investigation(investigation_id: UUID, store: StoreDep) -> InvestigationOut:
    """One investigation."""
    return InvestigationOut.of(store.investigations.get(investigation_id))


@router.patch("/{investigation_id}")
def patch_investigation(investigation_id: UUID, body: ChangesIn, store: StoreDep) -> InvestigationOut:
    """Set fields. Where another person changed the same ones since `version`, nothing is written, and the answer (409)
    holds what they are now.
    """
    return InvestigationOut.of(store.investigations.change(investigation_id, body.version, body.fields.flat()))


@router.put("/{investigation_id}/keeps")
def put_keeps(investigation_id: UUID, body: KeepsIn, store: StoreDep) -> InvestigationOut:
    """Let archives keep what the exhibits stand on, or no longer."""
    return InvestigationOut.of(store.investigations.keep_archives(investigation_id, keeps=body.keeps))


@router.delete("/{investigation_id}", status_code=204, response_class=Response)
def delete_investigation(investigation_id: UUID, store: StoreDep) -> None:
    """Delete an investigation. For a month it can be brought back."""
    store.investigations.delete(investigation_id)


@router.post("/{investigation_id}/restore")
def restore_investigation(investigation_id: UUID, store: StoreDep) -> InvestigationOut:
    """Bring a deleted investigation back."""
    return InvestigationOut.of(store.investigations.restore(investigation_id))


@router.post("/{investigation_id}/copy")
def copy_investigation(investigation_id: UUID, store: StoreDep) -> InvestigationOut:
    """A copy to work on, with the same exhibits: also of what came in a bundle."""
    source, exhibits = store.investigations.get(investigation_id), store.investigations.exhibits(investigation_id)
    made = uuid4()
    fields, copies = copied_fields(made, source, exhibits)
    store.investigations.open(made, fields)
    for exhibit in copies:
        store.investigations.pin(exhibit)
    return InvestigationOut.of(store.investigations.get(made))


@router.get("/{investigation_id}/timeline")
async def read_timeline(investigation_id: UUID, request: Request, context: ContextDep) -> TimelineOut:
    """Exhibits, and the findings, notes and changes of the hosts concerned, on one axis."""
    return await run_until_disconnect(request, lambda: _timeline(context, investigation_id), context.lanes.long)


def _timeline(context: Context, investigation_id: UUID) -> TimelineOut:
    store = context.store
    dossier = dossier_of(store.investigations.get(investigation_id), store.investigations.exhibits(investigation_id))
    window, hosts = timeline_window(dossier)
    events: list[tuple[Event, UUID | None]] = [(event, None) for event in events_of(dossier)]
    troubles = []
    for timeline in hosts:
        try:
            info = store.archives.get(timeline)
            markers = store.markers.read(timeline, window, LineChoice(logs=("",)), MOST_EVENTS).markers
            history = store.archives.facts_history(timeline)
            found = events_of_host(info.host.name, window, judged(context, timeline), markers, history)
            events += [(event, timeline) for event in found]
        except Cancelled:
            raise
        except UnknownArchive:
            continue  # exhibits outlive what they were made of
        except (StoreError, CoreError) as why:
            troubles.append(str(why))
    events.sort(key=lambda pair: (pair[0].start_ns, pair[0].what))
    return TimelineOut(
        start=window.start_ns,
        end=window.end_ns,
        events=[
            EventOut(
                what=event.what, archive=timeline, start=event.start_ns, end=event.end_ns, text=event.text,
                host=event.host, number=event.number, resource=event.resource, id=event.id,
            )
            for event, timeline in events[:MOST_EVENTS]
        ],
        troubles=troubles,
    )  # fmt: skip
