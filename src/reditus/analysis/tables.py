"""Measures of a window as a table, read piece by piece: so much memory for a year as for an hour."""

from collections.abc import Iterator, Sequence

import numpy as np

from reditus.analysis.series import cut_to_ticks, read, series_groups, series_named
from reditus.core.errors import WindowError
from reditus.core.measures.selection import SeriesKey, needed_columns
from reditus.core.types import NS_PER_S, FloatArray, IntArray
from reditus.core.window import Window
from reditus.exchange.tables.table import Head, Piece, Table
from reditus.store.read.reader import Reader

PIECE_TICKS = 7_200
MOST_VALUES = 200_000_000
MARGIN_INTERVALS = 2
"""A rate needs the tick before, also where that is of the piece before."""


def table_of(reader: Reader, names: Sequence[str], window: Window, archive_name: str) -> Table:
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
    return Table(reader.scope.host_name, archive_name, heads, _pieces(reader, keys, inner, interval_ns))


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
    around = Window(part.start_ns - MARGIN_INTERVALS * interval_ns, part.end_ns + MARGIN_INTERVALS * interval_ns)
    found: dict[SeriesKey, tuple[IntArray, FloatArray]] = {}
    for group in series_groups(reader, keys, around):
        for item in read(reader, group, around)[1]:
            if item.series is not None:
                wall_ns = item.series.timebase.wall_ns
                inside = (wall_ns >= part.start_ns) & (wall_ns < part.end_ns)
                found[item.key] = wall_ns[inside], item.series.values[inside]
    every = [times_ns for times_ns, _ in found.values()]
    times_ns = np.unique(np.concatenate(every)) if every else np.zeros(0, dtype=np.int64)
    columns = []
    for key in keys:
        column = np.full(len(times_ns), np.nan)
        if key in found:
            column[np.searchsorted(times_ns, found[key][0])] = found[key][1]
        columns.append(column)
    return Piece(times_ns, columns)
