"""What people and recorders decided and wrote, beside the archives: out of one database as JSON and into another."""

from base64 import b64decode, b64encode
from collections.abc import Mapping
from typing import Any
from uuid import UUID

from sqlalchemy import LargeBinary, Table, Uuid, select, text
from sqlalchemy.dialects.postgresql import insert
from sqlalchemy.orm import Session

from reditus.core.types import Json
from reditus.store.database.tables import Base
from reditus.store.errors import StoreError

# Those that others refer to come first. Settings stay: the key that substitutes are made by is a secret of the server.
_KEPT = ("hosts", "plans", "recorders", "device_names", "verdicts", "layouts", "investigations", "exhibits")
TABLES: Mapping[str, Table] = {name: Base.metadata.tables[name] for name in _KEPT}
_OF_NO_HOST = ("plans", "layouts", "investigations", "exhibits")


class RecordsUnreadable(StoreError, ValueError):
    """Records that do not fit this database."""


def records_of(session: Session, host: UUID | None = None) -> Json:
    """All records, or those of one host alone, with the version of the tables that they are of."""
    found: dict[str, list[Json]] = {}
    for name, table in TABLES.items():
        if host is not None and name in _OF_NO_HOST:
            continue
        statement = select(table)
        if host is not None:
            statement = statement.where((table.c.id if name == "hosts" else table.c.host_id) == host)
        rows = session.execute(statement.order_by(*table.primary_key.columns)).mappings()
        found[name] = [{key: _plain(value) for key, value in row.items()} for row in rows]
    return {"revision": session.scalar(text("select version_num from alembic_version")), "tables": found}


def put_records(session: Session, records: Json) -> dict[str, int]:
    """Insert what is not there yet; return how many of each table. What is there stays. Raise RecordsUnreadable."""
    out: dict[str, int] = {}
    tables = records.get("tables")
    if not isinstance(tables, dict) or not set(tables) <= set(TABLES):
        raise RecordsUnreadable(f"the records are not those of a backup: tables are {', '.join(TABLES)}")
    for name, table in TABLES.items():
        out[name] = 0
        for row in tables.get(name, []):
            if set(row) - set(table.c.keys()):
                raise RecordsUnreadable(
                    f"the records of {name!r} have {sorted(set(row) - set(table.c.keys()))[0]!r}, which this Reditus "
                    f"does not know: they were written by a later one (tables {records.get('revision')})"
                )
            try:
                values = {key: _typed(table, key, value) for key, value in row.items()}
            except (ValueError, TypeError, AttributeError) as why:
                raise RecordsUnreadable(f"the records of {name!r} are not as they should be: {why}") from why
            made = session.execute(insert(table).values(**values).on_conflict_do_nothing().returning(text("1")))
            out[name] += len(made.all())
    return out


def _plain(value: Any) -> Any:
    if isinstance(value, UUID):
        return str(value)
    return b64encode(value).decode() if isinstance(value, bytes) else value


def _typed(table: Table, name: str, value: Any) -> Any:
    kind = table.c[name].type
    if value is None:
        return None
    if isinstance(kind, Uuid):
        return UUID(value)
    return b64decode(value, validate=True) if isinstance(kind, LargeBinary) else value
