"""Measures of a window as a table, read piece by piece: so much memory for a year as for an hour."""

from collections.abc import Hashable, Iterator, Sequence
from hashlib import sha256

import numpy as np

from reditus.analysis.series import cut_to_ticks, read, series_groups, series_named
from reditus.core.errors import WindowError
from reditus.core.measures.selection import SeriesKey, needed_columns
from reditus.core.types import NS_PER_S, BoolArray, FloatArray, IntArray
from reditus.core.window import Window
from reditus.exchange.tables.table import Head, Piece, Table
from reditus.store.read.reader import Reader

PIECE_TICKS = 28_800
MOST_VALUES = 200_000_000
MARGIN_INTERVALS = 2
"""A rate needs the tick before, also where that is of the piece before."""


def table_of(reader: Reader, names: Sequence[str], window: Window) -> Table:
    """The measures with these names (as of `parse_series_keys`), tick by tick. The pieces are read one by one, while
    the reader is open. Raise UnknownMeasure, or WindowError for more values than one file may hold.
    """
    keys = list(dict.fromkeys(series_named(reader, names)))
    inner = cut_to_ticks(reader, window)
    interval_ns = reader.extent.interval_ns or NS_PER_S
    values = ((inner.end_ns - inner.start_ns) // interval_ns + 1) * max(len(keys), 1)
    if values > MOST_VALUES:
        raise WindowError(
            f"the window holds about {values:,} values of these measures, and a file at most {MOST_VALUES:,}; choose a "
            "shorter window, or fewer measures"
        )
    heads = [
        Head(
            key.measure.name if key.device is None else f"{key.measure.name}@{key.device}",
            key.measure.name,
            key.device,
            key.measure.title,
            key.measure.unit.value,
        )
        for key in keys
    ]
    return Table(reader.scope.host_name, reader.scope.name, heads, _pieces(reader, keys, inner, interval_ns))


def signature_of(reader: Reader, names: Sequence[str], window: Window) -> Hashable:
    """Another one for every table that would be another, also for the same measures after more was recorded."""
    inner = cut_to_ticks(reader, window)
    scope = reader.scope
    facts = sha256(repr(scope.facts).encode()).digest()
    around = _around(inner, reader.extent.interval_ns or NS_PER_S)
    of_ticks = reader.contents(around)
    return scope.host, scope.host_name, scope.name, scope.archives, facts, tuple(names), inner, of_ticks


def _pieces(reader: Reader, keys: Sequence[SeriesKey], window: Window, interval_ns: int) -> Iterator[Piece]:
    columns = {column for key in keys for column in needed_columns(reader.known, (key,))}
    step_ns = min(PIECE_TICKS, reader.most_ticks(max(len(columns), 1))) * interval_ns
    for start_ns in range(window.start_ns, window.end_ns, step_ns):
        part = Window(start_ns, min(start_ns + step_ns, window.end_ns))
        reader.check()
        if reader.contents(part)[0] is None:
            continue
        piece = _piece(reader, keys, part, interval_ns)
        if len(piece.times_ns):
            yield piece


def _piece(reader: Reader, keys: Sequence[SeriesKey], part: Window, interval_ns: int) -> Piece:
    around = _around(part, interval_ns)
    times = _Times(part)
    found: dict[SeriesKey, tuple[int, FloatArray]] = {}
    for group in series_groups(reader, keys, around):
        for item in read(reader, group, around)[1]:
            if item.series is not None:
                found[item.key] = times.cut(item.series.timebase.wall_ns, item.series.values)
    times_ns = times.union()
    columns = []
    for key in keys:
        place, values = found.get(key, (None, None))
        if place is not None and values is not None and times.known[place] is times_ns:
            columns.append(values)
            continue
        column = np.full(len(times_ns), np.nan)
        if place is not None:
            column[np.searchsorted(times_ns, times.known[place])] = values
        columns.append(column)
    return Piece(times_ns, columns)


def _around(part: Window, interval_ns: int) -> Window:
    return Window(part.start_ns - MARGIN_INTERVALS * interval_ns, part.end_ns + MARGIN_INTERVALS * interval_ns)


class _Times:
    """The different times that the series of a piece have. Nearly always all have the same: then nothing is looked up
    and nothing copied.
    """

    def __init__(self, part: Window) -> None:
        self._part = part
        self._cut: list[tuple[IntArray, slice | BoolArray]] = []
        self.known: list[IntArray] = []

    def cut(self, wall_ns: IntArray, values: FloatArray) -> tuple[int, FloatArray]:
        """Where the times of a series stand in `known`, and its values inside the part."""
        for place, (before_ns, inside) in enumerate(self._cut):
            if before_ns is wall_ns or np.array_equal(before_ns, wall_ns):
                return place, values[inside]
        inside = _inside(wall_ns, self._part)
        self._cut.append((wall_ns, inside))
        self.known.append(wall_ns[inside])
        return len(self.known) - 1, values[inside]

    def union(self) -> IntArray:
        """Every time once, in order."""
        if not self.known:
            return np.zeros(0, dtype=np.int64)
        if len(self.known) == 1 and (np.diff(self.known[0]) > 0).all():
            return self.known[0]
        return np.unique(np.concatenate(self.known))


def _inside(wall_ns: IntArray, part: Window) -> slice | BoolArray:
    # A clock that was set back is not in order.
    if (np.diff(wall_ns) >= 0).all():
        return slice(*np.searchsorted(wall_ns, (part.start_ns, part.end_ns)).tolist())
    return (wall_ns >= part.start_ns) & (wall_ns < part.end_ns)
