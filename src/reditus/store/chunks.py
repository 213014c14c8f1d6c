"""Read columns out of blocks: only their bytes leave the database, those of neighbours in one go."""

from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass
from itertools import groupby, pairwise
from typing import Any
from uuid import UUID

import numpy as np
from sqlalchemy.orm import Session

from reditus.core.bins import Window
from reditus.core.blocks import CLOCKS
from reditus.core.column_codec import decode_column, decode_steps, decode_wall
from reditus.core.frame import Piece
from reditus.core.layout import Column
from reditus.core.types import IntArray
from reditus.store.directories import entries_in
from reditus.store.driver import binary_rows
from reditus.store.records import KnownColumn

SEEN_BEFORE_INTERVALS = 2
"""A rate at the window's start needs the tick before it; further away than this is a gap anyhow."""
BRIDGED = 4
"""Columns not asked for that are fetched along with their neighbours: another cut costs more than a few small columns."""

# One row a run: some neighbouring columns of one block. Positions are those of chunks, the two clocks first.
_RUNS = """
select b.layout_id, b.archive_id, b.first_ns, b.boot, b.interval_ns, b.ticks, w.front, w.back - w.front + 2,
       substring(b.directory from get_byte(b.directory, 0) * w.front + 2
                 for get_byte(b.directory, 0) * (w.back - w.front + 2)),
       substring(b.data from offset_at(b.directory, w.front) + 1
                 for offset_at(b.directory, w.back + 1) - offset_at(b.directory, w.front))
from blocks b join unnest(%(layouts)s::int[], %(fronts)s::int[], %(backs)s::int[]) as w(layout_id, front, back)
     on b.layout_id = w.layout_id
where b.host_id = %(host)s and b.archive_id = any(%(archives)s) and b.layout_id = any(%(every)s::int[])
  {window}
order by b.layout_id, b.archive_id, b.first_ns, w.front
"""
_WINDOW = "and b.first_ns <= %(end)s and b.last_ns >= %(start)s - %(before)s * b.interval_ns"


@dataclass(frozen=True, slots=True)
class _Run:
    layout: int
    front: int
    back: int


def read_pieces(
    session: Session,
    host: UUID,
    archives: Sequence[UUID],
    columns: Sequence[KnownColumn],
    window: Window | None,
    check: Callable[[], None],
) -> dict[UUID, list[Piece]]:
    """By archive one piece a block, cut to the window and the ticks just before it (None: all there is)."""
    runs = _runs(columns)
    values = {
        "host": host,
        "archives": list(archives),
        "layouts": [run.layout for run in runs],
        "fronts": [run.front for run in runs],
        "backs": [run.back for run in runs],
        "every": sorted({run.layout for run in runs}),
    }
    if window is not None:
        values |= {"start": window.start_ns, "end": window.end_ns, "before": SEEN_BEFORE_INTERVALS}
    statement = _RUNS.format(window="" if window is None else _WINDOW)
    rows = binary_rows(session, statement, values)
    out: dict[UUID, list[Piece]] = {}
    for archive, piece in _pieces(rows, columns, window):
        check()
        out.setdefault(archive, []).append(piece)
    return out


def _runs(columns: Sequence[KnownColumn]) -> list[_Run]:
    """The chunks of the columns and of their layouts' clocks, neighbours together."""
    wanted: dict[int, set[int]] = {}
    for known in columns:
        wanted.setdefault(known.layout_id, set(range(CLOCKS))).add(known.position + CLOCKS)
    runs = []
    for layout, places in wanted.items():
        front = back = 0
        for place in sorted(places):
            if place - back > BRIDGED:
                runs.append(_Run(layout, front, back))
                front = place
            back = place
        runs.append(_Run(layout, front, back))
    return runs


def _pieces(
    rows: Sequence[tuple[Any, ...]], columns: Sequence[KnownColumn], window: Window | None
) -> Iterator[tuple[UUID, Piece]]:
    by_layout: dict[int, list[tuple[int, Column]]] = {}
    groups = {known.layout_id: known.group for known in columns}
    for known in columns:
        by_layout.setdefault(known.layout_id, []).append((known.position + CLOCKS, known.column))
    for (layout, archive, _), block in groupby(rows, key=lambda row: row[:3]):
        runs = list(block)
        boot, interval_ns, ticks = runs[0][3:6]
        chunks = {
            place: data[begin - offsets[0] : end - offsets[0]]
            for *_, front, count, directory, data in runs
            for offsets in [entries_in(directory, count)]
            for place, (begin, end) in enumerate(pairwise(offsets), front)
        }
        monotonic_ns = decode_column(chunks[1], ticks)
        wall_ns = decode_wall(chunks[0], monotonic_ns)
        inside = _inside(wall_ns, interval_ns, window)
        yield (
            archive,
            Piece(
                group=groups[layout],
                boot=boot.bytes,
                interval_ns=interval_ns,
                wall_ns=wall_ns[inside],
                monotonic_ns=monotonic_ns[inside],
                columns={column: decode_steps(chunks[place], ticks)[inside] for place, column in by_layout[layout]},
            ),
        )


def _inside(wall_ns: IntArray, interval_ns: int, window: Window | None) -> slice:
    """The ticks from first to last in the window. A block of which none is stays whole; it costs little."""
    if window is None:
        return slice(None)
    wanted = np.flatnonzero(
        (wall_ns >= window.start_ns - SEEN_BEFORE_INTERVALS * interval_ns) & (wall_ns <= window.end_ns)
    )
    # One more at either side: the tick that begins the first interval, and the one whose interval ends the window.
    return slice(max(wanted[0] - 1, 0), wanted[-1] + 2) if len(wanted) else slice(None)
