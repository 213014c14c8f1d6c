"""A window cut into bins, for many measures at once: what depends on time alone is worked out once for all that share
it.

Series of one timebase lie under each other as rows, so that what NumPy costs a call is paid once for all of them. That
pays for a few thousand ticks; rows of more are taken one by one.
"""

from collections.abc import Sequence
from dataclasses import dataclass
from functools import cached_property
from typing import TypeVar

import numpy as np

from reditus.core.frame import Series, Timebase
from reditus.core.quantile import weighted_quantile
from reditus.core.types import NS_PER_S, BoolArray, FloatArray, IntArray
from reditus.core.window import Binned, Summary, Window

FEW_A_BIN = 8
FEW_TICKS = 12_000
"""Rows of no more than that are worked on together."""
_Array = TypeVar("_Array", IntArray, FloatArray)


def bin_sampled(sampled: Series, edges_ns: IntArray) -> Binned:
    """Bin values over their intervals.

    The mean weighs by observed time and is exact where an interval straddles two bins; low and high are those of all
    intervals that touch the bin.
    """
    rows = sampled.values[None]
    return _OverBins(_Known(sampled.timebase, ~np.isnan(sampled.values)), edges_ns).binned(rows)[0]


def summarise(sampled: Series, window: Window) -> Summary:
    """Lowest, mean, 95th percentile, highest and total over the observed part of the window, weighed by time."""
    rows = sampled.values[None]
    return _WindowWeights(_Known(sampled.timebase, ~np.isnan(sampled.values)), window).summaries(rows)[0]


class Binner:
    """A window and the bins that it is cut into."""

    def __init__(self, window: Window, edges_ns: IntArray) -> None:
        self.window = window
        self.edges_ns = edges_ns
        self._ticks: list[tuple[Timebase, int]] = []
        self._known: list[_BinPlan] = []
        self._rows: dict[int, tuple[_Rows, int, Series]] = {}
        """By the identity of a sampled measure, which is kept with it so that no other can have it."""
        self._newest: tuple[_Rows, Series] | None = None

    def prepare(self, series: Sequence[Series]) -> None:
        """Bin many series at once: work that depends only on their timebase is shared."""
        by_timebase: dict[int, list[Series]] = {}
        for sampled in series:
            if 0 < len(sampled) <= FEW_TICKS:
                by_timebase.setdefault(id(sampled.timebase), []).append(sampled)
        for alike in by_timebase.values():
            values = np.stack([sampled.values for sampled in alike])
            left = np.arange(len(alike))
            while len(left):
                drawing = self._drawing_of(alike[int(left[0])])
                fits = drawing.known.fits(values[left])
                rows = _Rows(drawing, values[left[fits]])
                for at, place in enumerate(left[fits].tolist()):
                    self._rows[id(alike[place])] = rows, at, alike[place]
                left = left[~fits]

    def ticks(self, sampled: Series) -> int:
        """How many ticks lie in the window."""
        for timebase, ticks in self._ticks:
            if timebase is sampled.timebase:
                return ticks
        wall_ns = sampled.timebase.wall_ns
        ticks = int(np.count_nonzero((wall_ns >= self.window.start_ns) & (wall_ns <= self.window.end_ns)))
        self._ticks.append((sampled.timebase, ticks))
        return ticks

    def binned(self, sampled: Series) -> Binned:
        """As bin_sampled."""
        rows, at = self._rows_of(sampled)
        return rows.binned[at]

    def summary(self, sampled: Series) -> Summary:
        """As summarise."""
        rows, at = self._rows_of(sampled)
        return rows.summaries[at]

    @cached_property
    def middle_ns(self) -> IntArray:
        """Of each bin."""
        middle_ns: IntArray = self.edges_ns[:-1] + np.diff(self.edges_ns) // 2
        return middle_ns

    def _rows_of(self, sampled: Series) -> tuple["_Rows", int]:
        if id(sampled) in self._rows:
            rows, at, _ = self._rows[id(sampled)]
            return rows, at
        if self._newest is None or self._newest[1] is not sampled:
            self._newest = _Rows(self._drawing_of(sampled), sampled.values[None]), sampled
        return self._newest[0], 0

    def _drawing_of(self, sampled: Series) -> "_BinPlan":
        for drawing in self._known:
            if drawing.timebase is sampled.timebase and drawing.known.fits(sampled.values[None])[0]:
                return drawing
        known = _Known(sampled.timebase, ~np.isnan(sampled.values))
        drawing = _BinPlan(sampled.timebase, known, self.window, self.edges_ns)
        self._known.append(drawing)
        return drawing


class _Known:
    """The intervals of a timebase in which a measure is known. Measures of one group mostly share them, and with them
    all that depends on time alone.
    """

    def __init__(self, timebase: Timebase, known: BoolArray) -> None:
        self._known = known
        # Mostly all of it, or all but the first tick, which has nothing before it: a slice copies nothing.
        first = int(known.argmax()) if len(known) else 0
        count = int(np.count_nonzero(known))
        together = bool(known[first : first + count].all())
        self._kept: slice | BoolArray = slice(first, first + count) if together else known
        # A wall clock set back makes times repeat. The picture then holds the time already drawn; rates are not
        # touched.
        self.start_ns = np.maximum.accumulate(self.of_known(timebase.start_ns))
        self.end_ns = np.maximum.accumulate(self.of_known(timebase.wall_ns))

    def fits(self, rows: FloatArray) -> BoolArray:
        """Of which rows, with one entry a tick, just these intervals are known."""
        kept = self._kept
        if not isinstance(kept, slice):
            same: BoolArray = (self._known == ~np.isnan(rows)).all(axis=1)
            return same
        # A sum is unknown as soon as a part is: a quarter of the time it takes to ask each one.
        out: BoolArray = ~np.isnan(np.add.reduce(rows[:, kept], axis=1))
        for outside in (rows[:, : kept.start], rows[:, kept.stop :]):
            if outside.shape[1]:
                out &= np.isnan(outside).all(axis=1)
        return out

    def of_known(self, values: _Array) -> _Array:
        """Of each row, or of the one there is."""
        return values[..., self._kept]


@dataclass(frozen=True)
class _BinPlan:
    """Intervals over the bins and in the window, each computed on first use."""

    timebase: Timebase
    known: _Known
    window: Window
    edges_ns: IntArray

    @cached_property
    def over(self) -> "_OverBins":
        return _OverBins(self.known, self.edges_ns)

    @cached_property
    def within(self) -> "_WindowWeights":
        return _WindowWeights(self.known, self.window)


@dataclass(frozen=True)
class _Rows:
    """Series that are known in the same intervals."""

    drawing: _BinPlan
    values: FloatArray
    """(series, ticks)"""

    @cached_property
    def binned(self) -> list[Binned]:
        return self.drawing.over.binned(self.values)

    @cached_property
    def summaries(self) -> list[Summary]:
        return self.drawing.within.summaries(self.values)


class _OverBins:
    """Which intervals touch which bins, and for how long."""

    def __init__(self, intervals: _Known, edges_ns: IntArray) -> None:
        self._intervals = intervals
        self._edges_ns = edges_ns
        start_ns, end_ns = intervals.start_ns, intervals.end_ns
        self._length_s = (end_ns - start_ns) / NS_PER_S
        # At each edge: the first interval that ends after it, and how far into that the edge lies.
        self._at = np.searchsorted(end_ns, edges_ns, side="right")
        self._empty = self._at[:-1] == self._at[1:]
        inside = np.flatnonzero(self._at < len(end_ns))
        self._into_s = np.zeros(len(edges_ns))
        self._into_s[inside] = np.maximum(edges_ns[inside] - start_ns[self._at[inside]], 0) / NS_PER_S
        self._seen_s = self._integral(self._padded(np.ones(len(start_ns))))
        self._touched = self._seen_s > 1e-9
        first = self._at[:-1][self._touched]
        after = np.searchsorted(start_ns, edges_ns[1:], side="left")[self._touched]
        self._pairs = np.stack([first, after], axis=1).ravel()
        most = int((after - first).max(initial=0))
        self._few = _SparseBins.of(intervals, edges_ns, self._touched, first, after) if most <= FEW_A_BIN else None
        self.coverage = np.minimum(self._seen_s / (np.diff(edges_ns) / NS_PER_S), 1.0)

    def binned(self, rows: FloatArray) -> list[Binned]:
        """`rows` have one entry a tick of the timebase, NaN where nothing is known."""
        touched = self._touched
        if not len(self._pairs):
            nothing = np.full(len(touched), np.nan)
            return [Binned(self._edges_ns, nothing, nothing.copy(), nothing.copy(), self.coverage) for _ in rows]
        rows = np.ascontiguousarray(self._intervals.of_known(rows))
        if self._few is not None:
            mean, low, high = self._few.of_values(rows)
        else:
            mean, low, high = (np.stack(each) for each in zip(*map(self._of_many, rows), strict=True))
        # The mean of equal values may leave their range by a rounding error.
        mean = np.minimum(np.maximum(mean, low), high)
        if mean.shape[1] < len(touched):
            mean, low, high = (_spread(own, touched) for own in (mean, low, high))
        return [
            Binned(self._edges_ns, own_mean, own_low, own_high, self.coverage)
            for own_mean, own_low, own_high in zip(mean, low, high, strict=True)
        ]

    def _of_many(self, values: FloatArray) -> tuple[FloatArray, FloatArray, FloatArray]:
        """Mean, lowest and highest of each bin."""
        padded = self._padded(values)
        low = np.minimum.reduceat(padded, self._pairs)[::2]
        high = np.maximum.reduceat(padded, self._pairs)[::2]
        return self._integral(padded)[self._touched] / self._seen_s[self._touched], low, high

    @staticmethod
    def _padded(values: FloatArray) -> FloatArray:
        """With one more at the end: reduceat wants every index inside."""
        out = np.empty(len(values) + 1)
        out[:-1] = values
        out[-1:] = values[-1:] if len(values) else 0.0
        return out

    def _integral(self, padded: FloatArray) -> FloatArray:
        """Value × time in each bin: of the intervals that end in it, less what lies before it, and with the part of the
        next one that still lies in it. The values are overwritten.
        """
        partly = padded[self._at] * self._into_s
        np.multiply(padded[:-1], self._length_s, out=padded[:-1])
        padded[-1] = 0.0
        ending = np.add.reduceat(padded, self._at)[:-1]
        ending[self._empty] = 0.0  # reduceat has the first element for an empty stretch
        out: FloatArray = ending + partly[1:] - partly[:-1]
        return out


@dataclass(frozen=True, slots=True)
class _SparseBins:
    """The intervals that touch each bin, where those are few: a row of all bins for the first of them, for the second,
    and so on. Going through rows is several times as fast as going from bin to bin.
    """

    intervals: IntArray
    """(most that touch a bin, bins); a bin that fewer touch has its last one again."""
    shares: FloatArray
    """How much of the time observed in its bin each of them has, 0 for those that are there again."""

    @classmethod
    def of(
        cls, intervals: _Known, edges_ns: IntArray, touched: BoolArray, first: IntArray, after: IntArray
    ) -> "_SparseBins":
        """`first` and `after`: of each touched bin, its first interval and the one behind its last."""
        rows = np.arange(int((after - first).max(initial=0)))[:, None]
        at = np.minimum(first + rows, after - 1)
        ends_ns = np.minimum(intervals.end_ns[at], edges_ns[1:][touched])
        begins_ns = np.maximum(intervals.start_ns[at], edges_ns[:-1][touched])
        seconds = np.where(first + rows < after, np.maximum(ends_ns - begins_ns, 0), 0) / NS_PER_S
        return cls(at, seconds / seconds.sum(axis=0))

    def of_values(self, rows: FloatArray) -> tuple[FloatArray, FloatArray, FloatArray]:
        """Mean, lowest and highest of each bin, a row for each row."""
        own = np.take(rows, self.intervals[0], axis=1)
        mean, low, high = own * self.shares[0], own.copy(), own.copy()
        for intervals, shares in zip(self.intervals[1:], self.shares[1:], strict=True):
            own = np.take(rows, intervals, axis=1)
            np.minimum(low, own, out=low)
            np.maximum(high, own, out=high)
            mean += np.multiply(own, shares, out=own)
        return mean, low, high


class _WindowWeights:
    """Which intervals lie in a window, each with its seconds there."""

    def __init__(self, intervals: _Known, window: Window) -> None:
        self._intervals = intervals
        self._window_s = window.length_s
        start_ns, end_ns = intervals.start_ns, intervals.end_ns
        self._first = int(np.searchsorted(end_ns, window.start_ns, side="right"))
        self._after = max(int(np.searchsorted(start_ns, window.end_ns, side="left")), self._first)
        inside = slice(self._first, self._after)
        clipped_ns = np.minimum(end_ns[inside], window.end_ns) - np.maximum(start_ns[inside], window.start_ns)
        weights_s = np.maximum(clipped_ns, 0) / NS_PER_S
        # An interval has no length where the wall clock was set back.
        some = weights_s > 0
        self._lasting: slice | BoolArray = slice(None) if some.all() else some
        self._weights_s = weights_s[self._lasting]
        self._observed_s = float(self._weights_s.sum())

    def summaries(self, rows: FloatArray) -> list[Summary]:
        """`rows` have one entry a tick of the timebase, NaN where nothing is known."""
        if not self._observed_s:
            return [Summary(None, None, None, None, None, 0.0) for _ in rows]
        inside = self._intervals.of_known(rows)[:, self._first : self._after][:, self._lasting]
        # Not np.dot: that is spread over threads, and waits for them longer than it takes.
        totals = np.einsum("st,t->s", inside, self._weights_s).tolist()
        lowest, highest = inside.min(axis=1).tolist(), inside.max(axis=1).tolist()
        coverage = min(self._observed_s / self._window_s, 1.0)
        return [
            Summary(
                low=low,
                mean=min(max(total / self._observed_s, low), high),
                p95=weighted_quantile(values, self._weights_s, 0.95, self._observed_s),
                high=high,
                total=total,
                coverage=coverage,
            )
            for values, total, low, high in zip(inside, totals, lowest, highest, strict=True)
        ]


def _spread(rows: FloatArray, touched: BoolArray) -> FloatArray:
    """Onto all bins, unknown where nothing touches one."""
    out = np.full((len(rows), len(touched)), np.nan)
    out[:, touched] = rows
    return out
