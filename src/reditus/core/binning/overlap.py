"""How the intervals between ticks lie over bins and in a window. All of it depends on time alone, and is worked out
once for all series that are known in the same intervals.
"""

from dataclasses import dataclass
from typing import TypeVar

import numpy as np

from reditus.core.binning.stats import BinStats, weighted_summary
from reditus.core.frame import Timebase
from reditus.core.types import NS_PER_S, BoolArray, FloatArray, IntArray
from reditus.core.window import Summary, Window

FEW_A_BIN = 8
"""Where no bin is touched by more intervals than these, going through rows of them is faster than `reduceat`."""
LEAST_OBSERVED_S = 1e-9
_Array = TypeVar("_Array", IntArray, FloatArray)


class KnownIntervals:
    """The intervals of a timebase in which a series is known. Series of one group mostly share them."""

    def __init__(self, timebase: Timebase, known: BoolArray) -> None:
        """`known` has one flag a tick."""
        self._known = known
        # Mostly all of it, or all but the first tick, which has nothing before it: a slice copies nothing.
        first = int(known.argmax()) if len(known) else 0
        count = int(np.count_nonzero(known))
        is_one_run = bool(known[first : first + count].all())
        self._kept: slice | BoolArray = slice(first, first + count) if is_one_run else known
        # A wall clock set back makes times repeat. The picture then holds the time already drawn; rates are not
        # touched.
        self.start_ns = np.maximum.accumulate(self.of_known(timebase.start_ns))
        self.end_ns = np.maximum.accumulate(self.of_known(timebase.wall_ns))

    def fits(self, rows: FloatArray) -> BoolArray:
        """Of which rows of shape (series, ticks) just these intervals are known."""
        kept = self._kept
        if not isinstance(kept, slice):
            same: BoolArray = (self._known == ~np.isnan(rows)).all(axis=1)
            return same
        # A sum is NaN as soon as a part is: a quarter of the time of looking at each one.
        out: BoolArray = ~np.isnan(np.add.reduce(rows[:, kept], axis=1))
        for outside in (rows[:, : kept.start], rows[:, kept.stop :]):
            if outside.shape[1]:
                out &= np.isnan(outside).all(axis=1)
        return out

    def of_known(self, values: _Array) -> _Array:
        """What of an array of shape (..., ticks) belongs to the known intervals."""
        return values[..., self._kept]


class BinOverlap:
    """Which intervals touch which bins, and for how long."""

    def __init__(self, intervals: KnownIntervals, edges_ns: IntArray) -> None:
        self._intervals = intervals
        start_ns, end_ns = intervals.start_ns, intervals.end_ns
        self._length_s = (end_ns - start_ns) / NS_PER_S
        # At each edge: the first interval that ends after it, and how far into that the edge lies.
        self._at = np.searchsorted(end_ns, edges_ns, side="right")
        self._empty = self._at[:-1] == self._at[1:]
        inside = np.flatnonzero(self._at < len(end_ns))
        self._into_s = np.zeros(len(edges_ns))
        self._into_s[inside] = np.maximum(edges_ns[inside] - start_ns[self._at[inside]], 0) / NS_PER_S
        self._seconds = self._integral(self._padded(np.ones(len(start_ns))))
        self._touched = self._seconds > LEAST_OBSERVED_S
        first = self._at[:-1][self._touched]
        after = np.searchsorted(start_ns, edges_ns[1:], side="left")[self._touched]
        self._pairs = np.stack([first, after], axis=1).ravel()
        most = int((after - first).max(initial=0))
        self._sparse = (
            _SparseOverlap.of(intervals, edges_ns, self._touched, first, after) if most <= FEW_A_BIN else None
        )
        self.observed_s = np.where(self._touched, np.minimum(self._seconds, np.diff(edges_ns) / NS_PER_S), 0.0)

    def binned(self, rows: FloatArray) -> list[BinStats]:
        """Statistics of each bin for rows of shape (series, ticks), NaN where nothing is known."""
        touched = self._touched
        if not len(self._pairs):
            return [BinStats.unknown(len(touched)) for _ in rows]
        rows = np.ascontiguousarray(self._intervals.of_known(rows))
        if self._sparse is not None:
            mean, low, high = self._sparse.reduced(rows)
        else:
            mean, low, high = (np.stack(each) for each in zip(*map(self._reduced, rows), strict=True))
        # The mean of equal values may leave their range by a rounding error.
        mean = np.minimum(np.maximum(mean, low), high)
        if mean.shape[1] < len(touched):
            mean, low, high = (_spread(own, touched) for own in (mean, low, high))
        return [BinStats(self.observed_s, *own) for own in zip(mean, low, high, strict=True)]

    def _reduced(self, values: FloatArray) -> tuple[FloatArray, FloatArray, FloatArray]:
        """Mean, lowest and highest of each touched bin."""
        padded = self._padded(values)
        low = np.minimum.reduceat(padded, self._pairs)[::2]
        high = np.maximum.reduceat(padded, self._pairs)[::2]
        return self._integral(padded)[self._touched] / self._seconds[self._touched], low, high

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
class _SparseOverlap:
    """The intervals that touch each bin, where those are few: a row of all bins for the first of them, for the second,
    and so on. Going through rows is several times as fast as going from bin to bin.
    """

    intervals: IntArray
    """(most that touch a bin, touched bins); a bin that fewer touch has its last one again."""
    shares: FloatArray
    """How much of the time observed in its bin each of them has, 0 for those that are there again."""

    @classmethod
    def of(
        cls, intervals: KnownIntervals, edges_ns: IntArray, touched: BoolArray, first: IntArray, after: IntArray
    ) -> "_SparseOverlap":
        """`first` and `after`: of each touched bin, its first interval and the one behind its last."""
        rows = np.arange(int((after - first).max(initial=0)))[:, None]
        at = np.minimum(first + rows, after - 1)
        ends_ns = np.minimum(intervals.end_ns[at], edges_ns[1:][touched])
        begins_ns = np.maximum(intervals.start_ns[at], edges_ns[:-1][touched])
        seconds = np.where(first + rows < after, np.maximum(ends_ns - begins_ns, 0), 0) / NS_PER_S
        return cls(at, seconds / seconds.sum(axis=0))

    def reduced(self, rows: FloatArray) -> tuple[FloatArray, FloatArray, FloatArray]:
        """Mean, lowest and highest of each touched bin, for rows of shape (series, known intervals)."""
        own = np.take(rows, self.intervals[0], axis=1)
        mean, low, high = own * self.shares[0], own.copy(), own.copy()
        for intervals, shares in zip(self.intervals[1:], self.shares[1:], strict=True):
            own = np.take(rows, intervals, axis=1)
            np.minimum(low, own, out=low)
            np.maximum(high, own, out=high)
            mean += np.multiply(own, shares, out=own)
        return mean, low, high


class WindowOverlap:
    """Which intervals lie in a window, each with its seconds there."""

    def __init__(self, intervals: KnownIntervals, window: Window) -> None:
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
        """Figures for rows of shape (series, ticks), NaN where nothing is known."""
        if not self._observed_s:
            return [Summary.unknown() for _ in rows]
        inside = self._intervals.of_known(rows)[:, self._first : self._after][:, self._lasting]
        # Not np.dot: that is spread over threads, and waits for them longer than it takes.
        totals = np.einsum("st,t->s", inside, self._weights_s).tolist()
        lowest, highest = inside.min(axis=1).tolist(), inside.max(axis=1).tolist()
        return [
            weighted_summary(
                values,
                self._weights_s,
                self._window_s,
                extremes=extremes,
                total=total,
                observed_s=self._observed_s,
            )
            for values, total, extremes in zip(inside, totals, zip(lowest, highest, strict=True), strict=True)
        ]


def _spread(rows: FloatArray, touched: BoolArray) -> FloatArray:
    """Onto all bins, NaN where nothing touches one."""
    out = np.full((len(rows), len(touched)), np.nan)
    out[:, touched] = rows
    return out
