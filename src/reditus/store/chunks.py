"""Read columns out of blocks: only their bytes leave the database, those of neighbours in one go."""

from collections.abc import Callable, Mapping, Sequence, Set
from itertools import pairwise
from typing import Any, NamedTuple
from uuid import UUID

import numpy as np
from sqlalchemy.orm import Session

from reditus.core.bins import Window
from reditus.core.blocks import CLOCKS, MAX_INTERVAL_NS
from reditus.core.column_codec import WORD, decode_column, decode_steps, decode_wall
from reditus.core.frame import Piece
from reditus.core.layout import Column
from reditus.core.types import IntArray
from reditus.store.directories import entries_in
from reditus.store.driver import binary_rows
from reditus.store.kept import Decoded, KeptBlocks, Written
from reditus.store.records import KnownColumn
from reditus.store.tables import LONG_NS

SEEN_BEFORE_INTERVALS = 2
"""A rate at the window's start needs the tick before it; further away than this is a gap anyhow."""
BRIDGED = 4
"""Columns not asked for that are fetched along with their neighbours: another cut costs more than a few small columns."""

# The hidden column tells which transaction wrote the block as it is.
_HEAD = "b.archive_id, b.layout_id, b.first_ns, b.xmin, b.boot, b.interval_ns, b.ticks"
_EVERY = """
select {columns} from blocks b
where b.host_id = %(host)s and b.archive_id = w.archive_id and b.layout_id = w.layout_id
"""
_REACHES = "and b.first_ns <= %(end)s and b.last_ns >= %(start)s - %(before)s * b.interval_ns"
# Blocks that begin, or end, between two times are found by an index, however many there are before and after; either
# index does, whichever the planner takes. The long ones, which may begin at any time, have one of their own, and are few.
_LENGTH = "b.last_ns - b.first_ns"
_WITHIN = f"""
{_EVERY} {_REACHES} and b.first_ns >= %(earliest)s and b.last_ns between %(begin)s and %(latest)s
  and {_LENGTH} <= {LONG_NS}
union all {_EVERY} {_REACHES} and {_LENGTH} > {LONG_NS}
"""
# Archive by archive and layout by layout: all at once, the planner takes the times for the smaller part of the key.
_FOUND = """
from unnest(%(archives)s::uuid[], %(layouts)s::int[]) as w(archive_id, layout_id) cross join lateral ({blocks}) as found
"""
_IN_ORDER = "order by found.layout_id, found.archive_id, found.first_ns"
_HEADS, _HEADS_WITHIN = (
    f"select found.* {_FOUND.format(blocks=blocks.format(columns=_HEAD))} {_IN_ORDER}" for blocks in (_EVERY, _WITHIN)
)
# The index blocks_last has all of this: no block is looked at.
_CONTENTS = f"""
select sum(found.ticks), min(found.first_ns), max(found.last_ns)
{_FOUND.format(blocks=_WITHIN.format(columns="b.ticks, b.first_ns, b.last_ns"))}
"""
# One row a run: some neighbouring columns of one block. Positions are those of chunks, the two clocks first.
_RUNS = """
select w.block, w.front, w.back - w.front + 2,
       substring(b.directory from get_byte(b.directory, 0) * w.front + 2
                 for get_byte(b.directory, 0) * (w.back - w.front + 2)),
       substring(b.data from offset_at(b.directory, w.front) + 1
                 for offset_at(b.directory, w.back + 1) - offset_at(b.directory, w.front))
from unnest(%(blocks)s::int[], %(archives)s::uuid[], %(layouts)s::int[], %(firsts_ns)s::bigint[],
            %(fronts)s::int[], %(backs)s::int[]) as w(block, archive_id, layout_id, first_ns, front, back)
join blocks b on b.host_id = %(host)s and b.archive_id = w.archive_id and b.layout_id = w.layout_id
             and b.first_ns = w.first_ns
"""


class Held(NamedTuple):
    """What an archive has of one layout."""

    layout: int
    archive: UUID
    first_ns: int
    last_ns: int
    interval_ns: int


class _Head(NamedTuple):
    """A block without its data."""

    written: Written
    boot: bytes
    interval_ns: int
    ticks: int


class _Asked(NamedTuple):
    """A block, and what has to be fetched of it."""

    head: _Head
    before: Decoded | None
    """What is kept of it."""
    missing: frozenset[int]
    """The places of the chunks that are not, the clocks among them where nothing is."""


class _Run(NamedTuple):
    """Neighbouring chunks, from the first to the last."""

    front: int
    back: int


def read_pieces(
    session: Session,
    host: UUID,
    held: Sequence[Held],
    columns: Sequence[KnownColumn],
    window: Window | None,
    check: Callable[[], None],
    kept: KeptBlocks | None,
) -> dict[UUID, list[Piece]]:
    """By archive one piece a block, cut to the window and the ticks just before it (None: all there is). `held` is what
    there is of which layouts.

    What is kept of blocks is not fetched, and what is fetched is kept.
    """
    wanted: dict[int, dict[int, Column]] = {}
    groups: dict[int, str] = {}
    for known in columns:
        wanted.setdefault(known.layout_id, {})[known.position + CLOCKS] = known.column
        groups[known.layout_id] = known.group
    heads = _heads(session, host, [one for one in held if one.layout in wanted], window)
    if kept is not None:
        size_bytes = WORD * sum(head.ticks * (CLOCKS + len(wanted[head.written.layout])) for head in heads)
        if size_bytes > kept.most_bytes // 2:  # it would drive out all else, and itself
            kept = None
    asked = [_asked(head, wanted[head.written.layout].keys(), kept) for head in heads]
    chunks = _chunks(session, host, asked)
    out: dict[UUID, list[Piece]] = {}
    for at, one in enumerate(asked):
        check()
        decoded = _decoded(one, chunks.get(at, {}))
        head = one.head
        if kept is not None and one.missing:
            kept.keep(head.written, decoded)
        if one.before is not None:
            decoded.decode(wanted[head.written.layout].keys() - one.missing)
        inside = _inside(decoded.wall_ns, head.interval_ns, window)
        own = wanted[head.written.layout].items()
        piece = Piece(
            group=groups[head.written.layout],
            boot=head.boot,
            interval_ns=head.interval_ns,
            wall_ns=decoded.wall_ns[inside],
            monotonic_ns=decoded.monotonic_ns[inside],
            columns={column: decoded.columns[place].alone()[inside] for place, column in own},
        )
        out.setdefault(head.written.archive, []).append(piece)
    return out


def _heads(session: Session, host: UUID, held: Sequence[Held], window: Window | None) -> list[_Head]:
    values = _asked_of(host, held, window)
    rows = binary_rows(session, _HEADS if window is None else _HEADS_WITHIN, values)
    return [_Head(Written(*row[:4]), row[4].bytes, row[5], row[6]) for row in rows]


def contents(
    session: Session, host: UUID, held: Sequence[Held], window: Window
) -> tuple[int | None, int | None, int | None]:
    """Ticks, and the first and last of them, of the blocks that reach into a window: other numbers mean other ticks."""
    ((ticks, first_ns, last_ns),) = binary_rows(session, _CONTENTS, _asked_of(host, held, window))
    return ticks, first_ns, last_ns


def _asked_of(host: UUID, held: Sequence[Held], window: Window | None) -> dict[str, Any]:
    values: dict[str, Any] = {"host": host}
    if window is not None:
        begin_ns = window.start_ns - SEEN_BEFORE_INTERVALS * MAX_INTERVAL_NS
        held = [one for one in held if one.first_ns <= window.end_ns and one.last_ns >= begin_ns]
        values |= {"start": window.start_ns, "end": window.end_ns, "before": SEEN_BEFORE_INTERVALS}
        values |= {"begin": begin_ns, "earliest": begin_ns - LONG_NS, "latest": window.end_ns + LONG_NS}
    return values | {"archives": [one.archive for one in held], "layouts": [one.layout for one in held]}


def _asked(head: _Head, places: Set[int], kept: KeptBlocks | None) -> _Asked:
    before = kept.get(head.written) if kept is not None else None
    if before is None:
        return _Asked(head, None, frozenset((*range(CLOCKS), *places)))
    return _Asked(head, before, frozenset(places - before.columns.keys()))


def _chunks(session: Session, host: UUID, asked: Sequence[_Asked]) -> dict[int, dict[int, bytes]]:
    """By the blocks' numbers the chunks that are missing, by their places."""
    runs_of: dict[frozenset[int], list[_Run]] = {}
    keys: list[tuple[int, UUID, int, int, int, int]] = []
    for at, one in enumerate(asked):
        if one.missing not in runs_of:
            runs_of[one.missing] = _runs(one.missing)
        written = one.head.written
        keys += [(at, written.archive, written.layout, written.first_ns, *run) for run in runs_of[one.missing]]
    if not keys:
        return {}
    names = ("blocks", "archives", "layouts", "firsts_ns", "fronts", "backs")
    values = {name: list(column) for name, column in zip(names, zip(*keys, strict=True), strict=True)}
    out: dict[int, dict[int, bytes]] = {}
    for block, front, count, directory, data in binary_rows(session, _RUNS, {"host": host, **values}):
        offsets = entries_in(directory, count)
        found = out.setdefault(block, {})
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


def _decoded(asked: _Asked, chunks: Mapping[int, bytes]) -> Decoded:
    ticks = asked.head.ticks
    columns = {place: decode_steps(chunks[place], ticks) for place in asked.missing if place >= CLOCKS}
    if asked.before is not None:
        return asked.before.with_others(columns)
    monotonic_ns = decode_column(chunks[1], ticks)
    return Decoded(decode_wall(chunks[0], monotonic_ns), monotonic_ns, columns)


def _inside(wall_ns: IntArray, interval_ns: int, window: Window | None) -> slice:
    """The ticks from first to last in the window. A block of which none is stays whole; it costs little."""
    if window is None:
        return slice(None)
    wanted = np.flatnonzero(
        (wall_ns >= window.start_ns - SEEN_BEFORE_INTERVALS * interval_ns) & (wall_ns <= window.end_ns)
    )
    # One more at either side: the tick that begins the first interval, and the one whose interval ends the window.
    return slice(max(wanted[0] - 1, 0), wanted[-1] + 2) if len(wanted) else slice(None)
