"""The two sides of a comparison: every measure over equal bins, of the same length on both sides."""

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from reditus.core.binning import Binner, BinStats
from reditus.core.binning.edges import aligned_edges
from reditus.core.errors import UnknownCounter
from reditus.core.facts import HostFacts
from reditus.core.frame import Frame
from reditus.core.measures.selection import ColumnSet, SeriesKey, StoredColumn, everything
from reditus.core.types import NS_PER_S, FloatArray
from reditus.core.window import Window

LENGTHS_S = (1, 2, 5, 10, 15, 20, 30, 60, 120, 240, 480, 1_200, 2_400, 3_600, 7_200, 21_600, 86_400)
"""Bins longer than a minute are whole multiples of a rollup's."""
MOST_BINS = 1_500


@dataclass(frozen=True)
class Side:
    """One side: what is known of its host, its window, and each measure over bins."""

    name: str
    facts: HostFacts
    window: Window
    bin_ns: int
    stats: dict[tuple[str, str | None], BinStats]
    """By measure and device."""

    def values(self, measure: str, device: str | None) -> FloatArray:
        """The bins' means in the order of time, those that are known."""
        found = self.stats.get((measure, device))
        if found is None:
            return np.zeros(0)
        return found.mean[~np.isnan(found.mean)]


def aligned_bin_ns(windows: Sequence[Window], intervals_ns: Sequence[int]) -> int:
    """The length of bins for windows that are compared: no shorter than any of their intervals, and not too many of
    them. Lengths that are no whole second are those of ticks.
    """
    least_ns = max(*intervals_ns, *((window.end_ns - window.start_ns) // MOST_BINS for window in windows))
    if least_ns < NS_PER_S:
        return least_ns
    return next((length * NS_PER_S for length in LENGTHS_S if length * NS_PER_S >= least_ns), least_ns)


def side_of_frame(name: str, frame: Frame, keys: Sequence[SeriesKey], window: Window, bin_ns: int) -> Side:
    """From ticks in memory. Measures that the frame cannot give are left out."""
    binner = Binner(window, aligned_edges(window, bin_ns))
    series = {}
    for key in keys:
        try:
            series[key.measure.name, key.device] = key.measure.derive(frame, key.device)
        except UnknownCounter:
            continue
    binner.prepare(list(series.values()))
    return Side(name, frame.facts, window, bin_ns, {key: binner.binned(item) for key, item in series.items()})


def keys_of(frames: Sequence[Frame]) -> tuple[SeriesKey, ...]:
    """Every measure of every device that any of some frames can give."""
    columns = dict.fromkeys(
        (group.name, column) for frame in frames for group in frame.groups for column in group.series
    )
    return everything(ColumnSet([StoredColumn(0, name, 0, column) for name, column in columns]))
