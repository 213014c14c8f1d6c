"""Bounded LRU caches of schemas: a schema never changes, so it is fetched once."""

from collections.abc import Sequence
from threading import Lock
from uuid import UUID

from cachetools import LRUCache
from sqlalchemy.orm import Session

from reditus.core.measures.selection import ColumnSet, StoredColumn
from reditus.core.schema import Column, Kind
from reditus.store.database import statements
from reditus.store.database.tables import ColumnRow

CACHED_SCHEMAS = 4_096
CACHED_SETS = 512


class SchemaCache:
    """Columns by schema. Safe from several threads."""

    def __init__(self) -> None:
        self._lock = Lock()
        self._schemas = LRUCache[tuple[UUID, int], tuple[StoredColumn, ...]](CACHED_SCHEMAS)
        self._sets = LRUCache[tuple[UUID, tuple[int, ...]], ColumnSet](CACHED_SETS)

    def of_schemas(self, session: Session, host_id: UUID, used: tuple[int, ...]) -> ColumnSet:
        """All columns of these schemas of a host."""
        with self._lock:
            known = self._sets.get((host_id, used))
            held = {schema: self._schemas.get((host_id, schema)) for schema in used}
        if known is not None:
            return known
        missing = [schema for schema, columns in held.items() if columns is None]
        fetched = _fetch(session, host_id, missing) if missing else {}
        whole = ColumnSet([extent for schema in used for extent in (held[schema] or fetched[schema])])
        with self._lock:
            for schema, found in fetched.items():
                self._schemas[host_id, schema] = found
            # Another thread may have been faster; all get its object.
            known = self._sets.get((host_id, used))
            if known is None:
                self._sets[host_id, used] = whole
        return whole if known is None else known


def _fetch(session: Session, host_id: UUID, schemas: Sequence[int]) -> dict[int, tuple[StoredColumn, ...]]:
    found: dict[int, list[StoredColumn]] = {schema: [] for schema in schemas}
    for row, group in session.execute(statements.schema_columns(host_id, schemas)):
        found[row.schema_id].append(StoredColumn(row.schema_id, group, row.position, column_of(row)))
    return {schema: tuple(columns) for schema, columns in found.items()}


def column_of(row: ColumnRow) -> Column:
    """The column that a row describes."""
    return Column.of(
        row.counter,
        row.attributes,
        unit=row.unit,
        kind=Kind(row.kind),
        scale=(row.scale_up, row.scale_down),
        bits=row.bits,
        double=row.double,
    )
