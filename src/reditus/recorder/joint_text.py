"""Parse the texts of all sources in one go.

Parsing each small file for itself costs some twenty microseconds of calls, whatever it holds. Joined, all texts share one
look at the skeleton, one parse and one pick; only when something changed is each source asked for itself.
"""

from collections.abc import Sequence
from itertools import accumulate, pairwise
from typing import NamedTuple

import numpy as np

from reditus.core.types import IntArray
from reditus.recorder.kernel_text import KernelText, Memory, numbers_in, skeleton_of

RELEARN_EVERY = 600
"""Readings after which everything is learned anew in any case: a label that changes by leading zeros alone (wan1 becomes
wan01) has the same skeleton and the same numbers."""
MOST_REMEMBERED = 64
_BETWEEN = b"\n\f\n"  # no kernel text holds a form feed, so equal joined skeletons mean equal skeletons


class _Changed(NamedTuple):
    """What is known of the texts that changed together; mostly the same ones do, tick after tick."""

    skeleton: bytes
    places: IntArray
    """Where their numbers stand among all."""


class JointText:
    """Several sources' texts, from reading to reading, always in the same order. Not thread-safe.

    A text that has not changed at all is not parsed again: on a quiet network half of the numbers stand still.
    """

    def __init__(self, texts: Sequence[KernelText], relearn_every: int = RELEARN_EVERY) -> None:
        self._texts = texts
        self._relearn_every = relearn_every
        self._memory = Memory()
        self._bounds: list[tuple[int, int]] = []
        self._last: Sequence[bytes] = [b""] * len(texts)
        self._skeletons: list[bytes] = []
        self._places: list[tuple[int, int]] = []
        """Where each source's numbers stand among all."""
        self._numbers: IntArray = numbers_in(b"")
        self._changed: dict[tuple[int, ...], _Changed] = {}
        self._readings = 0

    def parse(self, raw: Sequence[bytes]) -> list[IntArray]:
        """One array of raw integers per source; its columns are those of its KernelText."""
        self._readings += 1
        if self._readings % self._relearn_every == 0:
            for text in self._texts:
                text.forget()
            return self._relearn(raw)
        if not self._skeletons or not self._renew(raw) or not self._memory.keeps_labels(self._numbers):
            return self._relearn(raw)
        values = self._memory.pick(self._numbers)
        return [values[start:end] for start, end in self._bounds]

    def _renew(self, raw: Sequence[bytes]) -> bool:
        """Parse what changed; False where its shape did too."""
        changed = tuple([at for at, (now, last) in enumerate(zip(raw, self._last, strict=True)) if now != last])
        if not changed:
            return True
        self._last = raw
        known = self._changed.get(changed) or self._remember(changed)
        joined = _BETWEEN.join([raw[at] for at in changed])
        numbers = numbers_in(joined)
        # Equal skeletons with another count of numbers: one was printed apart, or two together.
        if len(numbers) != len(known.places) or skeleton_of(joined) != known.skeleton:
            return False
        self._numbers[known.places] = numbers
        return True

    def _remember(self, changed: tuple[int, ...]) -> _Changed:
        if len(self._changed) >= MOST_REMEMBERED:
            self._changed.clear()
        places = [np.arange(*self._places[at], dtype=np.int64) for at in changed]
        known = _Changed(_BETWEEN.join([self._skeletons[at] for at in changed]), np.concatenate(places))
        self._changed[changed] = known
        return known

    def _relearn(self, raw: Sequence[bytes]) -> list[IntArray]:
        values = [text.parse(part) for text, part in zip(self._texts, raw, strict=True)]
        memories = [text.memory for text in self._texts]
        self._memory = Memory.joined(memories)
        self._bounds = list(pairwise(accumulate((len(part) for part in values), initial=0)))
        self._places = list(pairwise(accumulate((max(one.count, 0) for one in memories), initial=0)))
        self._skeletons = [skeleton_of(part) for part in raw]
        self._numbers = np.concatenate([numbers_in(part) for part in raw])
        self._last = raw
        self._changed.clear()
        return values
