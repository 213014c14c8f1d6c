"""A window of time, what a measure amounts to in it, and its ticks as points to draw."""

from dataclasses import dataclass

import numpy as np

from reditus.core.errors import WindowError
from reditus.core.frame import Series
from reditus.core.rfc3339 import TimeError, parse_time
from reditus.core.types import NS_PER_S, FloatArray, IntArray


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

    @classmethod
    def unknown(cls) -> "Summary":
        """Of a window in which nothing was observed."""
        return cls(None, None, None, None, None, 0.0)


def points(series: Series, window: Window) -> tuple[IntArray, FloatArray]:
    """The ticks of the window as (time, value), with a NaN wherever a line has to break.

    The tick before and the tick after the window come too, so that lines run to its edges.
    """
    timebase = series.timebase
    if not len(timebase):
        return np.zeros(0, dtype=np.int64), np.zeros(0)
    first = max(int(np.searchsorted(timebase.wall_ns, window.start_ns)) - 1, 0)
    last = min(int(np.searchsorted(timebase.wall_ns, window.end_ns)) + 1, len(timebase))
    times, values = np.maximum.accumulate(timebase.wall_ns[first:last]), series.values[first:last]
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
