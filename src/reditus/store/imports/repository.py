"""Imports with their verbs. Each call is a transaction of its own: what it raises undoes it."""

import time
from collections.abc import Mapping, Sequence
from typing import Any
from uuid import UUID

from sqlalchemy import delete, func, select
from sqlalchemy.dialects.postgresql import insert
from sqlalchemy.orm import Session

from reditus.store.database.tables import ImportRow, SettingRow
from reditus.store.imports.records import (
    AT_WORK,
    ENDED,
    MOST_IMPORTS,
    Import,
    ImportInTheWay,
    State,
    TooManyImports,
    UnknownImport,
)
from reditus.store.repositories import Repository

MAPPING = "mapping"
"""What settings are called that hold how a table is read."""


class Imports(Repository):
    """Files on their way into archives."""

    def all(self) -> list[Import]:
        """The newest first."""

        def work(session: Session) -> list[Import]:
            return [_of(row) for row in session.scalars(select(ImportRow).order_by(ImportRow.created_ns.desc()))]

        return self._transact(work)

    def get(self, wanted: UUID) -> Import:
        """Raise UnknownImport."""
        return self._transact(lambda session: _of(_row(session, wanted)))

    def begin(self, made: UUID, name: str, size_bytes: int) -> Import:
        """A new one; of an id that is there already, that one. Raise TooManyImports, or ImportInTheWay where the id is
        that of another file.
        """

        def work(session: Session) -> Import:
            row = session.get(ImportRow, made)
            if row is None:
                if (session.scalar(select(func.count()).select_from(ImportRow)) or 0) >= MOST_IMPORTS:
                    raise TooManyImports
                now_ns = time.time_ns()
                row = ImportRow(
                    id=made, name=name, size_bytes=size_bytes, received_bytes=0, state=State.RECEIVING.value,
                    options={}, remarks=[], ticks=0, created_ns=now_ns, changed_ns=now_ns,
                )  # fmt: skip
                session.add(row)
                session.flush()
            elif (row.name, row.size_bytes) != (name, size_bytes):
                raise ImportInTheWay(f"import {made} is of {row.name!r} with {row.size_bytes:,} bytes; make a new id")
            return _of(row)

        return self._transact(work)

    def received(self, wanted: UUID, received_bytes: int) -> Import:
        """So much of the file is here. Raise UnknownImport, or ImportInTheWay where it is whole already."""

        def work(session: Session) -> Import:
            row = _row(session, wanted)
            _check(row, State.RECEIVING)
            row.received_bytes = received_bytes
            if received_bytes == row.size_bytes:
                row.state = State.RECEIVED.value
            return _changed(session, row)

        return self._transact(work)

    def start(self, wanted: UUID, options: Mapping[str, Any]) -> Import:
        """Let it be read. Raise UnknownImport, or ImportInTheWay where the file is not whole or at work."""

        def work(session: Session) -> Import:
            row = _row(session, wanted)
            _check(row, State.RECEIVED, State.FAILED)
            row.state, row.options, row.problem = State.QUEUED.value, dict(options), None
            return _changed(session, row)

        return self._transact(work)

    def next(self) -> Import | None:
        """The one at work or waiting for longest: after a restart the one that was at work."""

        def work(session: Session) -> Import | None:
            row = session.scalar(
                select(ImportRow)
                .where(ImportRow.state.in_([state.value for state in AT_WORK]))
                .order_by(ImportRow.changed_ns)
                .limit(1)
            )
            return None if row is None else _of(row)

        return self._transact(work)

    def step(self, wanted: UUID, state: State) -> None:
        """Note what is done with it. Raise UnknownImport, or ImportInTheWay where it was cancelled meanwhile."""

        def work(session: Session) -> None:
            row = _row(session, wanted)
            _check(row, *AT_WORK)
            row.state = state.value
            _changed(session, row)

        self._transact(work)

    def done(self, wanted: UUID, archive: UUID, ticks: int, remarks: Sequence[str]) -> None:
        """It is in an archive. Raise UnknownImport."""

        def work(session: Session) -> None:
            row = _row(session, wanted)
            row.state, row.archive_id, row.ticks, row.remarks = State.DONE.value, archive, ticks, list(remarks)
            _changed(session, row)

        self._transact(work)

    def fail(self, wanted: UUID, problem: str) -> None:
        """It cannot be. Nothing happens where it has ended or is gone already."""

        def work(session: Session) -> None:
            row = session.get(ImportRow, wanted, with_for_update=True)
            if row is not None and State(row.state) not in ENDED:
                row.state, row.problem = State.FAILED.value, problem
                _changed(session, row)

        self._transact(work)

    def cancel(self, wanted: UUID) -> Import:
        """End it, wherever it is. Raise UnknownImport, or ImportInTheWay where it has ended."""

        def work(session: Session) -> Import:
            row = _row(session, wanted)
            if State(row.state) in ENDED:
                raise ImportInTheWay(f"{row.name} has ended already ({row.state})")
            row.state = State.CANCELLED.value
            return _changed(session, row)

        return self._transact(work)

    def mapping_of(self, signature: str) -> dict[str, Any] | None:
        """How the last file of a signature was read, as a mapping or a layout; None where there was none."""

        def work(session: Session) -> dict[str, Any] | None:
            row = session.get(SettingRow, f"{MAPPING} {signature}")
            return None if row is None else dict(row.content)

        return self._transact(work)

    def keep_mapping(self, signature: str, mapping: Mapping[str, Any]) -> None:
        """Read the next file of a signature the same way."""

        def work(session: Session) -> None:
            values = {"name": f"{MAPPING} {signature}", "content": dict(mapping)}
            made = insert(SettingRow).values(**values)
            session.execute(
                made.on_conflict_do_update(index_elements=["name"], set_={"content": made.excluded.content})
            )

        self._transact(work)

    def remove(self, wanted: UUID) -> None:
        """Forget one that has ended or was never begun. Raise UnknownImport, or ImportInTheWay while it is at work."""

        def work(session: Session) -> None:
            row = _row(session, wanted)
            if State(row.state) in AT_WORK:
                raise ImportInTheWay(f"{row.name} is being read; cancel it first")
            session.execute(delete(ImportRow).where(ImportRow.id == wanted))

        self._transact(work)


def _row(session: Session, wanted: UUID) -> ImportRow:
    row = session.get(ImportRow, wanted, with_for_update=True)
    if row is None:
        raise UnknownImport(wanted)
    return row


def _check(row: ImportRow, *states: State) -> None:
    if State(row.state) not in states:
        wanted = " or ".join(state.value for state in states)
        raise ImportInTheWay(f"{row.name} is {row.state}; it would have to be {wanted}")


def _changed(session: Session, row: ImportRow) -> Import:
    row.changed_ns = time.time_ns()
    session.flush()
    return _of(row)


def _of(row: ImportRow) -> Import:
    return Import(
        row.id, row.name, row.size_bytes, row.received_bytes, State(row.state), row.options, row.problem, row.remarks,
        row.archive_id, row.ticks, row.created_ns, row.changed_ns,
    )  # fmt: skip
