"""From rates to the integers a kernel would show."""

import numpy as np

from reditus.core.types import FloatArray, IntArray


def counted(growth: FloatArray, start: int = 0) -> IntArray:
    """A cumulative counter from its growth per tick: whole units, nothing lost to rounding.

    >>> counted(np.array([0.4, 0.4, 0.4]))
    array([0, 0, 1])
    """
    return start + np.floor(np.cumsum(growth) + 1e-9).astype(np.int64)


def remainder(total: IntArray, parts: list[IntArray], start: int = 0) -> IntArray:
    """What is left of a cumulative total beside its parts; like the kernel's idle time it never falls here."""
    left = total - np.sum(parts, axis=0)
    return start + np.maximum.accumulate(np.maximum(left, 0))
