"""Rollups in the database: filled after sealing, dropped where the ticks below them change, read beside the ticks."""

import hashlib
from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from uuid import UUID

import numpy as np
from sqlalchemy import delete, literal, select
from sqlalchemy.dialects.postgresql import insert
from sqlalchemy.orm import Session

from reditus.core.bins import Window, even_edges
from reditus.core.errors import BlockError, DamagedBlock, UnknownCounter
from reditus.core.measures.catalogue import DERIVATION_VERSION
from reditus.core.rollup import CHUNK_BINS, MOST_SERIES, PARTS, Rolled, levels_of
from reditus.core.sheet import Sheet
from reditus.core.types import NS_PER_S, BoolArray
from reditus.store import statements
from reditus.store.driver import binary_rows
from reditus.store.known import ColumnMemory
from reditus.store.reader import Reader
from reditus.store.tables import RollupKeysRow, RollupReachRow, RollupRow
from reditus.store.wanted import Wanted, everything, needed_columns

LAG_S = 120
"""Ticks this near to the newest are not rolled up yet, nor those within two intervals of the group that is read most
seldom: what is still to come of them would count as late."""
LEAST_S = 600
"""As much as has to be there before rollups grow: each time costs a pass over all measures."""
STEP_TICKS = 7_200
"""Ticks that are in memory at once while rolling up."""
STEPS_A_PASS = 24
"""Steps in one transaction, so that nobody waits long for the archive."""
FINER_STEPS_A_PASS = 4
"""The same, where a step is a row of a finer level."""


@dataclass(frozen=True, slots=True)
class _Reach:
    since_ns: int
    until_ns: int


def roll_archive(session: Session, memory: ColumnMemory, archive: UUID) -> bool:
    """Let the archive's rollups grow to what there is; the caller's transaction makes it all or nothing. Return whether
    there is more to do.
    """
    reader = Reader(session, memory, archive, writes=True)
    extent = reader.extent
    if extent.first_ns is None or extent.last_ns is None or extent.interval_ns is None:
        return False
    slowest_ns = session.scalar(statements.slowest(reader.scope.host, archive)) or 0
    lag_ns = max(LAG_S * NS_PER_S, 2 * slowest_ns)
    more = False
    ticks = min(STEP_TICKS, reader.most_ticks(len(needed_columns(reader.known, everything(reader.known)))))
    finer_s, until_ns = None, extent.last_ns - lag_ns
    for level_s in levels_of(extent.interval_ns):
        reach = _reach(session, reader.scope.host, archive, level_s)
        level_ns = level_s * NS_PER_S
        begin_ns = reach.until_ns if reach else extent.first_ns // level_ns * level_ns
        end_ns = until_ns // level_ns * level_ns
        if end_ns - begin_ns >= max(LEAST_S * NS_PER_S, level_ns):
            step_ns = max(_step_ns(extent.interval_ns, finer_s, ticks) // level_ns, 1) * level_ns
            steps = STEPS_A_PASS if finer_s is None else FINER_STEPS_A_PASS
            stop_ns = min(end_ns, begin_ns + steps * step_ns)
            for at_ns in range(begin_ns, stop_ns, step_ns):
                _grow(reader, archive, level_s, Window(at_ns, min(at_ns + step_ns, stop_ns)), finer_s)
            reach = _Reach(reach.since_ns if reach else begin_ns, stop_ns)
            _put_reach(session, reader.scope.host, archive, level_s, reach)
            more |= stop_ns < end_ns
        if reach is None:
            break
        finer_s, until_ns = level_s, reach.until_ns
    return more


def _step_ns(interval_ns: int, finer_s: int | None, ticks: int) -> int:
    """As much as is rolled up at once: many ticks, or as many bins of the finer level as a row has."""
    return ticks * interval_ns if finer_s is None else CHUNK_BINS * finer_s * NS_PER_S


def drop_rollups(session: Session, host: UUID, archive: UUID, from_ns: int | None = None) -> None:
    """Forget what was rolled up from some time on, or everything: the ticks below it change."""
    rows = [RollupRow.host_id == host, RollupRow.archive_id == archive]
    reaches = [RollupReachRow.host_id == host, RollupReachRow.archive_id == archive]
    if from_ns is None:
        session.execute(delete(RollupRow).where(*rows))
        session.execute(delete(RollupReachRow).where(*reaches))
        return
    for reach in session.scalars(select(RollupReachRow).where(*reaches, RollupReachRow.until_ns > from_ns)):
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


def rolled(reader: Reader, wanted: Sequence[Wanted], edges_ns: tuple[int, int], level_s: int) -> list[Rolled]:
    """Each measure over the level's bins between two times (multiples of the level): from rollups where there are any,
    else from the ticks. Where several archives tell of the same bin, the ticks decide.
    """
    begin_ns, end_ns = edges_ns
    level_ns = level_s * NS_PER_S
    bins = (end_ns - begin_ns) // level_ns
    out = [Rolled.unknown(bins) for _ in wanted]
    served = np.ones(bins, dtype=bool)
    told = np.zeros(bins, dtype=np.int64)
    for archive in reader.scope.archives:
        extent = reader.extent_of(archive)
        if extent.first_ns is None or extent.last_ns is None:
            continue
        has = _bins_between(begin_ns, level_ns, bins, extent.first_ns // level_ns * level_ns, extent.last_ns + level_ns)
        told += has
        reach = _reach(reader.session, reader.scope.host, archive, level_s)
        reached = (
            _bins_between(begin_ns, level_ns, bins, reach.since_ns, reach.until_ns) if reach else np.zeros_like(has)
        )
        served &= reached | ~has
        valid = reached & has
        reader.check()
        try:
            for series, at, part in _stored(reader, archive, wanted, edges_ns, level_s):
                _merge(out[series], at, part, valid[at : at + len(part)])
        except BlockError:
            reader.damaged_rollups.add(archive)
            served &= ~has
    served &= told < 2
    ticks = reader.most_ticks(len(needed_columns(reader.known, tuple(wanted))))
    step = max(ticks * (reader.extent.interval_ns or NS_PER_S) // level_ns, 1)
    for start, stop in _stretches(~served & (told > 0)):
        for at in range(start, stop, step):
            reader.check()
            window = Window(begin_ns + at * level_ns, begin_ns + min(at + step, stop) * level_ns)
            for series, part in enumerate(_from_ticks(reader, wanted, window, level_s)):
                out[series].put(at, part)
    return out


def _merge(whole: Rolled, at: int, part: Rolled, valid: BoolArray) -> None:
    """Write valid bins that were observed over those that were not: devices that came later have rows of their own."""
    if part.is_whole and valid.all():
        whole.put(at, part)
        return
    seen = (part.seen_s > 0) & valid
    for own, its in zip(
        (whole.seen_s, whole.mean, whole.low, whole.high), (part.seen_s, part.mean, part.low, part.high), strict=True
    ):
        own[at : at + len(part)][seen] = its[seen]


def _bins_between(begin_ns: int, level_ns: int, bins: int, since_ns: int, until_ns: int) -> BoolArray:
    """Which bins lie between two times."""
    start = min(max((since_ns - begin_ns) // level_ns, 0), bins)
    stop = min(max((until_ns - begin_ns) // level_ns, 0), bins)
    out = np.zeros(bins, dtype=bool)
    out[start:stop] = True
    return out


def _stretches(mask: BoolArray) -> Iterator[tuple[int, int]]:
    edges = np.flatnonzero(np.diff(np.concatenate([[False], mask, [False]]).astype(np.int8)))
    yield from zip(edges[::2].tolist(), edges[1::2].tolist(), strict=True)


def _grow(reader: Reader, archive: UUID, level_s: int, window: Window, finer_s: int | None) -> None:
    """Roll up a window, chunk by chunk: its ticks, or what a finer level has of it."""
    wanted = everything(reader.known)
    if finer_s is None:
        fresh = _from_ticks(reader, wanted, window, level_s)
    else:
        finer = rolled(reader, wanted, (window.start_ns, window.end_ns), finer_s)
        fresh = [part.coarser(level_s // finer_s) for part in finer]
    level_ns = level_s * NS_PER_S
    chunk_ns = CHUNK_BINS * level_ns
    for start in range(0, len(wanted), MOST_SERIES):
        together = slice(start, start + MOST_SERIES)
        keys = _keys(reader, [one.name for one in wanted[together]])
        begin_ns = window.start_ns
        while begin_ns < window.end_ns:
            end_ns = min((begin_ns // chunk_ns + 1) * chunk_ns, window.end_ns)
            cut = [(ns - window.start_ns) // level_ns for ns in (begin_ns, end_ns)]
            parts = [part.part(*cut) for part in fresh[together]]
            _put(reader, archive, level_s, keys, begin_ns, parts)
            begin_ns = end_ns


def _put(reader: Reader, archive: UUID, level_s: int, keys: int, begin_ns: int, parts: list[Rolled]) -> None:
    """Append to the chunk's row where it ends just there, else begin a row."""
    chunk_ns = CHUNK_BINS * level_s * NS_PER_S
    row = reader.session.scalar(
        select(RollupRow)
        .where(
            RollupRow.host_id == reader.scope.host,
            RollupRow.archive_id == archive,
            RollupRow.level_s == level_s,
            RollupRow.keys_id == keys,
            RollupRow.first_ns >= begin_ns // chunk_ns * chunk_ns,
            RollupRow.first_ns < begin_ns,
        )
        .order_by(RollupRow.first_ns.desc())
        .limit(1)
    )
    if row is not None and row.first_ns + row.bins * level_s * NS_PER_S == begin_ns:
        parts = [old.followed_by(new) for old, new in zip(_parts(row), parts, strict=True)]
    else:
        row = RollupRow(host_id=reader.scope.host, archive_id=archive, level_s=level_s, keys_id=keys, first_ns=begin_ns)
        reader.session.add(row)
    _fill(row, parts)
    reader.session.flush()


def _parts(row: RollupRow) -> list[Rolled]:
    """What a row holds, series by series."""
    chunks = [row.data[begin:end] for begin, end in zip(row.places[::2], row.places[1::2], strict=True)]
    return [Rolled.from_chunks(chunks[at : at + PARTS], row.bins) for at in range(0, len(chunks), PARTS)]


def _fill(row: RollupRow, parts: Sequence[Rolled]) -> None:
    """What is the same is kept once: the observed time is that of a whole group, and of one disk the total is its own."""
    begins: dict[bytes, int] = {}
    size_bytes = 0
    places: list[int] = []
    for chunk in (chunk for part in parts for chunk in part.to_chunks()):
        if chunk not in begins:
            begins[chunk] = size_bytes
            size_bytes += len(chunk)
        places += (begins[chunk], begins[chunk] + len(chunk))
    row.bins, row.data, row.places = len(parts[0]), b"".join(begins), places


def _from_ticks(reader: Reader, wanted: Sequence[Wanted], window: Window, level_s: int) -> list[Rolled]:
    level_ns = level_s * NS_PER_S
    edges_ns = even_edges(window.start_ns, window.end_ns, level_ns)
    frame = reader.frame(needed_columns(reader.known, tuple(wanted)), window)
    sheet = Sheet(window, edges_ns)
    out = []
    for one in wanted:
        try:
            out.append(Rolled.of(sheet.binned(one.measure.derive(frame, one.device))))
        except UnknownCounter:
            out.append(Rolled.unknown(len(edges_ns) - 1))
    return out


def _keys(reader: Reader, names: Sequence[str]) -> int:
    """The id under which a list of series is known."""
    host = reader.scope.host
    digest = hashlib.sha256("\n".join(names).encode()).digest()
    asked = select(RollupKeysRow.id).where(RollupKeysRow.host_id == host, RollupKeysRow.digest == digest)
    found = reader.session.scalar(asked)
    if found is not None:
        return found
    reader.session.execute(
        insert(RollupKeysRow).values(host_id=host, digest=digest, names=list(names)).on_conflict_do_nothing()
    )
    return reader.session.scalars(asked).one()


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


def _stored(
    reader: Reader, archive: UUID, wanted: Sequence[Wanted], edges_ns: tuple[int, int], level_s: int
) -> Iterator[tuple[int, int, Rolled]]:
    """What is rolled up: which series, from which bin on, and the bins."""
    begin_ns, end_ns = edges_ns
    level_ns = level_s * NS_PER_S
    series = {one.name: at for at, one in enumerate(wanted)}
    asked = {"host": reader.scope.host, "names": list(series)}
    places = {(keys, place - 1): series[name] for keys, place, name in reader.rows(_PLACES, asked)}
    if not places:
        return
    values = {
        "host": reader.scope.host,
        "archive": archive,
        "level": level_s,
        "keys": [keys for keys, _ in places],
        "places": [place for _, place in places],
        "begin": begin_ns - CHUNK_BINS * level_ns,
        "end": end_ns,
    }
    rows = reader.try_rows(_STORED, values)
    if rows is None:
        raise DamagedBlock("the database cannot read its rollups")
    for keys, first_ns, bins, place, *chunks in rows:
        part = Rolled.from_chunks(chunks, bins)
        at = (first_ns - begin_ns) // level_ns
        inside = part.part(max(-at, 0), (end_ns - first_ns) // level_ns)
        if len(inside):
            yield places[keys, place], max(at, 0), inside


_REACH = """
select since_ns, until_ns, derivation from rollup_reach
where host_id = %(host)s and archive_id = %(archive)s and level_s = %(level)s
"""


def _reach(session: Session, host: UUID, archive: UUID, level_s: int) -> _Reach | None:
    """None where nothing is rolled up, or was by other formulas; what those left is removed."""
    for since_ns, until_ns, derivation in binary_rows(
        session, _REACH, {"host": host, "archive": archive, "level": level_s}
    ):
        return _Reach(since_ns, until_ns) if derivation == DERIVATION_VERSION else None
    return None


def _put_reach(session: Session, host: UUID, archive: UUID, level_s: int, reach: _Reach) -> None:
    values = {"derivation": DERIVATION_VERSION, "since_ns": reach.since_ns, "until_ns": reach.until_ns}
    statement = insert(RollupReachRow).values(host_id=host, archive_id=archive, level_s=level_s, **values)
    session.execute(
        statement.on_conflict_do_update(index_elements=["host_id", "archive_id", "level_s"], set_=values),
        execution_options={"synchronize_session": False},
    )


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
