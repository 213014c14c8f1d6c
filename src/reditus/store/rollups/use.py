"""Stored use: who used what, one row a bin, and how far that reaches."""

from collections.abc import Callable, Iterator, Mapping
from dataclasses import dataclass
from typing import Any
from uuid import UUID

from sqlalchemy import delete, select
from sqlalchemy.dialects.postgresql import insert
from sqlalchemy.orm import Session

from reditus.core.binning.edges import even_edges
from reditus.core.errors import DamagedBlock
from reditus.core.types import NS_PER_S
from reditus.core.use import Use
from reditus.core.use_codec import VERSION, decode_use, encode_use
from reditus.store.database.tables import UseBinRow, UseReachRow

TryRows = Callable[[str, Mapping[str, Any]], list[tuple[Any, ...]] | None]
_STORED = """
select first_ns, data from use_bins
where host_id = %(host)s and archive_id = %(archive)s and level_s = %(level)s
  and first_ns >= %(begin)s and first_ns < %(end)s
order by first_ns
"""


@dataclass(frozen=True, slots=True)
class UseReach:
    """From when until when use is stored; bins in which nothing was recorded have no row."""

    since_ns: int
    until_ns: int


class UseBins:
    """Stored use of one host, within a reader's transaction."""

    def __init__(self, session: Session, host: UUID, try_rows: TryRows) -> None:
        """`try_rows` runs a statement, and returns None where the database's files are damaged."""
        self._session, self._host, self._try_rows = session, host, try_rows

    def reach(self, archive: UUID, level_s: int) -> UseReach | None:
        """None where nothing is stored, or was in another version."""
        row = self._session.execute(
            select(UseReachRow.since_ns, UseReachRow.until_ns, UseReachRow.version).where(
                UseReachRow.host_id == self._host, UseReachRow.archive_id == archive, UseReachRow.level_s == level_s
            )
        ).one_or_none()
        return UseReach(row.since_ns, row.until_ns) if row is not None and row.version == VERSION else None

    def save_reach(self, archive: UUID, level_s: int, reach: UseReach) -> None:
        """Record how far a level reaches."""
        values = {"version": VERSION, "since_ns": reach.since_ns, "until_ns": reach.until_ns}
        statement = insert(UseReachRow).values(host_id=self._host, archive_id=archive, level_s=level_s, **values)
        self._session.execute(
            statement.on_conflict_do_update(index_elements=["host_id", "archive_id", "level_s"], set_=values),
            execution_options={"synchronize_session": False},
        )

    def save(self, archive: UUID, level_s: int, first_ns: int, use: Use) -> None:
        """Store a bin."""
        self._session.merge(
            UseBinRow(host_id=self._host, archive_id=archive, level_s=level_s, first_ns=first_ns, data=encode_use(use))
        )

    def read(self, archive: UUID, level_s: int, begin_ns: int, end_ns: int) -> Iterator[Use]:
        """Stored bins that begin between two times, in order. Raise DamagedBlock or BlockError."""
        values = {"host": self._host, "archive": archive, "level": level_s, "begin": begin_ns, "end": end_ns}
        rows = self._try_rows(_STORED, values)
        if rows is None:
            raise DamagedBlock("the database cannot read its stored use")
        level_ns = level_s * NS_PER_S
        for first_ns, data in rows:
            yield decode_use(data, even_edges(first_ns, first_ns + level_ns, level_ns))


def drop_use(session: Session, host: UUID, archive: UUID, from_ns: int | None = None) -> None:
    """Forget stored use from some time on, or all of it: the ticks below it change."""
    rows = [UseBinRow.host_id == host, UseBinRow.archive_id == archive]
    reaches = [UseReachRow.host_id == host, UseReachRow.archive_id == archive]
    if from_ns is None:
        session.execute(delete(UseBinRow).where(*rows))
        session.execute(delete(UseReachRow).where(*reaches))
        return
    for reach in session.scalars(select(UseReachRow).where(*reaches, UseReachRow.until_ns >= from_ns)):
        level_ns = reach.level_s * NS_PER_S
        # A tick on an edge belongs to the bin that ends there.
        cut_ns = (from_ns - 1) // level_ns * level_ns
        session.execute(
            delete(UseBinRow).where(*rows, UseBinRow.level_s == reach.level_s, UseBinRow.first_ns >= cut_ns)
        )
        if cut_ns <= reach.since_ns:
            session.delete(reach)
        else:
            reach.until_ns = cut_ns
    session.flush()


def truncate_use(session: Session, host: UUID, archive: UUID, first_ns: int) -> None:
    """Remove what begins before the first tick that is left."""
    for reach in session.scalars(
        select(UseReachRow).where(UseReachRow.host_id == host, UseReachRow.archive_id == archive)
    ):
        level_ns = reach.level_s * NS_PER_S
        reach.since_ns = max(reach.since_ns, -(-first_ns // level_ns) * level_ns)
        session.execute(
            delete(UseBinRow).where(
                UseBinRow.host_id == host,
                UseBinRow.archive_id == archive,
                UseBinRow.level_s == reach.level_s,
                UseBinRow.first_ns < reach.since_ns,
            )
        )
    session.flush()


def drop_stale_use(session: Session, host: UUID, archive: UUID) -> None:
    """Remove what is stored in another version."""
    stale = session.scalar(
        select(UseReachRow.version).where(
            UseReachRow.host_id == host, UseReachRow.archive_id == archive, UseReachRow.version != VERSION
        )
    )
    if stale is not None:
        drop_use(session, host, archive)
