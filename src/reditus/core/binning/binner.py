"""A window cut into bins, for many series at once.

Series of one timebase lie under each other as rows, so that what NumPy costs a call is paid once for all of them. That
pays for a few thousand ticks; longer rows are taken one by one.
"""

from collections.abc import Sequence
from dataclasses import dataclass
from functools import cached_property

import numpy as np

from reditus.core.binning.overlap import BinOverlap, KnownIntervals, WindowOverlap
from reditus.core.binning.stats import BinStats
from reditus.core.frame import Series, Timebase
from reditus.core.types import FloatArray, IntArray
from reditus.core.window import Summary, Window

FEW_TICKS = 12_000
"""Rows of no more than that are worked on together."""


def bin_series(series: Series, edges_ns: IntArray) -> BinStats:
    """Bin values over their intervals.

    The mean weighs by observed time and is exact where an interval straddles two bins; low and high are those of all
    intervals that touch the bin.
    """
    known = KnownIntervals(series.timebase, ~np.isnan(series.values))
    return BinOverlap(known, edges_ns).binned(series.values[None])[0]


def summarise(series: Series, window: Window) -> Summary:
    """Lowest, mean, 95th percentile, highest and total over the observed part of the window, weighed by time."""
    known = KnownIntervals(series.timebase, ~np.isnan(series.values))
    return WindowOverlap(known, window).summaries(series.values[None])[0]


class Binner:
    """A window and the bins that it is cut into."""

    def __init__(self, window: Window, edges_ns: IntArray) -> None:
        self.window = window
        self.edges_ns = edges_ns
        self._ticks: list[tuple[Timebase, int]] = []
        self._overlaps: list[_Overlaps] = []
        self._rows: dict[int, tuple[_Rows, int, Series]] = {}
        """By the identity of a series, which is kept with it so that no other can have it."""
        self._newest: tuple[_Rows, Series] | None = None

    def prepare(self, many: Sequence[Series]) -> None:
        """Bin many series at once: work that depends only on their timebase is shared."""
        by_timebase: dict[int, list[Series]] = {}
        for series in many:
            if 0 < len(series) <= FEW_TICKS:
                by_timebase.setdefault(id(series.timebase), []).append(series)
        for alike in by_timebase.values():
            values = np.stack([series.values for series in alike])
            left = np.arange(len(alike))
            while len(left):
                overlaps = self._overlaps_of(alike[int(left[0])])
                fits = overlaps.known.fits(values[left])
                rows = _Rows(overlaps, values[left[fits]])
                for at, place in enumerate(left[fits].tolist()):
                    self._rows[id(alike[place])] = rows, at, alike[place]
                left = left[~fits]

    def ticks(self, series: Series) -> int:
        """How many ticks lie in the window."""
        for timebase, ticks in self._ticks:
            if timebase is series.timebase:
                return ticks
        wall_ns = series.timebase.wall_ns
        ticks = int(np.count_nonzero((wall_ns >= self.window.start_ns) & (wall_ns <= self.window.end_ns)))
        self._ticks.append((series.timebase, ticks))
        return ticks

    def binned(self, series: Series) -> BinStats:
        """As bin_series."""
        rows, at = self._rows_of(series)
        return rows.binned[at]

    def summary(self, series: Series) -> Summary:
        """As summarise."""
        rows, at = self._rows_of(series)
        return rows.summaries[at]

    @cached_property
    def middle_ns(self) -> IntArray:
        """Of each bin."""
        middle_ns: IntArray = self.edges_ns[:-1] + np.diff(self.edges_ns) // 2
        return middle_ns

    def _rows_of(self, series: Series) -> tuple["_Rows", int]:
        if id(series) in self._rows:
            rows, at, _ = self._rows[id(series)]
            return rows, at
        if self._newest is None or self._newest[1] is not series:
            self._newest = _Rows(self._overlaps_of(series), series.values[None]), series
        return self._newest[0], 0

    def _overlaps_of(self, series: Series) -> "_Overlaps":
        for overlaps in self._overlaps:
            if overlaps.timebase is series.timebase and overlaps.known.fits(series.values[None])[0]:
                return overlaps
        known = KnownIntervals(series.timebase, ~np.isnan(series.values))
        overlaps = _Overlaps(series.timebase, known, self.window, self.edges_ns)
        self._overlaps.append(overlaps)
        return overlaps


@dataclass(frozen=True)
class _Overlaps:
    """Known intervals over the bins and in the window, each computed on first use."""

    timebase: Timebase
    known: KnownIntervals
    window: Window
    edges_ns: IntArray

    @cached_property
    def with_bins(self) -> BinOverlap:
        return BinOverlap(self.known, self.edges_ns)

    @cached_property
    def with_window(self) -> WindowOverlap:
        return WindowOverlap(self.known, self.window)


@dataclass(frozen=True)
class _Rows:
    """Series that are known in the same intervals."""

    overlaps: _Overlaps
    values: FloatArray
    """(series, ticks)"""

    @cached_property
    def binned(self) -> list[BinStats]:
        return self.overlaps.with_bins.binned(self.values)

    @cached_property
    def summaries(self) -> list[Summary]:
        return self.overlaps.with_window.summaries(self.values)
