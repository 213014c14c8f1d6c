"""Readable names of devices, for all archives of their host."""

from uuid import UUID

from fastapi import APIRouter

from reditus.server.context import StoreDep
from reditus.server.marker_schemas import DeviceNameIn
from reditus.store.names import name_device, names_of

router = APIRouter(prefix="/archives/{archive_id}/names", tags=["names"])


@router.get("")
def read_names(archive_id: UUID, store: StoreDep) -> dict[str, dict[str, str]]:
    """What people call the devices, by kind and device."""
    host_id = store.archive(archive_id).host.id
    return {kind: dict(names) for kind, names in store.during(lambda session: names_of(session, host_id)).items()}


@router.put("")
def put_name(archive_id: UUID, told: DeviceNameIn, store: StoreDep) -> dict[str, dict[str, str]]:
    """Call a device by a name, or take the name away. It holds for every archive of the host."""
    names = store.during(lambda session: name_device(session, archive_id, told.kind, told.device, told.name))
    return {kind: dict(names) for kind, names in names.items()}
