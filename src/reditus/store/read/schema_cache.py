"""What columns archives have, remembered: a schema never changes, so it is fetched once."""

from collections import OrderedDict
from collections.abc import Sequence
from threading import Lock
from typing import Generic, TypeVar
from uuid import UUID

from sqlalchemy.orm import Session

from reditus.core.measures.selection import ColumnSet, StoredColumn
from reditus.core.schema import Column, Kind
from reditus.store.database import statements
from reditus.store.database.tables import ColumnRow

K = TypeVar("K")
V = TypeVar("V")
REMEMBERED_SCHEMAS = 4_096
REMEMBERED_SETS = 512


class _Memory(Generic[K, V]):
    """A bounded dictionary that forgets what was requested least recently."""

    def __init__(self, most: int) -> None:
        self._most = most
        self._held: OrderedDict[K, V] = OrderedDict()

    def get(self, key: K) -> V | None:
        if key not in self._held:
            return None
        self._held.move_to_end(key)
        return self._held[key]

    def keep(self, key: K, value: V) -> None:
        self._held[key] = value
        self._held.move_to_end(key)
        while len(self._held) > self._most:
            self._held.popitem(last=False)


class SchemaCache:
    """Columns by schema, least recently requested forgotten first. Safe from several threads."""

    def __init__(self) -> None:
        self._lock = Lock()
        self._schemas = _Memory[tuple[UUID, int], tuple[StoredColumn, ...]](REMEMBERED_SCHEMAS)
        self._sets = _Memory[tuple[UUID, tuple[int, ...]], ColumnSet](REMEMBERED_SETS)

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
                self._schemas.keep((host_id, schema), found)
            # Another thread may have been faster; all get its object.
            known = self._sets.get((host_id, used))
            if known is None:
                self._sets.keep((host_id, used), whole)
        return whole if known is None else known


def _fetch(session: Session, host_id: UUID, schemas: Sequence[int]) -> dict[int, tuple[StoredColumn, ...]]:
    found: dict[int, list[StoredColumn]] = {schema: [] for schema in schemas}
    for row, group in session.execute(statements.schema_columns(host_id, schemas)):
        found[row.schema_id].append(StoredColumn(row.schema_id, group, row.position, column_of(row)))
    return {schema: tuple(columns) for schema, columns in found.items()}


def column_of(row: ColumnRow) -> Column:
    return Column.of(
        row.counter,
        row.attributes,
        unit=row.unit,
        kind=Kind(row.kind),
        scale=(row.scale_up, row.scale_down),
        bits=row.bits,
    )
