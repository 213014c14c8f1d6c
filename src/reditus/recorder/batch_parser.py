"""Parse the texts of all sources in one go.

Parsing each small file for itself costs some twenty microseconds of calls, whatever it holds. Joined, all texts share
one look at the skeleton, one parse and one pick; only when something changed is each source parsed by itself.
"""

from collections.abc import Sequence
from itertools import accumulate, compress, pairwise
from operator import ne
from typing import NamedTuple

import numpy as np

from reditus.core.schema import Column
from reditus.core.types import IntArray
from reditus.recorder.kernel_text import KernelText, Memory, numbers_in, skeleton_of

RELEARN_EVERY = 600
"""Readings after which everything is learned again in any case: a label that changes by leading zeros alone (wan1
becomes wan01) has the same skeleton and the same numbers.
"""
MOST_REMEMBERED = 64
_BETWEEN = b"\n\f\n"  # no kernel text holds a form feed, so equal joined skeletons mean equal skeletons


class _Changed(NamedTuple):
    """What is known of the texts that changed together; mostly the same ones do, tick after tick."""

    skeleton: bytes
    places: IntArray
    """Where their numbers stand among all."""


class _Pick:
    """What Memory.keeps_labels and Memory.pick do, for all texts in one go: at each tick, after a second of other work,
    a call into NumPy costs ten times what it does in a loop.
    """

    def __init__(self, memory: Memory) -> None:
        self._order = np.concatenate([memory.labels, memory.picked, memory.hundredths])
        self._label_bytes = memory.label_values.tobytes()
        self._picked_at, self._hundredths_at = len(memory.labels), len(memory.labels) + len(memory.picked)
        self._decimals, self._negative = memory.decimals, memory.negative

    def values(self, numbers: IntArray) -> IntArray | None:
        """The wanted numbers, or None where a number that belongs to a label changed."""
        found = numbers.take(self._order)
        if found[: self._picked_at].tobytes() != self._label_bytes:
            return None
        values = found[self._picked_at : self._hundredths_at]
        if len(self._decimals):
            decimals = values.take(self._decimals)
            decimals *= 100
            decimals += found[self._hundredths_at :]
            values.put(self._decimals, decimals)
        if len(self._negative):
            values[self._negative] *= -1
        return values


class JointText:
    """Several sources' texts, from reading to reading, always in the same order. Not thread-safe.

    A text that has not changed at all is not parsed again: on a quiet network half of the numbers stand still.
    """

    def __init__(self, texts: Sequence[KernelText], relearn_every: int = RELEARN_EVERY) -> None:
        self._texts = texts
        self._relearn_every = relearn_every
        self._pick = _Pick(Memory())
        self._bounds: list[slice] = []
        self._last: Sequence[bytes] = [b""] * len(texts)
        self._skeletons: list[bytes] = []
        self._places: list[tuple[int, int]] = []
        """Where each source's numbers stand among all."""
        self._numbers: IntArray = numbers_in(b"")
        self._changed: dict[tuple[bool, ...], _Changed] = {}
        self._readings = 0
        self.columns: list[tuple[Column, ...]] = []
        """Of each source, what `parse` last returned values for."""

    def parse(self, raw: Sequence[bytes]) -> list[IntArray]:
        """One array of raw integers per source; its columns are those of its KernelText."""
        self._readings += 1
        if self._readings % self._relearn_every == 0:
            for text in self._texts:
                text.forget()
            return self._relearn(raw)
        if not self._skeletons or not self._renew(raw) or (values := self._pick.values(self._numbers)) is None:
            return self._relearn(raw)
        return list(map(values.__getitem__, self._bounds))

    def _renew(self, raw: Sequence[bytes]) -> bool:
        """Parse what changed; False where its shape did too."""
        changed = tuple(map(ne, raw, self._last))
        if True not in changed:
            return True
        self._last = raw
        known = self._changed.get(changed) or self._remember(changed)
        joined = _BETWEEN.join(compress(raw, changed))
        numbers = numbers_in(joined)
        # Equal skeletons with another count of numbers: one was printed apart, or two together.
        if len(numbers) != len(known.places) or skeleton_of(joined) != known.skeleton:
            return False
        self._numbers[known.places] = numbers
        return True

    def _remember(self, changed: tuple[bool, ...]) -> _Changed:
        if len(self._changed) >= MOST_REMEMBERED:
            self._changed.clear()
        places = [np.arange(*bounds, dtype=np.int64) for bounds in compress(self._places, changed)]
        known = _Changed(_BETWEEN.join(compress(self._skeletons, changed)), np.concatenate(places))
        self._changed[changed] = known
        return known

    def _relearn(self, raw: Sequence[bytes]) -> list[IntArray]:
        values = [text.parse(part) for text, part in zip(self._texts, raw, strict=True)]
        memories = [text.memory for text in self._texts]
        self._pick = _Pick(Memory.joined(memories))
        self._bounds = [slice(*ends) for ends in pairwise(accumulate((len(part) for part in values), initial=0))]
        self._places = list(pairwise(accumulate((max(item.count, 0) for item in memories), initial=0)))
        self._skeletons = [skeleton_of(part) for part in raw]
        self._numbers = np.concatenate([numbers_in(part) for part in raw])
        self._last = raw
        self._changed.clear()
        self.columns = [text.columns if len(part) else () for text, part in zip(self._texts, values, strict=True)]
        return values
