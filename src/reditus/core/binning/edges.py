"""Edges of equal bins over a window: on whole multiples of their length since the epoch, so that panning does not make
the picture shimmer.
"""

import numpy as np

from reditus.core.errors import WindowError
from reditus.core.types import NS_PER_S, IntArray
from reditus.core.window import Window

MAX_BINS = 10_000
MOST_NS = (1 << 63) - 1


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


def rolled_edges(window: Window, width: int, level_s: int, length_ns: int | None = None) -> IntArray:
    """Edges of at most `width` equal bins that cover the window, on multiples of their length, itself one
    of the level; or of bins as long as requested, if that is a multiple of the level.
    """
    level_ns = level_s * NS_PER_S
    if length_ns is None:
        length_ns = -(-(window.end_ns - window.start_ns) // max(width - 1, 1))
    return aligned_edges(window, -(-length_ns // level_ns) * level_ns)


def requested_edges(window: Window, length_ns: int) -> IntArray:
    """Edges of bins of a requested length that cover the window. Raise WindowError where they would be too many."""
    if (window.end_ns - window.start_ns) // length_ns > MAX_BINS:
        least_s = -(-(window.end_ns - window.start_ns) // MAX_BINS) / NS_PER_S
        raise WindowError(
            f"bins of {length_ns / NS_PER_S:g} s are more than {MAX_BINS} in this window; "
            f"from {least_s:g} s on they fit, or request a shorter window"
        )
    return aligned_edges(window, length_ns)
