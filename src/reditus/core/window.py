"""From ticks to pixels without hiding a spike: bins that carry mean, minimum, maximum and coverage."""

from dataclasses import dataclass

import numpy as np

from reditus.core.errors import WindowError
from reditus.core.frame import Series
from reditus.core.rfc3339 import TimeError, parse_time
from reditus.core.types import NS_PER_S, FloatArray, IntArray

MAX_BINS = 10_000
MOST_NS = (1 << 63) - 1


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
        """From start to end, in seconds."""
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
    return aligned_edges(window, -(-(window.end_ns - window.start_ns) // max(width - 1, 1)))


def aligned_edges(window: Window, length_ns: int) -> IntArray:
    """Edges on whole multiples of a length that cover a window; at its very ends instead where those would lie beyond
    what 64 bits hold.
    """
    first, last = window.start_ns // length_ns, -(-window.end_ns // length_ns)
    if first * length_ns < -MOST_NS or last * length_ns > MOST_NS:
        bins = -(-(window.end_ns - window.start_ns) // length_ns)
        return window.start_ns + length_ns * np.arange(bins + 1, dtype=np.int64)
    return np.arange(first, last + 1, dtype=np.int64) * length_ns


def even_edges(start_ns: int, end_ns: int, length_ns: int) -> IntArray:
    """Edges from `start_ns` to `end_ns`, a whole multiple of `length_ns` later, both included.

    NumPy counts the steps of `arange(start, end, step)` in doubles, which lose a nanosecond above 2^53 ns: 104 days.

    >>> even_edges(0, 120, 60)
    array([  0,  60, 120])
    """
    steps = (end_ns - start_ns) // length_ns
    return start_ns + length_ns * np.arange(steps + 1, dtype=np.int64)


def points(sampled: Series, window: Window) -> tuple[IntArray, FloatArray]:
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


def parse_window(start: str | None, end: str | None, extent: tuple[int | None, int | None]) -> Window:
    """A window from two optional times; what is left out comes from the extent (first and last tick). Raise
    TimeError.
    """
    first_ns = parse_time(start) if start else extent[0]
    last_ns = parse_time(end) if end else extent[1]
    if first_ns is None or last_ns is None:
        raise TimeError("the archive is empty, so from and to cannot be left out; or wait for the first ticks")
    if first_ns >= last_ns:
        if start and end:
            raise TimeError(f"from {start} is not before to {end}; a window has to end after it starts")
        last_ns = first_ns + NS_PER_S
    return Window(first_ns, last_ns)
