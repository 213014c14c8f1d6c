"""Rollups: derived from the ticks once those have settled, and read in their place for long windows."""

from collections.abc import Iterator, Sequence
from uuid import UUID

import numpy as np

from reditus.core.binning import Binner, BinStats, even_edges
from reditus.core.errors import BlockError, UnknownCounter
from reditus.core.measures.selection import SeriesKey, everything, needed_columns
from reditus.core.rollup import CHUNK_BINS, MOST_SERIES, levels_of
from reditus.core.types import NS_PER_S, BoolArray
from reditus.core.window import Window
from reditus.store.read.reader import Reader
from reditus.store.rollups.table import RollupReach

LAG_S = 120
"""Ticks this near to the newest are not rolled up yet, nor those within two intervals of the group that is read most
rarely: what is still to come of them would count as late."""
LEAST_S = 600
"""As much as has to be there before rollups grow: each time costs a pass over all measures."""
STEP_TICKS = 7_200
"""Ticks that are in memory at once while rolling up."""
STEPS_A_PASS = 2
"""Steps in one transaction, so that the archive is never locked for long, and a request need not wait long either."""
FINER_STEPS_A_PASS = 4
"""The same, where a step is a row of a finer level."""


def grow_rollups(reader: Reader, archive: UUID) -> bool:
    """Extend the archive's rollups towards its newest ticks, within the reader's transaction. Return whether more is
    left.
    """
    extent = reader.extent
    if extent.first_ns is None or extent.last_ns is None or extent.interval_ns is None:
        return False
    slowest_ns = reader.rollups.slowest_interval_ns(archive)
    lag_ns = max(LAG_S * NS_PER_S, 2 * slowest_ns)
    more = False
    ticks = min(STEP_TICKS, reader.most_ticks(len(needed_columns(reader.known, everything(reader.known)))))
    finer_s, until_ns = None, extent.last_ns - lag_ns
    for level_s in levels_of(extent.interval_ns):
        reach = reader.rollups.reach(archive, level_s)
        level_ns = level_s * NS_PER_S
        begin_ns = reach.until_ns if reach else extent.first_ns // level_ns * level_ns
        end_ns = until_ns // level_ns * level_ns
        if end_ns - begin_ns >= max(LEAST_S * NS_PER_S, level_ns):
            step_ns = max(_step_ns(extent.interval_ns, finer_s, ticks) // level_ns, 1) * level_ns
            steps = STEPS_A_PASS if finer_s is None else FINER_STEPS_A_PASS
            stop_ns = min(end_ns, begin_ns + steps * step_ns)
            for at_ns in range(begin_ns, stop_ns, step_ns):
                _grow(reader, archive, level_s, Window(at_ns, min(at_ns + step_ns, stop_ns)), finer_s)
            reach = RollupReach(reach.since_ns if reach else begin_ns, stop_ns)
            reader.rollups.save_reach(archive, level_s, reach)
            more |= stop_ns < end_ns
        if reach is None:
            break
        finer_s, until_ns = level_s, reach.until_ns
    return more


def _step_ns(interval_ns: int, finer_s: int | None, ticks: int) -> int:
    """As much as is rolled up at once: many ticks, or as many bins of the finer level as a row has."""
    return ticks * interval_ns if finer_s is None else CHUNK_BINS * finer_s * NS_PER_S


def rolled(reader: Reader, keys: Sequence[SeriesKey], edges_ns: tuple[int, int], level_s: int) -> list[BinStats]:
    """Each measure over the level's bins between two times (multiples of the level): from rollups where there are any,
    else from the ticks. Where several archives tell of the same bin, the ticks decide.
    """
    begin_ns, end_ns = edges_ns
    names = [key.name for key in keys]
    level_ns = level_s * NS_PER_S
    bins = (end_ns - begin_ns) // level_ns
    out = [BinStats.unknown(bins) for _ in keys]
    served = np.ones(bins, dtype=bool)
    archives_of_bin = np.zeros(bins, dtype=np.int64)
    for archive in reader.scope.archives:
        extent = reader.extent_of(archive)
        if extent.first_ns is None or extent.last_ns is None:
            continue
        has = _bins_between(begin_ns, level_ns, bins, extent.first_ns // level_ns * level_ns, extent.last_ns + level_ns)
        archives_of_bin += has
        reach = reader.rollups.reach(archive, level_s)
        reached = (
            _bins_between(begin_ns, level_ns, bins, reach.since_ns, reach.until_ns) if reach else np.zeros_like(has)
        )
        served &= reached | ~has
        valid = reached & has
        reader.check()
        try:
            for series, at, part in reader.rollups.read(archive, names, edges_ns, level_s):
                _merge(out[series], at, part, valid[at : at + len(part)])
        except BlockError:
            reader.damaged_rollups.add(archive)
            served &= ~has
    served &= archives_of_bin < 2
    ticks = reader.most_ticks(len(needed_columns(reader.known, tuple(keys))))
    step = max(ticks * (reader.extent.interval_ns or NS_PER_S) // level_ns, 1)
    for start, stop in _stretches(~served & (archives_of_bin > 0)):
        for at in range(start, stop, step):
            reader.check()
            window = Window(begin_ns + at * level_ns, begin_ns + min(at + step, stop) * level_ns)
            for series, part in enumerate(from_ticks(reader, keys, window, level_s)):
                out[series].put(at, part)
    return out


def _merge(whole: BinStats, at: int, part: BinStats, valid: BoolArray) -> None:
    """Write valid bins that were observed over those that were not: devices that came later have rows of their own."""
    is_all = part.is_whole and valid.all()
    whole.put(at, part, None if is_all else (part.observed_s > 0) & valid)


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
    keys = everything(reader.known)
    if finer_s is None:
        fresh = from_ticks(reader, keys, window, level_s)
    else:
        finer = rolled(reader, keys, (window.start_ns, window.end_ns), finer_s)
        fresh = [part.coarser(level_s // finer_s) for part in finer]
    level_ns = level_s * NS_PER_S
    chunk_ns = CHUNK_BINS * level_ns
    for start in range(0, len(keys), MOST_SERIES):
        of_row = slice(start, start + MOST_SERIES)
        keys_id = reader.rollups.keys_id([key.name for key in keys[of_row]])
        begin_ns = window.start_ns
        while begin_ns < window.end_ns:
            end_ns = min((begin_ns // chunk_ns + 1) * chunk_ns, window.end_ns)
            cut = [(ns - window.start_ns) // level_ns for ns in (begin_ns, end_ns)]
            parts = [part.part(*cut) for part in fresh[of_row]]
            reader.rollups.append(archive, level_s, keys_id, begin_ns, parts)
            begin_ns = end_ns


def from_ticks(reader: Reader, keys: Sequence[SeriesKey], window: Window, level_s: int) -> list[BinStats]:
    """Each series over the level's bins, derived from the window's ticks; nothing where its counters are lacking."""
    level_ns = level_s * NS_PER_S
    edges_ns = even_edges(window.start_ns, window.end_ns, level_ns)
    frame = reader.frame(needed_columns(reader.known, tuple(keys)), window)
    binner = Binner(window, edges_ns)
    out = []
    for key in keys:
        try:
            out.append(binner.binned(key.measure.derive(frame, key.device)))
        except UnknownCounter:
            out.append(BinStats.unknown(len(edges_ns) - 1))
    return out
