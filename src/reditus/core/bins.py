"""From ticks to pixels without hiding a spike: bins that carry mean, minimum, maximum and coverage."""

from dataclasses import dataclass
from functools import cached_property
from typing import TypeVar

import numpy as np

from reditus.core.errors import WindowError
from reditus.core.frame import Sampled, Timebase
from reditus.core.types import NS_PER_S, BoolArray, FloatArray, IntArray

MAX_BINS = 10_000
SORTED_AT_ONCE = 1_000
MARGIN = 0.01
SAMPLE = 4_096
"""So many values tell where about the highest ones begin: within a third of MARGIN, mostly."""
FEW_A_BIN = 8
_Array = TypeVar("_Array", IntArray, FloatArray)


@dataclass(frozen=True, slots=True)
class Window:
    """A stretch of wall time, ns since the epoch, `end_ns` not included."""

    start_ns: int
    end_ns: int

    def __post_init__(self) -> None:
        if not self.start_ns < self.end_ns:
            raise WindowError("a window has to end after it starts")

    @property
    def length_s(self) -> float:
        return (self.end_ns - self.start_ns) / NS_PER_S


@dataclass(frozen=True, slots=True)
class Binned:
    """One entry a bin. A bin without any observed time has NaN everywhere and coverage 0."""

    edges_ns: IntArray
    """One more than there are bins."""
    mean: FloatArray
    low: FloatArray
    high: FloatArray
    coverage: FloatArray
    """Share of the bin's time that was observed."""


@dataclass(frozen=True, slots=True)
class Summary:
    """A measure over a window; all None when nothing was observed."""

    low: float | None
    mean: float | None
    p95: float | None
    high: float | None
    total: float | None
    """Mean × observed seconds: what a rate amounts to."""
    coverage: float
    """Share of the window that was observed, 0 to 1."""


def bin_edges(window: Window, width: int) -> IntArray:
    """Edges of at most `width` equal bins that cover the window.

    They lie on whole multiples of the bin's length since the epoch, so panning does not make the picture shimmer.
    """
    if not 1 <= width <= MAX_BINS:
        raise WindowError(f"a width is 1 to {MAX_BINS} bins, not {width}")
    # One bin is kept in reserve, for aligning may need an extra one at either end.
    length_ns = -(-(window.end_ns - window.start_ns) // max(width - 1, 1))
    first = window.start_ns // length_ns
    last = -(-window.end_ns // length_ns)
    return np.arange(first, last + 1, dtype=np.int64) * length_ns


def bin_sampled(sampled: Sampled, edges_ns: IntArray) -> Binned:
    """Bin values over their intervals.

    The mean weighs by observed time and is exact where an interval straddles two bins; low and high are those of all
    intervals that touch the bin.
    """
    return Known.of(sampled).over(edges_ns).binned(sampled.values)


def points(sampled: Sampled, window: Window) -> tuple[IntArray, FloatArray]:
    """The ticks of the window as (time, value), with a NaN wherever a line has to break.

    The tick before and the tick after the window come too, so that lines run to its edges.
    """
    timebase = sampled.timebase
    if not len(timebase):
        return np.zeros(0, dtype=np.int64), np.zeros(0)
    first = max(int(np.searchsorted(timebase.wall_ns, window.start_ns)) - 1, 0)
    last = min(int(np.searchsorted(timebase.wall_ns, window.end_ns)) + 1, len(timebase))
    times, values = np.maximum.accumulate(timebase.wall_ns[first:last]), sampled.values[first:last]
    broken = np.flatnonzero(~timebase.follows[first:last])
    broken = broken[broken > 0]
    between = (times[broken - 1] + times[broken]) // 2
    return np.insert(times, broken, between), np.insert(values, broken, np.nan)


def summarise(sampled: Sampled, window: Window) -> Summary:
    """Lowest, mean, 95th percentile, highest and total over the observed part of the window, weighed by time."""
    return Known.of(sampled).within(window).summary(sampled.values)


class Known:
    """The intervals of a timebase in which a measure is known. Measures of one group mostly share them, and with them
    all that depends on time alone.
    """

    def __init__(self, timebase: Timebase, known: BoolArray) -> None:
        self.known = known
        # Mostly all of it, or all but the first tick, which has nothing before it: a slice copies nothing.
        first = int(known.argmax()) if len(known) else 0
        count = int(np.count_nonzero(known))
        together = bool(known[first : first + count].all())
        self._kept: slice | BoolArray = slice(first, first + count) if together else known
        # A wall clock set back makes times repeat. The picture then holds the time already drawn; rates are not touched.
        self.start_ns = np.maximum.accumulate(self.of_known(timebase.start_ns))
        self.end_ns = np.maximum.accumulate(self.of_known(timebase.wall_ns))

    def fits(self, values: FloatArray) -> bool:
        """Whether just these intervals are known of `values`, one a tick."""
        kept = self._kept
        if not isinstance(kept, slice):
            return np.array_equal(self.known, ~np.isnan(values))
        # A sum is unknown as soon as a part is: a quarter of the time it takes to ask each one.
        return (
            not np.isnan(np.add.reduce(values[kept]))
            and bool(np.isnan(values[: kept.start]).all())
            and bool(np.isnan(values[kept.stop :]).all())
        )

    @classmethod
    def of(cls, sampled: Sampled) -> "Known":
        return cls(sampled.timebase, ~np.isnan(sampled.values))

    def of_known(self, values: _Array) -> _Array:
        return values[self._kept]

    def over(self, edges_ns: IntArray) -> "_OverBins":
        return _OverBins(self, edges_ns)

    def within(self, window: Window) -> "_Within":
        return _Within(self, window)


class _OverBins:
    """Which intervals touch which bins, and for how long."""

    def __init__(self, intervals: Known, edges_ns: IntArray) -> None:
        self._intervals = intervals
        self._edges_ns = edges_ns
        start_ns, end_ns = intervals.start_ns, intervals.end_ns
        self._length_s = (end_ns - start_ns) / NS_PER_S
        # At each edge: the first interval that ends after it, and how far into that the edge lies.
        self._at = np.searchsorted(end_ns, edges_ns, side="right")
        inside = np.flatnonzero(self._at < len(end_ns))
        self._into_s = np.zeros(len(edges_ns))
        self._into_s[inside] = np.maximum(edges_ns[inside] - start_ns[self._at[inside]], 0) / NS_PER_S
        self._seen_s = self._integral(np.ones(len(start_ns)))
        self._touched = self._seen_s > 1e-9
        first = self._at[:-1][self._touched]
        after = np.searchsorted(start_ns, edges_ns[1:], side="left")[self._touched]
        self._pairs = np.stack([first, after], axis=1).ravel()
        most = int((after - first).max(initial=0))
        self._few = _Few.of(intervals, edges_ns, self._touched, first, after) if most <= FEW_A_BIN else None
        self.coverage = np.minimum(self._seen_s / (np.diff(edges_ns) / NS_PER_S), 1.0)

    def binned(self, values: FloatArray) -> Binned:
        """`values` has one entry a tick of the timebase, and is NaN where nothing is known."""
        touched = self._touched
        if not len(self._pairs):
            nothing = np.full(len(touched), np.nan)
            return Binned(self._edges_ns, nothing, nothing.copy(), nothing.copy(), self.coverage)
        values = self._intervals.of_known(values)
        if self._few is not None:
            mean, low, high = self._few.of_values(values)
        else:
            padded = np.append(values, values[-1])  # reduceat wants every index inside
            low = np.minimum.reduceat(padded, self._pairs)[::2].copy()
            high = np.maximum.reduceat(padded, self._pairs)[::2].copy()
            mean = self._integral(values)[touched] / self._seen_s[touched]
        # The mean of equal values may leave their range by a rounding error.
        mean = np.minimum(np.maximum(mean, low), high)
        if len(mean) < len(touched):
            mean, low, high = (_spread(own, touched) for own in (mean, low, high))
        return Binned(self._edges_ns, mean, low, high, self.coverage)

    def _integral(self, values: FloatArray) -> FloatArray:
        """Value × time in each bin: of the intervals that end in it, less what lies before it, and with the part of the
        next one that still lies in it.
        """
        padded = np.zeros(len(values) + 1)
        np.multiply(values, self._length_s, out=padded[:-1])
        ending = np.add.reduceat(padded, self._at)[:-1]
        ending[self._at[:-1] == self._at[1:]] = 0.0  # reduceat has the first element for an empty stretch
        padded[:-1] = values
        partly = padded[self._at] * self._into_s
        out: FloatArray = ending + partly[1:] - partly[:-1]
        return out


@dataclass(frozen=True, slots=True)
class _Few:
    """The intervals that touch each bin, where those are few: a row of all bins for the first of them, for the second, and
    so on. Going through rows is several times as fast as going from bin to bin.
    """

    intervals: IntArray
    """(most that touch a bin, bins); a bin that fewer touch has its last one again."""
    shares: FloatArray
    """How much of the time observed in its bin each of them has, 0 for those that are there again."""

    @classmethod
    def of(cls, intervals: Known, edges_ns: IntArray, touched: BoolArray, first: IntArray, after: IntArray) -> "_Few":
        """`first` and `after`: of each touched bin, its first interval and the one behind its last."""
        rows = np.arange(int((after - first).max(initial=0)))[:, None]
        at = np.minimum(first + rows, after - 1)
        ends_ns = np.minimum(intervals.end_ns[at], edges_ns[1:][touched])
        begins_ns = np.maximum(intervals.start_ns[at], edges_ns[:-1][touched])
        seconds = np.where(first + rows < after, np.maximum(ends_ns - begins_ns, 0), 0) / NS_PER_S
        return cls(at, seconds / seconds.sum(axis=0))

    def of_values(self, values: FloatArray) -> tuple[FloatArray, FloatArray, FloatArray]:
        """Mean, lowest and highest of each bin."""
        own = values[self.intervals]
        return np.einsum("ib,ib->b", own, self.shares), own.min(axis=0), own.max(axis=0)


class _Within:
    """Which intervals lie in a window, each with its seconds there."""

    def __init__(self, intervals: Known, window: Window) -> None:
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

    def summary(self, values: FloatArray) -> Summary:
        """`values` has one entry a tick of the timebase, and is NaN where nothing is known."""
        if not self._observed_s:
            return Summary(None, None, None, None, None, 0.0)
        inside = self._intervals.of_known(values)[self._first : self._after][self._lasting]
        weights_s = self._weights_s
        # Not np.dot: that is spread over threads, and waits for them longer than it takes.
        total = float(np.einsum("i,i->", inside, weights_s))
        low, high = float(inside.min()), float(inside.max())
        return Summary(
            low=low,
            mean=min(max(total / self._observed_s, low), high),
            p95=weighted_quantile(inside, weights_s, 0.95),
            high=high,
            total=total,
            coverage=min(self._observed_s / self._window_s, 1.0),
        )


class Sheet:
    """A window cut into bins, for many measures: what depends on time alone is worked out once for all that share it."""

    def __init__(self, window: Window, edges_ns: IntArray) -> None:
        self.window = window
        self.edges_ns = edges_ns
        self._ticks: list[tuple[Timebase, int]] = []
        self._known: list[tuple[Timebase, Known]] = []
        self._newest: tuple[Sampled, Known] | None = None
        self._bins: dict[int, _OverBins] = {}
        self._within: dict[int, _Within] = {}

    def ticks(self, sampled: Sampled) -> int:
        """How many ticks lie in the window."""
        for timebase, ticks in self._ticks:
            if timebase is sampled.timebase:
                return ticks
        wall_ns = sampled.timebase.wall_ns
        ticks = int(np.count_nonzero((wall_ns >= self.window.start_ns) & (wall_ns <= self.window.end_ns)))
        self._ticks.append((sampled.timebase, ticks))
        return ticks

    def binned(self, sampled: Sampled) -> Binned:
        """As bin_sampled."""
        known = self._known_of(sampled)
        if id(known) not in self._bins:
            self._bins[id(known)] = known.over(self.edges_ns)
        return self._bins[id(known)].binned(sampled.values)

    def summary(self, sampled: Sampled) -> Summary:
        """As summarise."""
        known = self._known_of(sampled)
        if id(known) not in self._within:
            self._within[id(known)] = known.within(self.window)
        return self._within[id(known)].summary(sampled.values)

    @cached_property
    def middle_ns(self) -> IntArray:
        """Of each bin."""
        middle_ns: IntArray = self.edges_ns[:-1] + np.diff(self.edges_ns) // 2
        return middle_ns

    def _known_of(self, sampled: Sampled) -> Known:
        if self._newest is not None and self._newest[0] is sampled:
            return self._newest[1]
        for timebase, known in self._known:
            if timebase is sampled.timebase and known.fits(sampled.values):
                break
        else:
            known = Known.of(sampled)
            self._known.append((sampled.timebase, known))
        self._newest = sampled, known
        return known


def _spread(values: FloatArray, touched: BoolArray) -> FloatArray:
    """Onto all bins, unknown where nothing touches one."""
    out = np.full(len(touched), np.nan)
    out[touched] = values
    return out


def weighted_quantile(values: FloatArray, weights: FloatArray, share: float) -> float:
    """The smallest value at or below which lies at least `share` of the weight. Values need no order, and there is at
    least one.
    """
    whole = float(weights.sum())
    target, below = share * whole, 0.0
    if len(values) > SORTED_AT_ONCE:
        # Sorting all of them to know the highest few is what costs most of a summary. Weights are nearly equal, so the
        # quantile is at the value from which on the highest ones begin, or above it, unless it shows that it is not.
        least = _about(values, share - MARGIN)
        higher = np.flatnonzero(values > least)
        rest = whole - float(weights[higher].sum())
        if rest < target:
            values, weights, below = values[higher], weights[higher], rest
        elif whole - float(weights[values >= least].sum()) < target:
            return least
    order = np.argsort(values)
    rank = int(np.searchsorted(below + np.cumsum(weights[order]), target))
    return float(values[order][min(rank, len(values) - 1)])


def _about(values: FloatArray, share: float) -> float:
    """One of the values, about as high as that share of them reaches."""
    some = values[:: max(len(values) // SAMPLE, 1)]
    at = int(len(some) * share)
    return float(np.partition(some, at)[at])
