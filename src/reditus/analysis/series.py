"""Read measures of an archive: which columns they need, one query for all, derived in the core."""

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from reditus.analysis.rollups import rolled
from reditus.core.binning import Binner, BinStats, bin_edges, rolled_edges
from reditus.core.binning.edges import MAX_BINS, aligned_edges, requested_edges
from reditus.core.errors import UnknownCounter
from reditus.core.frame import Frame, Series
from reditus.core.measures import MEASURES
from reditus.core.measures.selection import SeriesKey, StoredColumn, needed_columns, parse_series_keys
from reditus.core.rollup import chosen_level, dividing_level, fitting_level, levels_of
from reditus.core.types import NS_PER_S, FloatArray, IntArray
from reditus.core.window import Summary, Window, points
from reditus.store.read.reader import Reader

MOST_NAMES = 160
"""Of measures in one request: forty strips with four lines each."""
MAP_BINS_A_PIXEL = 0.5
"""A cell of a map may be two pixels wide if that lets it come from rollups."""


@dataclass(frozen=True, slots=True)
class Read:
    """A measure as read: its values, or why there are none."""

    key: SeriesKey
    series: Series | None
    missing: str | None


@dataclass(frozen=True, slots=True)
class ChartSeries:
    """A series ready for a chart: ticks where they fit the width, bins where they do not."""

    key: SeriesKey
    missing: str | None
    times_ns: IntArray
    mean: FloatArray
    low: FloatArray | None
    high: FloatArray | None
    bin_s: float | None
    summary: Summary | None
    summary_of_s: float | None = None
    """Length of the bins that the summary is of; None where it is of the ticks."""


def cut_to_ticks(reader: Reader, window: Window) -> Window:
    """The part of a window in which ticks can lie: a request for a century of an archive of an hour costs an hour. A
    window beside the archive becomes its own last moment, in which nothing is.
    """
    extent = reader.extent
    if extent.first_ns is None or extent.last_ns is None:
        return Window(window.end_ns - 1, window.end_ns)
    around_ns = 2 * (extent.interval_ns or 0) + 1
    start_ns, end_ns = max(window.start_ns, extent.first_ns - around_ns), min(window.end_ns, extent.last_ns + around_ns)
    return Window(start_ns, end_ns) if start_ns < end_ns else Window(window.end_ns - 1, window.end_ns)


def _cut_edges(edges_ns: IntArray, inner: Window) -> IntArray:
    """Those edges between which a part of the window lies; at least two."""
    first = int(np.searchsorted(edges_ns, inner.start_ns, side="right")) - 1
    last = int(np.searchsorted(edges_ns, inner.end_ns, side="left"))
    first = min(max(first, 0), len(edges_ns) - 2)
    return edges_ns[first : max(last, first + 1) + 1]


def series_named(reader: Reader, names: Sequence[str]) -> list[SeriesKey]:
    """The series that names stand for (see `parse_series_keys`). Raise UnknownMeasure."""
    return [key for name in names for key in parse_series_keys(name, reader.known)]


def read(reader: Reader, keys: Sequence[SeriesKey], window: Window | None) -> tuple[Frame, list[Read]]:
    """Fetch only the columns that are needed, and derive. A measure that the host cannot give says why."""
    frame = reader.frame(needed_columns(reader.known, tuple(keys)), window, again=True)
    return frame, [_derived(reader, frame, key) for key in keys]


def draw(
    reads: Sequence[Read], window: Window, width: int, inner: Window | None = None, edges_ns: IntArray | None = None
) -> list[ChartSeries]:
    """Ticks where the window holds at most `width` of them, else bins that carry mean, lowest and highest; of its inner
    part alone, where there is nothing outside. The bins are at most `width`, or those between `edges_ns`.
    """
    edges_ns = bin_edges(window, width) if edges_ns is None else edges_ns
    binner = Binner(window, edges_ns if inner is None else _cut_edges(edges_ns, inner))
    binner.prepare([item.series for item in reads if item.series is not None])
    return [_drawn(item, binner, width) for item in reads]


def _drawn(item: Read, binner: Binner, width: int) -> ChartSeries:
    if item.series is None:
        nothing = np.zeros(0)
        return ChartSeries(item.key, item.missing, np.zeros(0, dtype=np.int64), nothing, None, None, None, None)
    if binner.ticks(item.series) <= width:
        times_ns, values = points(item.series, binner.window)
        return ChartSeries(item.key, None, times_ns, values, None, None, None, binner.summary(item.series))
    return _of_bins(item.key, binner, binner.binned(item.series), binner.summary(item.series))


def _of_bins(
    key: SeriesKey, binner: Binner, stats: BinStats, summary: Summary, summary_of_s: float | None = None
) -> ChartSeries:
    middle_ns, edges_ns = binner.middle_ns, binner.edges_ns
    bin_s = float(edges_ns[1] - edges_ns[0]) / NS_PER_S
    return ChartSeries(key, None, middle_ns, stats.mean, stats.low, stats.high, bin_s, summary, summary_of_s)


def drawn(
    reader: Reader, keys: Sequence[SeriesKey], window: Window, width: int, bin_ns: int | None = None
) -> list[ChartSeries]:
    """Measures ready for a chart: from the ticks, or from rollups where a pixel stands for many of their bins. Either
    way lowest, highest and mean of a bin are exact.

    With `bin_ns` the bins are that long, and lie on whole multiples of it since the epoch; ticks that are further apart
    stay ticks. Raise WindowError where such bins would be too many.
    """
    inner = cut_to_ticks(reader, window)
    interval_ns = reader.extent.interval_ns or 0
    edges_ns = None if bin_ns is None else requested_edges(window, bin_ns)
    if bin_ns is None:
        level_s = chosen_level(window, width, interval_ns, inner)
    else:
        level_s = dividing_level(bin_ns, interval_ns, inner)
        width = MAX_BINS if bin_ns <= interval_ns else 0
    # Counters as they are, and single processes, have no rollups; so few of them are drawn that their ticks will do.
    from_ticks = [key for key in keys if level_s is None or key.measure.name not in MEASURES]
    if level_s is None:
        # What needs too many columns for so many ticks comes from rollups all the same, in bins of a minute or more.
        finest_s = min(levels_of(reader.extent.interval_ns or NS_PER_S), default=None)
        heavy = {from_tick for from_tick in from_ticks if finest_s is not None and _is_heavy(reader, from_tick, inner)}
        level_s, from_ticks = finest_s, [from_tick for from_tick in from_ticks if from_tick not in heavy]
    by_ticks: dict[SeriesKey, ChartSeries] = {}
    for group in series_groups(reader, from_ticks, inner):
        reads = read(reader, group, inner)[1]
        by_ticks |= zip(group, draw(reads, window, width, inner, edges_ns), strict=True)
    by_bins: dict[SeriesKey, ChartSeries] = {}
    measures = [key for key in keys if key not in by_ticks]
    if level_s is not None and measures:
        edges_ns = rolled_edges(window, width, level_s, bin_ns)
        by_bins = dict(zip(measures, _rolled(reader, measures, window, inner, edges_ns, level_s), strict=True))
    return [by_ticks.get(key) or by_bins[key] for key in keys]


def _ticks_in(reader: Reader, inner: Window) -> int:
    """As many as fit, at the shortest interval; there may be fewer."""
    return (inner.end_ns - inner.start_ns) // (reader.extent.interval_ns or NS_PER_S) + 1


def _is_heavy(reader: Reader, series_key: SeriesKey, inner: Window) -> bool:
    """Whether one measure alone needs more than may be read at once."""
    if series_key.measure.name not in MEASURES:
        return False
    return _ticks_in(reader, inner) > reader.most_ticks(len(needed_columns(reader.known, (series_key,))))


def series_groups(reader: Reader, keys: Sequence[SeriesKey], inner: Window) -> list[list[SeriesKey]]:
    """The measures in groups that may be read at once each, in their order."""
    ticks = _ticks_in(reader, inner)
    groups: list[list[SeriesKey]] = []
    columns: set[StoredColumn] = set()
    for key in keys:
        more = columns | set(needed_columns(reader.known, (key,)))
        if not groups or ticks > reader.most_ticks(len(more)):
            groups.append([])
            more = set(needed_columns(reader.known, (key,)))
        groups[-1].append(key)
        columns = more
    return groups


@dataclass(frozen=True, slots=True)
class BinnedSeries:
    """Measures over the same bins; None for those that the host cannot give."""

    edges_ns: IntArray
    series: list[BinStats | None]


def binned(reader: Reader, keys: Sequence[SeriesKey], window: Window, width: int) -> BinnedSeries:
    """Measures over equal bins, from rollups wherever those have been made: for pictures of whole archives."""
    interval_ns = reader.extent.interval_ns or 0
    inner = cut_to_ticks(reader, window)
    level_s = fitting_level(window, width, interval_ns, 1) or fitting_level(
        window, width, interval_ns, MAP_BINS_A_PIXEL
    )
    if level_s is None and any(_is_heavy(reader, key, inner) for key in keys):
        level_s = min(levels_of(interval_ns), default=None)
    if level_s is None:
        edges_ns = bin_edges(window, width)
        found: list[BinStats | None] = []
        for group in series_groups(reader, keys, inner):
            binner = Binner(window, edges_ns)
            reads = read(reader, group, inner)[1]
            binner.prepare([item.series for item in reads if item.series is not None])
            found += [binner.binned(item.series) if item.series is not None else None for item in reads]
        return BinnedSeries(edges_ns, found)
    edges_ns = rolled_edges(window, width, level_s)
    inner_edges_ns = _cut_edges(edges_ns, inner)
    at = int(np.searchsorted(edges_ns, inner_edges_ns[0]))
    coarse = []
    for part in _coarse(reader, keys, inner_edges_ns, level_s):
        coarse.append(BinStats.unknown(len(edges_ns) - 1))
        coarse[-1].put(at, part)
    return BinnedSeries(
        edges_ns,
        [
            part if part.observed_s.any() or needed_columns(reader.known, (key,)) else None
            for key, part in zip(keys, coarse, strict=True)
        ],
    )


def binned_by(reader: Reader, keys: Sequence[SeriesKey], window: Window, bin_ns: int) -> BinnedSeries:
    """Measures over bins of a length, on whole multiples of it: from rollups where there are many ticks and those fit,
    else from the ticks.
    """
    interval_ns = reader.extent.interval_ns or 0
    inner = cut_to_ticks(reader, window)
    edges_ns = aligned_edges(window, bin_ns)
    level_s = dividing_level(bin_ns, interval_ns, inner)
    if level_s is None:
        found: dict[SeriesKey, BinStats | None] = {}
        for group in series_groups(reader, keys, inner):
            binner = Binner(window, edges_ns)
            reads = read(reader, group, inner)[1]
            binner.prepare([item.series for item in reads if item.series is not None])
            found |= {item.key: None if item.series is None else binner.binned(item.series) for item in reads}
        return BinnedSeries(edges_ns, [found[key] for key in keys])
    inner_edges_ns = _cut_edges(edges_ns, inner)
    at = int(np.searchsorted(edges_ns, inner_edges_ns[0]))
    out: list[BinStats | None] = []
    for part in _coarse(reader, keys, inner_edges_ns, level_s):
        whole = BinStats.unknown(len(edges_ns) - 1)
        whole.put(at, part)
        out.append(whole)
    return BinnedSeries(edges_ns, out)


SLICE_NUMBERS = 1 << 19
"""Of a level's bins times series that are in memory at once."""


def _coarse(reader: Reader, keys: Sequence[SeriesKey], edges_ns: IntArray, level_s: int) -> list[BinStats]:
    """Measures over equal bins, each of many of a level's: slice by slice, so that what is in memory does not depend on
    how much of the level there is; slices without ticks cost nothing.
    """
    bins, length_ns = len(edges_ns) - 1, int(edges_ns[1] - edges_ns[0])
    factor = length_ns // (level_s * NS_PER_S)
    out = [BinStats.unknown(bins) for _ in keys]
    most = max(SLICE_NUMBERS // len(keys), 1)
    if factor > most:
        for at in range(bins):
            for whole, in_part in zip(out, _in_parts(reader, keys, edges_ns[at : at + 2], level_s, most), strict=True):
                whole.put(at, in_part)
        return out
    step = max(most // factor, 1)
    for at in range(0, bins, step):
        part_ns = int(edges_ns[at]), int(edges_ns[min(at + step, bins)])
        reader.check()
        if step < bins and not reader.contents(Window(*part_ns))[0]:
            continue
        for whole, fine in zip(out, rolled(reader, keys, part_ns, level_s), strict=True):
            whole.put(at, fine.coarser(factor))
    return out


def _in_parts(reader: Reader, keys: Sequence[SeriesKey], edges_ns: IntArray, level_s: int, most: int) -> list[BinStats]:
    """Measures over one bin, of at most so many of a level's bins at a time."""
    begin_ns, end_ns = (int(edge_ns) for edge_ns in edges_ns)
    step_ns = most * level_s * NS_PER_S
    parts: list[list[BinStats]] = [[BinStats.unknown(1)] for _ in keys]
    for at_ns in range(begin_ns, end_ns, step_ns):
        part_ns = at_ns, min(at_ns + step_ns, end_ns)
        reader.check()
        if reader.contents(Window(*part_ns))[0]:
            for found, fine in zip(parts, rolled(reader, keys, part_ns, level_s), strict=True):
                found.append(fine.coarser(len(fine)))
    return [BinStats.concatenated(found).coarser(len(found)) for found in parts]


def _rolled(
    reader: Reader, keys: Sequence[SeriesKey], window: Window, inner: Window, edges_ns: IntArray, level_s: int
) -> list[ChartSeries]:
    edges_ns = _cut_edges(edges_ns, inner)
    binner = Binner(window, edges_ns)
    level_ns = level_s * NS_PER_S
    # The figures are of the level's whole bins that touch the window; a chart's bins may reach over its ends.
    ends_ns = inner.start_ns // level_ns * level_ns, -(-inner.end_ns // level_ns) * level_ns
    fine_bins = (ends_ns[1] - ends_ns[0]) // level_ns
    if fine_bins * len(keys) <= SLICE_NUMBERS:
        return _rolled_at_once(reader, keys, window, binner, level_s, ends_ns)
    out = []
    for key, coarse in zip(keys, _coarse(reader, keys, edges_ns, level_s), strict=True):
        if not coarse.observed_s.any() and not needed_columns(reader.known, (key,)):
            out.append(_without_values(key))
            continue
        bin_s = float(edges_ns[1] - edges_ns[0]) / NS_PER_S
        out.append(_of_bins(key, binner, coarse, coarse.summary(window), bin_s))
    return out


def _rolled_at_once(
    reader: Reader, keys: Sequence[SeriesKey], window: Window, binner: Binner, level_s: int, ends_ns: tuple[int, int]
) -> list[ChartSeries]:
    edges_ns, level_ns = binner.edges_ns, level_s * NS_PER_S
    whole = (int(edges_ns[0]), int(edges_ns[-1]))
    factor = int(edges_ns[1] - edges_ns[0]) // level_ns
    first, after = (max((end_ns - whole[0]) // level_ns, 0) for end_ns in ends_ns)
    out = []
    for key, fine in zip(keys, rolled(reader, keys, whole, level_s), strict=True):
        if not fine.observed_s.any() and not needed_columns(reader.known, (key,)):
            out.append(_without_values(key))
            continue
        summary = fine.part(first, after).summary(window)
        out.append(_of_bins(key, binner, fine.coarser(factor), summary, level_s))
    return out


def _without_values(series_key: SeriesKey) -> ChartSeries:
    return ChartSeries(
        series_key, _missing(series_key), np.zeros(0, dtype=np.int64), np.zeros(0), None, None, None, None
    )


def _derived(reader: Reader, frame: Frame, series_key: SeriesKey) -> Read:
    reader.check()
    try:
        return Read(series_key, series_key.measure.derive(frame, series_key.device), None)
    except UnknownCounter:
        return Read(series_key, None, _missing(series_key))


def _missing(series_key: SeriesKey) -> str:
    of = f" of {series_key.device}" if series_key.device else ""
    return f"{series_key.measure.name}{of}: this archive lacks the counters for it in this window"
