"""Parse the texts of all sources in one go.

Parsing each small file for itself costs some twenty microseconds of calls, whatever it holds. Joined, all texts share one
look at the skeleton, one parse and one pick; only when something changed is each source asked for itself.
"""

from collections.abc import Sequence
from itertools import accumulate, pairwise

from reditus.core.types import IntArray
from reditus.recorder.kernel_text import KernelText, Memory, numbers_in, skeleton_of

RELEARN_EVERY = 600
"""Readings after which everything is learned anew in any case: a label that changes by leading zeros alone (wan1 becomes
wan01) has the same skeleton and the same numbers."""
_BETWEEN = b"\n\f\n"  # no kernel text holds a form feed, so equal joined skeletons mean equal skeletons


class JointText:
    """Several sources' texts, from reading to reading, always in the same order. Not thread-safe."""

    def __init__(self, texts: Sequence[KernelText], relearn_every: int = RELEARN_EVERY) -> None:
        self._texts = texts
        self._relearn_every = relearn_every
        self._memory = Memory()
        self._bounds: list[tuple[int, int]] = []
        self._readings = 0

    def parse(self, raw: Sequence[bytes]) -> list[IntArray]:
        """One array of raw integers per source; its columns are those of its KernelText."""
        joined = _BETWEEN.join(raw)
        numbers = numbers_in(joined)
        self._readings += 1
        if self._readings % self._relearn_every == 0:
            for text in self._texts:
                text.forget()
            return self._relearn(joined, raw)
        if not self._memory.knows(joined, numbers):
            return self._relearn(joined, raw)
        values = self._memory.pick(numbers)
        return [values[start:end] for start, end in self._bounds]

    def _relearn(self, joined: bytes, raw: Sequence[bytes]) -> list[IntArray]:
        values = [text.parse(part) for text, part in zip(self._texts, raw, strict=True)]
        self._memory = Memory.joined([text.memory for text in self._texts], skeleton_of(joined))
        self._bounds = list(pairwise(accumulate((len(part) for part in values), initial=0)))
        return values
