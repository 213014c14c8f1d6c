"""Readable names of devices, for all archives of their host."""

from uuid import UUID

from fastapi import APIRouter

from reditus.server.context import StoreDep
from reditus.server.marker_schemas import DeviceNameIn

router = APIRouter(prefix="/archives/{archive_id}/names", tags=["names"])


@router.get("")
def read_names(archive_id: UUID, store: StoreDep) -> dict[str, dict[str, str]]:
    """What people call the devices, by kind and device."""
    host_id = store.archives.get(archive_id).host.id
    return {kind: dict(names) for kind, names in store.device_names.of_host(host_id).items()}


@router.put("")
def put_name(archive_id: UUID, body: DeviceNameIn, store: StoreDep) -> dict[str, dict[str, str]]:
    """Call a device by a name, or take the name away. It holds for every archive of the host."""
    store.archives.check_writable(archive_id)
    names = store.device_names.assign(archive_id, body.kind, body.device, body.name)
    return {kind: dict(names) for kind, names in names.items()}
