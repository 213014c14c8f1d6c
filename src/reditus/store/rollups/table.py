"""Rollups in the database: rows of chunks of bins, and how far they reach."""

import hashlib
from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from uuid import UUID

from sqlalchemy import delete, literal, select
from sqlalchemy.dialects.postgresql import insert
from sqlalchemy.orm import Session

from reditus.core.binning import BinStats
from reditus.core.errors import DamagedBlock
from reditus.core.measures.catalogue import DERIVATION_VERSION
from reditus.core.rollup import CHUNK_BINS, PARTS, from_chunks, to_chunks
from reditus.core.types import NS_PER_S
from reditus.store.database import statements
from reditus.store.database.connection import binary_rows
from reditus.store.database.tables import BlockRow, RollupKeysRow, RollupReachRow, RollupRow
from reditus.store.rollups.hours import HOURS_LEVEL_S, HoursTable, drop_hours
from reditus.store.rollups.use import TryRows, UseBins, drop_stale_use, drop_use, truncate_use


@dataclass(frozen=True, slots=True)
class RollupReach:
    """From when until when a level of an archive is rolled up."""

    since_ns: int
    until_ns: int


class RollupTable:
    """The rollups of one host, within a reader's transaction."""

    def __init__(self, session: Session, host: UUID, try_rows: TryRows) -> None:
        """`try_rows` runs a statement, and returns None where the database's files are damaged."""
        self._session, self._host, self._try_rows = session, host, try_rows
        self.use = UseBins(session, host, try_rows)
        self.hours = HoursTable(session, host, try_rows)

    def slowest_interval_ns(self, archive: UUID) -> int:
        """The longest interval of any group of the archive; 0 while it is empty."""
        return self._session.scalar(statements.slowest(self._host, archive)) or 0

    def reach(self, archive: UUID, level_s: int) -> RollupReach | None:
        """None where nothing is rolled up, or was by other formulas than today's."""
        values = {"host": self._host, "archive": archive, "level": level_s}
        for since_ns, until_ns, derivation in binary_rows(self._session, _REACH, values):
            return RollupReach(since_ns, until_ns) if derivation == DERIVATION_VERSION else None
        return None

    def save_reach(self, archive: UUID, level_s: int, reach: RollupReach) -> None:
        """Record how far a level reaches."""
        values = {"derivation": DERIVATION_VERSION, "since_ns": reach.since_ns, "until_ns": reach.until_ns}
        statement = insert(RollupReachRow).values(host_id=self._host, archive_id=archive, level_s=level_s, **values)
        self._session.execute(
            statement.on_conflict_do_update(index_elements=["host_id", "archive_id", "level_s"], set_=values),
            execution_options={"synchronize_session": False},
        )

    def keys_id(self, names: Sequence[str]) -> int:
        """The id of a list of series names; it is inserted where it is new."""
        digest = hashlib.sha256("\n".join(names).encode()).digest()
        statement = select(RollupKeysRow.id).where(RollupKeysRow.host_id == self._host, RollupKeysRow.digest == digest)
        found = self._session.scalar(statement)
        if found is not None:
            return found
        self._session.execute(
            insert(RollupKeysRow).values(host_id=self._host, digest=digest, names=list(names)).on_conflict_do_nothing()
        )
        return self._session.scalars(statement).one()

    def append(self, archive: UUID, level_s: int, keys_id: int, begin_ns: int, parts: Sequence[BinStats]) -> None:
        """Append bins of several series to the row of their chunk if it ends at `begin_ns`, else insert a row."""
        chunk_ns = CHUNK_BINS * level_s * NS_PER_S
        row = self._session.scalar(
            select(RollupRow)
            .where(
                RollupRow.host_id == self._host,
                RollupRow.archive_id == archive,
                RollupRow.level_s == level_s,
                RollupRow.keys_id == keys_id,
                RollupRow.first_ns >= begin_ns // chunk_ns * chunk_ns,
                RollupRow.first_ns < begin_ns,
            )
            .order_by(RollupRow.first_ns.desc())
            .limit(1)
        )
        if row is not None and row.first_ns + row.bins * level_s * NS_PER_S == begin_ns:
            parts = [BinStats.concatenated([old, new]) for old, new in zip(_parts(row), parts, strict=True)]
        else:
            row = RollupRow(host_id=self._host, archive_id=archive, level_s=level_s, keys_id=keys_id, first_ns=begin_ns)
            self._session.add(row)
        _fill(row, parts)
        self._session.flush()

    def read(
        self, archive: UUID, names: Sequence[str], edges_ns: tuple[int, int], level_s: int
    ) -> Iterator[tuple[int, int, BinStats]]:
        """Stored bins between two times: index of the series, index of its first bin, and the bins. Raise
        DamagedBlock.
        """
        begin_ns, end_ns = edges_ns
        level_ns = level_s * NS_PER_S
        series = {name: at for at, name in enumerate(names)}
        wanted = {"host": self._host, "names": list(series)}
        found = binary_rows(self._session, _PLACES, wanted)
        places = {(keys, place - 1): series[name] for keys, place, name in found}
        if not places:
            return
        values = {
            "host": self._host,
            "archive": archive,
            "level": level_s,
            "keys": [keys for keys, _ in places],
            "places": [place for _, place in places],
            "begin": begin_ns - CHUNK_BINS * level_ns,
            "end": end_ns,
        }
        rows = self._try_rows(_STORED, values)
        if rows is None:
            raise DamagedBlock("the database cannot read its rollups")
        for keys, first_ns, bins, place, *chunks in rows:
            part = from_chunks(chunks, bins)
            at = (first_ns - begin_ns) // level_ns
            inside = part.part(max(-at, 0), (end_ns - first_ns) // level_ns)
            if len(inside):
                yield places[keys, place], max(at, 0), inside


def drop_rollups(session: Session, host: UUID, archive: UUID, from_ns: int | None = None) -> None:
    """Forget what was rolled up from some time on, or everything: the ticks below it change."""
    drop_use(session, host, archive, from_ns)
    hours_from_ns = drop_hours(session, host, archive, from_ns)
    rows = [RollupRow.host_id == host, RollupRow.archive_id == archive]
    reaches = [RollupReachRow.host_id == host, RollupReachRow.archive_id == archive]
    if from_ns is None:
        session.execute(delete(RollupRow).where(*rows))
        session.execute(delete(RollupReachRow).where(*reaches))
        return
    for reach in session.scalars(select(RollupReachRow).where(*reaches, RollupReachRow.until_ns > from_ns)):
        if reach.level_s == HOURS_LEVEL_S:
            reach.until_ns = hours_from_ns
            continue
        level_ns = reach.level_s * NS_PER_S
        cut_ns = from_ns // level_ns * level_ns
        own = [*rows, RollupRow.level_s == reach.level_s]
        session.execute(delete(RollupRow).where(*own, RollupRow.first_ns >= cut_ns))
        across = [RollupRow.first_ns < cut_ns, RollupRow.first_ns + literal(level_ns) * RollupRow.bins > cut_ns]
        for row in session.scalars(select(RollupRow).where(*own, *across)):
            left = (cut_ns - row.first_ns) // level_ns
            _fill(row, [part.part(0, left) for part in _parts(row)])
        if cut_ns <= reach.since_ns:
            session.delete(reach)
        else:
            reach.until_ns = cut_ns
    session.flush()


def truncate_rollups(session: Session, host: UUID, archive: UUID) -> None:
    """Remove the rollups of blocks that expired."""
    first_ns = session.scalar(
        select(BlockRow.first_ns)
        .where(BlockRow.host_id == host, BlockRow.archive_id == archive)
        .order_by(BlockRow.first_ns)
        .limit(1)
    )
    if first_ns is None:
        drop_rollups(session, host, archive)
        return
    truncate_use(session, host, archive, first_ns)
    for reach in session.scalars(
        select(RollupReachRow).where(
            RollupReachRow.host_id == host,
            RollupReachRow.archive_id == archive,
            RollupReachRow.level_s != HOURS_LEVEL_S,
        )
    ):
        level_ns = reach.level_s * NS_PER_S
        reach.since_ns = max(reach.since_ns, -(-first_ns // level_ns) * level_ns)
        session.execute(
            delete(RollupRow).where(
                RollupRow.host_id == host,
                RollupRow.archive_id == archive,
                RollupRow.level_s == reach.level_s,
                RollupRow.first_ns + literal(level_ns) * RollupRow.bins <= first_ns,
            )
        )
    session.flush()


def drop_stale(session: Session, host: UUID, archive: UUID) -> None:
    """Remove everything that was rolled up by other formulas than today's."""
    stale = session.scalars(
        select(RollupReachRow).where(
            RollupReachRow.host_id == host,
            RollupReachRow.archive_id == archive,
            RollupReachRow.derivation != DERIVATION_VERSION,
        )
    ).all()
    if stale:
        drop_rollups(session, host, archive)
    drop_stale_use(session, host, archive)


def _parts(row: RollupRow) -> list[BinStats]:
    """What a row holds, series by series."""
    chunks = [row.data[begin:end] for begin, end in zip(row.places[::2], row.places[1::2], strict=True)]
    return [from_chunks(chunks[at : at + PARTS], row.bins) for at in range(0, len(chunks), PARTS)]


def _fill(row: RollupRow, parts: Sequence[BinStats]) -> None:
    """What is the same is kept once: the observed time is that of a whole group, and of one disk the total
    is its own.
    """
    begins: dict[bytes, int] = {}
    size_bytes = 0
    places: list[int] = []
    for chunk in (chunk for part in parts for chunk in to_chunks(part)):
        if chunk not in begins:
            begins[chunk] = size_bytes
            size_bytes += len(chunk)
        places += (begins[chunk], begins[chunk] + len(chunk))
    row.bins, row.data, row.places = len(parts[0]), b"".join(begins), places


_PLACES = """
select k.id, own.place, own.name from rollup_keys k, unnest(k.names) with ordinality as own(name, place)
where k.host_id = %(host)s and own.name = any(%(names)s)
"""
_PART_OF = """
substring(r.data from r.places[w.place * {step} + {begin}] + 1
          for r.places[w.place * {step} + {begin} + 1] - r.places[w.place * {step} + {begin}])
"""
_STORED = f"""
select r.keys_id, r.first_ns, r.bins, w.place,
       {", ".join(_PART_OF.format(step=2 * PARTS, begin=2 * part + 1) for part in range(PARTS))}
from rollups r join unnest(%(keys)s::int[], %(places)s::int[]) as w(keys_id, place) on r.keys_id = w.keys_id
where r.host_id = %(host)s and r.archive_id = %(archive)s and r.level_s = %(level)s
  and r.first_ns < %(end)s and r.first_ns >= %(begin)s
order by r.first_ns
"""
_REACH = """
select since_ns, until_ns, derivation from rollup_reach
where host_id = %(host)s and archive_id = %(archive)s and level_s = %(level)s
"""
