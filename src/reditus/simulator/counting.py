"""From rates to the integers a kernel would show, part by part, nothing lost to rounding in between."""

from collections.abc import Hashable, Sequence
from zlib import crc32

import numpy as np

from reditus.core.filters import damped
from reditus.core.types import FloatArray, IntArray

# A sum a hair below a whole number is that number.
HAIR = 1e-6


class Tally:
    """Cumulative counters by key, from their growth per tick.

    >>> tally = Tally()
    >>> tally("a", np.array([0.4, 0.4, 0.4])), tally("a", np.array([0.9]))
    (array([0, 0, 1]), array([2]))
    """

    def __init__(self) -> None:
        self._sums: dict[Hashable, FloatArray] = {}

    def __call__(self, key: Hashable, growth: FloatArray, start: int = 0) -> IntArray:
        """The counter after each tick. `growth` may have rows, each a counter of its own."""
        sums = np.cumsum(growth, axis=-1)
        if key in self._sums:
            sums += self._sums[key]
        self._sums[key] = sums[..., -1:].copy()
        sums += HAIR + start
        return sums.astype(np.int64)


class Remainder:
    """What is left of a total beside its parts; like the kernel's idle time it never falls here."""

    def __init__(self) -> None:
        self._before: IntArray | None = None

    def __call__(self, total: IntArray, parts: Sequence[IntArray]) -> IntArray:
        """What is left of a total after its parts, in whole units."""
        left = total - parts[0]
        for part in parts[1:]:
            left -= part
        np.maximum(left, 0 if self._before is None else self._before, out=left)
        np.maximum.accumulate(left, axis=-1, out=left)
        self._before = left[..., -1:].copy()
        return left


class Wander:
    """Noise around 1 that remembers, from part to part. What it is depends on seed and name alone."""

    def __init__(self, seed: int, name: str, *, spread: float, memory_s: float, interval_s: float) -> None:
        self._rng = np.random.default_rng([seed, crc32(name.encode())])
        self._kept = float(np.exp(-interval_s / memory_s))
        self._spread = spread * np.sqrt(1 - self._kept**2)
        self._state = np.zeros(1)

    def __call__(self, ticks: int) -> FloatArray:
        """Noise that remembers, shape (ticks,)."""
        steps = self._rng.normal(0.0, self._spread, ticks)
        noise, self._state = damped(steps, self._kept, gain=1.0, state=self._state)
        kept: FloatArray = np.maximum(1.0 + noise, 0.05)
        return kept


def generator(seed: int, name: str) -> np.random.Generator:
    """A generator of its own for each name, so that one's numbers do not depend on another's."""
    return np.random.default_rng([seed, crc32(name.encode())])
