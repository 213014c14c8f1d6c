"""Read columns out of blocks: only their bytes leave the database, those of neighbours in one go."""

from collections.abc import Callable, Mapping, Sequence, Set
from itertools import pairwise
from typing import Any, NamedTuple
from uuid import UUID

import numpy as np
import psycopg
from sqlalchemy.orm import Session

from reditus.core.blocks import CLOCKS, MAX_INTERVAL_NS
from reditus.core.checksums import head_seed, verified
from reditus.core.column_codec import CHECKSUMS_SINCE, WORD, decode_column, decode_steps, decode_wall
from reditus.core.delta_array import Steps
from reditus.core.errors import BlockError
from reditus.core.frame import BlockSlice
from reditus.core.measures.selection import StoredColumn
from reditus.core.schema import Column
from reditus.core.types import IntArray
from reditus.core.window import Window
from reditus.store.database.connection import binary_rows, driver_of
from reditus.store.database.damage import (
    EARLIEST_NS,
    LATEST_NS,
    Lost,
    as_rows,
    attempt,
    can_go_around,
    surviving,
    walk_by_index,
)
from reditus.store.database.offset_table import entries_in
from reditus.store.database.tables import LONG_NS
from reditus.store.read.block_cache import BlockCache, BlockVersion, CachedBlock
from reditus.store.records import Damage

SEEN_BEFORE_INTERVALS = 2
"""A rate at the window's start needs the tick before it; further away than this is a gap anyhow."""
BRIDGED = 4
"""Columns beside the request that are fetched along with their neighbours: another cut costs more than a few small
columns.
"""

# The hidden column tells which transaction wrote the block as it is.
_HEAD = "b.archive_id, b.schema_id, b.first_ns, b.xmin, b.boot, b.interval_ns, b.ticks, b.last_ns, b.version"
_EVERY = """
select {columns} from blocks b
where b.host_id = %(host)s and b.archive_id = w.archive_id and b.schema_id = w.schema_id
"""
_REACHES = "and b.first_ns <= %(end)s and b.last_ns >= %(start)s - %(before)s * b.interval_ns"
# Blocks that begin, or end, between two times are found by an index, however many there are before and after; either
# index does, whichever the planner takes. The long ones, which may begin at any time, have one of their own, and are
# few.
_LENGTH = "b.last_ns - b.first_ns"
_WITHIN = f"""
{_EVERY} {_REACHES} and b.first_ns >= %(earliest)s and b.last_ns between %(begin)s and %(latest)s
  and {_LENGTH} <= {LONG_NS}
union all {_EVERY} {_REACHES} and {_LENGTH} > {LONG_NS}
"""
# Archive by archive and schema by schema: all at once, the planner takes the times for the smaller part of the key.
_FOUND = """
from unnest(%(archives)s::uuid[], %(schemas)s::int[]) as w(archive_id, schema_id) cross join lateral ({blocks}) as found
"""
_IN_ORDER = "order by found.schema_id, found.archive_id, found.first_ns"
_HEADS, _HEADS_WITHIN = (
    f"select found.* {_FOUND.format(blocks=blocks.format(columns=_HEAD))} {_IN_ORDER}" for blocks in (_EVERY, _WITHIN)
)
# Where pages are damaged: a part of one schema's blocks, by their first ticks.
_HEADS_BETWEEN = f"""
select {_HEAD} from blocks b
where b.host_id = %(host)s and b.archive_id = %(archive)s and b.schema_id = %(schema)s
  and b.first_ns >= %(begin)s and b.first_ns < %(end)s
  and b.first_ns <= %(until)s and b.last_ns >= %(since)s
order by b.first_ns
"""
# The index blocks_last has all of this: no block is looked at.
_CONTENTS = f"""
select sum(found.ticks), min(found.first_ns), max(found.last_ns)
{_FOUND.format(blocks=_WITHIN.format(columns="b.ticks, b.first_ns, b.last_ns"))}
"""
# Blocks one after another until nothing comes for so long. Late ticks may lie within an earlier block.
_ISLANDS = f"""
select min(i.first_ns), max(i.last_ns) from (
    select j.schema_id, j.archive_id, j.first_ns, j.last_ns,
           sum(j.begins) over (partition by j.archive_id, j.schema_id order by j.first_ns) as island
    from (select found.*, (found.first_ns - max(found.last_ns) over (
                 partition by found.archive_id, found.schema_id order by found.first_ns
                 rows between unbounded preceding and 1 preceding) > %(gap)s)::int as begins
          {_FOUND.format(blocks=_EVERY.format(columns="b.archive_id, b.schema_id, b.first_ns, b.last_ns"))}) as j
) as i group by i.archive_id, i.schema_id, i.island
"""
# One row a run: some neighbouring columns of one block. Positions are those of chunks, the two clocks first.
_RUNS = """
select w.block, w.front, w.back - w.front + 2,
       substring(b.directory from get_byte(b.directory, 0) * w.front + 2
                 for get_byte(b.directory, 0) * (w.back - w.front + 2)),
       substring(b.data from offset_at(b.directory, w.front) + 1
                 for offset_at(b.directory, w.back + 1) - offset_at(b.directory, w.front))
from unnest(%(blocks)s::int[], %(archives)s::uuid[], %(schemas)s::int[], %(firsts_ns)s::bigint[],
            %(fronts)s::int[], %(backs)s::int[]) as w(block, archive_id, schema_id, first_ns, front, back)
{blocks}
"""
_TOGETHER = _RUNS.replace(
    "{blocks}",
    """join blocks b on b.host_id = %(host)s and b.archive_id = w.archive_id and b.schema_id = w.schema_id
                    and b.first_ns = w.first_ns""",
)
# In the order of the key, so that its index is walked along and no page is met that only other blocks need.
_ALONE = _RUNS.replace(
    "{blocks}",
    """cross join lateral (
    select own.directory, own.data from blocks own
    where own.host_id = %(host)s and own.archive_id = w.archive_id and own.schema_id = w.schema_id
      and own.first_ns >= w.first_ns and own.first_ns <= w.first_ns order by own.first_ns limit 1
) as b""",
)


class Held(NamedTuple):
    """What an archive has of one schema."""

    schema: int
    archive: UUID
    first_ns: int
    last_ns: int
    interval_ns: int


class _Head(NamedTuple):
    """A block without its data."""

    written: BlockVersion
    boot: UUID
    interval_ns: int
    ticks: int
    last_ns: int
    version: int

    @property
    def size_bytes(self) -> int:
        """Of one decoded column."""
        return WORD * self.ticks


class _ColumnRequest(NamedTuple):
    """A block, and what has to be fetched of it."""

    head: _Head
    before: CachedBlock | None
    """What is kept of it."""
    missing: frozenset[int]
    """The places of the chunks that are not, the clocks among them where nothing is."""


class _Run(NamedTuple):
    """Neighbouring chunks, from the first to the last."""

    front: int
    back: int


class BlockReader:
    """Reads columns of the blocks of one host, in one transaction. What is damaged is left out, and listed."""

    def __init__(
        self, session: Session, host: UUID, check: Callable[[], None], reserve: Callable[[int], None], *, writes: bool
    ) -> None:
        """`writes`: the transaction has written something, which going around damage must not undo."""
        self._session, self._host, self._check, self._reserve = session, host, check, reserve
        self._writes = writes
        self.damage: list[Damage] = []

    def tried(self, work: Callable[[], list[tuple[Any, ...]]]) -> list[tuple[Any, ...]] | None:
        """What some work gives; None where the database's files are damaged. The transaction goes on either way."""
        if self._writes:
            found = attempt(self._session, work)
            return None if isinstance(found, str) else found
        try:
            return work()
        except psycopg.Error as why:
            if not can_go_around(why):
                raise
        driver_of(self._session).rollback()
        return None

    def pieces(
        self,
        held: Sequence[Held],
        columns: Sequence[StoredColumn],
        window: Window | None,
        kept: BlockCache | None,
    ) -> dict[UUID, list[BlockSlice]]:
        """By archive one piece a block, cut to the window and the ticks just before it (None: all there is). `held` is
        what there is of which schemas.

        What is kept of blocks is not fetched, and what is fetched is kept.
        """
        wanted: dict[int, dict[int, Column]] = {}
        groups: dict[int, str] = {}
        for known in columns:
            wanted.setdefault(known.schema_id, {})[known.position + CLOCKS] = known.column
            groups[known.schema_id] = known.group
        heads = self._heads([extent for extent in held if extent.schema in wanted], window)
        size_bytes = sum(head.size_bytes * (CLOCKS + len(wanted[head.written.schema])) for head in heads)
        self._reserve(size_bytes)
        if kept is not None and size_bytes > kept.most_bytes // 2:  # it would drive out all else, and itself
            kept = None
        requests = [_request_of(head, wanted[head.written.schema].keys(), kept) for head in heads]
        chunks = self._chunks(requests)
        out: dict[UUID, list[BlockSlice]] = {}
        for at, request in enumerate(requests):
            self._check()
            decoded = self._decoded(request, chunks.get(at, {}))
            if decoded is None:
                continue
            head = request.head
            if kept is not None and request.missing <= decoded.columns.keys() | set(range(CLOCKS)):
                kept.put(head.written, decoded)
            if request.before is not None:
                decoded.decode(wanted[head.written.schema].keys() - request.missing)
            inside = _inside(decoded.wall_ns, head.interval_ns, window)
            own = {place: column for place, column in wanted[head.written.schema].items() if place in decoded.columns}
            if not own:
                continue
            piece = BlockSlice(
                group=groups[head.written.schema],
                boot=head.boot.bytes,
                interval_ns=head.interval_ns,
                wall_ns=decoded.wall_ns[inside],
                monotonic_ns=decoded.monotonic_ns[inside],
                columns={column: decoded.columns[place].alone()[inside] for place, column in own.items()},
            )
            out.setdefault(head.written.archive, []).append(piece)
        return out

    def _heads(self, held: Sequence[Held], window: Window | None) -> list[_Head]:
        values = _request_for(self._host, held, window)
        statement = _HEADS if window is None else _HEADS_WITHIN
        rows = self.tried(lambda: binary_rows(self._session, statement, values))
        if rows is None:
            rows = self._surviving_heads(values, window)
        return [_Head(BlockVersion(*row[:4]), *row[4:]) for row in rows]

    def _surviving_heads(self, values: Mapping[str, Any], window: Window | None) -> list[tuple[Any, ...]]:
        since, until = (EARLIEST_NS, LATEST_NS) if window is None else (values["begin"], values["end"])
        out: list[tuple[Any, ...]] = []
        for archive, schema in zip(values["archives"], values["schemas"], strict=True):
            query = {"host": self._host, "archive": archive, "schema": schema, "since": since, "until": until}

            def read(begin: int, end: int, query: dict[str, Any] = query) -> list[tuple[Any, ...]]:
                return binary_rows(self._session, _HEADS_BETWEEN, {**query, "begin": begin, "end": end})

            begin_ns = EARLIEST_NS if window is None else since - LONG_NS
            rows, losses = as_rows(surviving(self._session, read, begin_ns, min(until + 1, LATEST_NS)))
            out += rows
            for lost in losses:
                self.damage.append(_lost(self._host, archive, schema, lost, [row[2] for row in rows]))
        return out

    def _chunks(self, requests: Sequence[_ColumnRequest]) -> dict[int, dict[int, bytes]]:
        """By the blocks' numbers the chunks that are missing, by their places."""
        runs_of: dict[frozenset[int], list[_Run]] = {}
        keys: list[tuple[int, UUID, int, int, int, int]] = []
        for at, request in enumerate(requests):
            if request.missing not in runs_of:
                runs_of[request.missing] = _runs(request.missing)
            written = request.head.written
            keys += [(at, written.archive, written.schema, written.first_ns, *run) for run in runs_of[request.missing]]
        if not keys:
            return {}
        together = self.tried(lambda: self._runs_rows(keys, _TOGETHER))
        if together is not None:
            return _chunks_in(together)
        # One block's data is damaged: the others are fetched without it.
        walk_by_index(self._session)
        rows: list[tuple[Any, ...]] = []
        for key in keys:
            found = attempt(self._session, lambda key=key: self._runs_rows([key], _ALONE))  # type: ignore[misc]
            if not isinstance(found, str):
                rows += found
        return _chunks_in(rows)

    def _runs_rows(self, keys: Sequence[tuple[int, UUID, int, int, int, int]], statement: str) -> list[tuple[Any, ...]]:
        names = ("blocks", "archives", "schemas", "firsts_ns", "fronts", "backs")
        values = {name: list(column) for name, column in zip(names, zip(*keys, strict=True), strict=True)}
        return binary_rows(self._session, statement, {"host": self._host, **values})

    def _decoded(self, request: _ColumnRequest, chunks: Mapping[int, bytes]) -> CachedBlock | None:
        """Clocks and columns; without the columns that are damaged, and None where a clock is."""
        head = request.head
        seed = head_seed(head.boot, head.ticks, head.written.first_ns, head.last_ns, head.interval_ns)
        clocks: CachedBlock | None = request.before
        if clocks is None:
            try:
                monotonic_ns = decode_column(_body(head, chunks, seed, 1), head.ticks)
                clocks = CachedBlock(decode_wall(_body(head, chunks, seed, 0), monotonic_ns), monotonic_ns, {})
            except BlockError as why:
                self._note(head, None, str(why))
                return None
        columns: dict[int, Steps] = {}
        damaged: dict[int, str] = {}
        for place in request.missing:
            if place >= CLOCKS:
                try:
                    columns[place] = _steps(head, _body(head, chunks, seed, place))
                except BlockError as why:
                    damaged[place] = str(why)
        if damaged:
            places = tuple(sorted(place - CLOCKS for place in damaged))
            self._note(head, places, next(iter(damaged.values())))
        return clocks.with_others(columns)

    def _note(self, head: _Head, columns: tuple[int, ...] | None, reason: str) -> None:
        written = head.written
        self.damage.append(
            Damage(self._host, written.archive, written.schema, written.first_ns, head.last_ns, columns, reason)
        )


def _lost(host: UUID, archive: UUID, schema: int, lost: Lost, firsts_ns: Sequence[int]) -> Damage:
    """What is lost lasts to the next block that can be read, for all that anybody can tell."""
    after = min((first_ns for first_ns in firsts_ns if first_ns >= lost.end_ns), default=lost.end_ns)
    return Damage(host, archive, schema, lost.begin_ns, after, None, lost.reason)


def _body(head: _Head, chunks: Mapping[int, bytes], seed: int, place: int) -> bytes | memoryview:
    if place not in chunks:
        raise BlockError("the database cannot read its bytes")
    return verified(chunks[place], seed, place) if head.version >= CHECKSUMS_SINCE else chunks[place]


def _steps(head: _Head, chunk: bytes | memoryview) -> Steps:
    steps = decode_steps(chunk, head.ticks)
    if head.version < CHECKSUMS_SINCE and head.ticks > 1:
        # Without a checksum, only decoding tells whether the payload is whole.
        return Steps(steps.first, steps.steps)
    return steps


def contents(
    session: Session, host: UUID, held: Sequence[Held], window: Window
) -> tuple[int | None, int | None, int | None]:
    """Ticks, and the first and last of them, of the blocks that reach into a window: other numbers mean other ticks."""
    ((ticks, first_ns, last_ns),) = binary_rows(session, _CONTENTS, _request_for(host, held, window))
    return ticks, first_ns, last_ns


def islands(session: Session, host: UUID, held: Sequence[Held], window: Window, gap_ns: int) -> list[tuple[int, int]]:
    """First and last tick of each stretch of blocks of one schema that `gap_ns` part from the next."""
    values = _request_for(host, held, window) | {"gap": gap_ns}
    return [(first_ns, last_ns) for first_ns, last_ns in binary_rows(session, _ISLANDS, values)]


def _request_for(host: UUID, held: Sequence[Held], window: Window | None) -> dict[str, Any]:
    values: dict[str, Any] = {"host": host}
    if window is not None:
        begin_ns = window.start_ns - SEEN_BEFORE_INTERVALS * MAX_INTERVAL_NS
        held = [extent for extent in held if extent.first_ns <= window.end_ns and extent.last_ns >= begin_ns]
        values |= {"start": window.start_ns, "end": window.end_ns, "before": SEEN_BEFORE_INTERVALS}
        values |= {"begin": begin_ns, "earliest": begin_ns - LONG_NS, "latest": window.end_ns + LONG_NS}
    return values | {"archives": [extent.archive for extent in held], "schemas": [extent.schema for extent in held]}


def _request_of(head: _Head, places: Set[int], kept: BlockCache | None) -> _ColumnRequest:
    before = kept.get(head.written) if kept is not None else None
    if before is None:
        return _ColumnRequest(head, None, frozenset((*range(CLOCKS), *places)))
    return _ColumnRequest(head, before, frozenset(places - before.columns.keys()))


def _chunks_in(rows: Sequence[tuple[Any, ...]]) -> dict[int, dict[int, bytes]]:
    out: dict[int, dict[int, bytes]] = {}
    for block, front, count, directory, data in rows:
        found = out.setdefault(block, {})
        if len(directory) not in (2 * count, 4 * count):
            continue  # cut off: what the offsets would have given is missing
        offsets = entries_in(directory, count)
        for place, (begin, end) in enumerate(pairwise(offsets), front):
            found[place] = data[begin - offsets[0] : end - offsets[0]]
    return out


def _runs(places: Set[int]) -> list[_Run]:
    """The places, neighbours together."""
    runs: list[_Run] = []
    for place in sorted(places):
        if runs and place - runs[-1].back <= BRIDGED:
            runs[-1] = _Run(runs[-1].front, place)
        else:
            runs.append(_Run(place, place))
    return runs


def _inside(wall_ns: IntArray, interval_ns: int, window: Window | None) -> slice:
    """The ticks from first to last in the window. A block of which none is stays whole; it costs little."""
    if window is None:
        return slice(None)
    wanted = np.flatnonzero(
        (wall_ns >= window.start_ns - SEEN_BEFORE_INTERVALS * interval_ns) & (wall_ns <= window.end_ns)
    )
    # One more at either side: the tick that begins the first interval, and the one whose interval ends the window.
    return slice(max(wanted[0] - 1, 0), wanted[-1] + 2) if len(wanted) else slice(None)
