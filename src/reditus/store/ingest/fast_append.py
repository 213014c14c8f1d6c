"""The usual append as one call: blocks each of which is newer than all that is stored of its kind.

What is usual the database says itself (append_blocks, among the migrations), under the same locks as everybody, and
then stores and commits: one question, one answer. Whatever is unusual is left to `appending`, which can say what is
wrong.
"""

from collections.abc import Sequence
from dataclasses import dataclass
from uuid import UUID

from psycopg import Connection
from sqlalchemy import Engine
from sqlalchemy.pool import PoolProxiedConnection

from reditus.core.blocks import Block
from reditus.core.identities import Identities
from reditus.store.database.array_dumpers import Byteas, Int4s, Int8s, Uuids, teach
from reditus.store.database.offset_table import stored
from reditus.store.database.statements import UPSERT_PROCESSES, processes_of

Row = tuple[UUID, int, Block]
"""A block with its host and the id of its schema."""
_APPEND = f"select append_blocks({', '.join(['%b'] * 10)})"


@dataclass(frozen=True, slots=True)
class FastBatch:
    """What is to be stored: at least one block, none twice of the same archive and schema; and who processes are."""

    rows: Sequence[Row]
    identities: Sequence[tuple[UUID, Identities]]
    """Each with its host."""


class FastAppender:
    """One connection, kept between appends. For one thread at a time."""

    def __init__(self, engine: Engine) -> None:
        self._engine = engine
        self._held: PoolProxiedConnection | None = None

    def put(self, usual: FastBatch) -> bool:
        """Commit it all if nothing about it is unusual, and return True; else do nothing. Raises what the
        driver does.
        """
        try:
            driver = self._driver()
            if not usual.identities:
                return _append(driver, usual.rows)
            with driver.transaction():
                if not _append(driver, usual.rows):
                    return False
                for host, identities in usual.identities:
                    driver.execute(UPSERT_PROCESSES, processes_of(host, identities), prepare=True)
                return True
        except BaseException:
            self.close()
            raise

    def close(self) -> None:
        """Give the connection back."""
        held, self._held = self._held, None
        if held is not None:
            held.invalidate()

    def _driver(self) -> Connection[tuple[object, ...]]:
        if self._held is None:
            self._held = self._engine.raw_connection()
            driver = _driver_in(self._held)
            driver.autocommit = True
            teach(driver)
        return _driver_in(self._held)


def _append(driver: Connection[tuple[object, ...]], rows: Sequence[Row]) -> bool:
    found = driver.execute(_APPEND, _values(rows), prepare=True).fetchone()
    return found is not None and bool(found[0])


def _driver_in(held: PoolProxiedConnection) -> Connection[tuple[object, ...]]:
    driver = held.driver_connection
    assert isinstance(driver, Connection)
    return driver


def _values(rows: Sequence[Row]) -> tuple[object, ...]:
    hosts, schemas = [host for host, _, _ in rows], [schema for _, schema, _ in rows]
    blocks = [block.current() for _, _, block in rows]
    return (
        Uuids(hosts),
        Uuids([block.archive for block in blocks]),
        Int4s(schemas),
        Int8s([block.first_ns for block in blocks]),
        Int8s([block.last_ns for block in blocks]),
        Uuids([block.boot for block in blocks]),
        Int8s([block.interval_ns for block in blocks]),
        Int4s([block.ticks for block in blocks]),
        Byteas([stored(block.directory) for block in blocks]),
        Byteas([block.data for block in blocks]),
    )
