"""From ticks to pixels without hiding a spike: bins that carry mean, minimum, maximum and coverage."""

from dataclasses import dataclass

import numpy as np

from reditus.core.errors import WindowError
from reditus.core.frame import Sampled
from reditus.core.types import NS_PER_S, FloatArray, IntArray

MAX_BINS = 10_000


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
    start_ns, end_ns, values = _known_intervals(sampled)
    bins = len(edges_ns) - 1
    if not len(values):
        unknown = np.full(bins, np.nan)
        return Binned(edges_ns, unknown, unknown.copy(), unknown.copy(), np.zeros(bins))
    length_s = (end_ns - start_ns) / NS_PER_S
    observed_s = _integral_at(edges_ns, start_ns, end_ns, np.cumsum(length_s))
    integral = _integral_at(edges_ns, start_ns, end_ns, np.cumsum(values * length_s))
    seen_s = np.diff(observed_s)
    touched = seen_s > 1e-9
    mean, low, high = (np.full(bins, np.nan) for _ in range(3))
    mean[touched] = np.diff(integral)[touched] / seen_s[touched]
    from_index = np.searchsorted(end_ns, edges_ns[:-1], side="right")
    to_index = np.searchsorted(start_ns, edges_ns[1:], side="left")
    pairs = np.stack([from_index[touched], to_index[touched]], axis=1).ravel()
    if len(pairs):
        padded = np.append(values, values[-1])  # reduceat wants every index inside
        low[touched] = np.minimum.reduceat(padded, pairs)[::2]
        high[touched] = np.maximum.reduceat(padded, pairs)[::2]
        # The mean of equal values may leave their range by a rounding error.
        mean = np.clip(mean, low, high)
    coverage = np.minimum(seen_s / (np.diff(edges_ns) / NS_PER_S), 1.0)
    return Binned(edges_ns, mean, low, high, coverage)


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
    start_ns, end_ns, values = _known_intervals(sampled)
    clipped_s = (np.minimum(end_ns, window.end_ns) - np.maximum(start_ns, window.start_ns)) / NS_PER_S
    inside = clipped_s > 0
    weights, values = clipped_s[inside], values[inside]
    if not len(values):
        return Summary(None, None, None, None, None, 0.0)
    observed_s = float(weights.sum())
    total = float((values * weights).sum())
    order = np.argsort(values)
    rank = np.searchsorted(np.cumsum(weights[order]), 0.95 * observed_s)
    low, high = float(values.min()), float(values.max())
    return Summary(
        low=low,
        mean=min(max(total / observed_s, low), high),
        p95=float(values[order][min(int(rank), len(values) - 1)]),
        high=high,
        total=total,
        coverage=min(observed_s / window.length_s, 1.0),
    )


def _known_intervals(sampled: Sampled) -> tuple[IntArray, IntArray, FloatArray]:
    known = ~np.isnan(sampled.values)
    # A wall clock set back makes times repeat. The picture then holds the time already drawn; rates are not touched.
    start_ns = np.maximum.accumulate(sampled.timebase.start_ns[known])
    end_ns = np.maximum.accumulate(sampled.timebase.wall_ns[known])
    return start_ns, end_ns, sampled.values[known]


def _integral_at(at_ns: IntArray, start_ns: IntArray, end_ns: IntArray, running: FloatArray) -> FloatArray:
    """The running integral at given times, linear within intervals and level between them."""
    origin = int(start_ns[0])  # float64 cannot hold an epoch in ns to the nanosecond
    knots = np.stack([start_ns - origin, end_ns - origin], axis=1).ravel()
    knots_ns = np.maximum.accumulate(knots).astype(np.float64)
    before = np.concatenate([[0.0], running[:-1]])
    out: FloatArray = np.interp(
        (at_ns - origin).astype(np.float64), knots_ns, np.stack([before, running], axis=1).ravel()
    )
    return out
