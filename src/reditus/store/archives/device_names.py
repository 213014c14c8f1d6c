"""What people call the devices of a host."""

from collections.abc import Mapping
from uuid import UUID

from sqlalchemy import delete, select
from sqlalchemy.dialects.postgresql import insert
from sqlalchemy.orm import Session

from reditus.store.database.tables import DeviceNameRow
from reditus.store.read.scope import scope_of

Names = Mapping[str, Mapping[str, str]]
"""By kind and device."""


def names_of(session: Session, host_id: UUID) -> Names:
    """Names of a host's devices, by kind and device."""
    out: dict[str, dict[str, str]] = {}
    for row in session.scalars(select(DeviceNameRow).where(DeviceNameRow.host_id == host_id)):
        out.setdefault(row.kind, {})[row.device] = row.name
    return out


def name_device(session: Session, archive: UUID, kind: str, device: str, name: str | None) -> Names:
    """Call a device of the archive's host by a name; None takes the name away. Raise UnknownArchive."""
    host_id = scope_of(session, archive).host
    if name is None:
        session.execute(
            delete(DeviceNameRow).where(
                DeviceNameRow.host_id == host_id, DeviceNameRow.kind == kind, DeviceNameRow.device == device
            )
        )
    else:
        values = {"host_id": host_id, "kind": kind, "device": device, "name": name}
        statement = insert(DeviceNameRow).values(**values)
        session.execute(
            statement.on_conflict_do_update(index_elements=["host_id", "kind", "device"], set_={"name": name})
        )
    return names_of(session, host_id)
