"""Integers kept as what they grow by: what a rate needs of a column, and what a column is stored as."""

from collections.abc import Sequence
from typing import Any

import numpy as np

from reditus.core.types import IntArray

_WORD = 1 << 64


class Steps:
    """A column's values as the first one and the steps from each to the next, modulo 2**64.

    The values themselves are added up when they are asked for; a rate never asks. Slices with a step of 1 stay steps.
    """

    __slots__ = ("_values", "first", "steps")

    def __init__(self, first: int, steps: IntArray) -> None:
        self.first = first
        self.steps = steps
        self._values: IntArray | None = None

    @classmethod
    def joined(cls, parts: Sequence["Steps"]) -> "Steps":
        """One after the other."""
        if len(parts) == 1:
            return parts[0]
        steps = np.empty(sum(map(len, parts)) - 1, dtype=np.int64)
        start, before = 0, None
        for part in parts:
            if before is not None:
                steps[start - 1] = _signed(part.first - before)
            steps[start : start + len(part) - 1] = part.steps
            start += len(part)
            before = part.last
        return cls(parts[0].first, steps)

    @property
    def last(self) -> int:
        return _signed(self.first + int(np.add.reduce(self.steps)))

    @property
    def values(self) -> IntArray:
        if self._values is None:
            values = np.empty(len(self), dtype=np.int64)
            values[0] = self.first
            values[1:] = self.steps
            self._values = np.add.accumulate(values, out=values)
        return self._values

    def __len__(self) -> int:
        return len(self.steps) + 1

    def __array__(self, dtype: Any = None, copy: bool | None = None) -> IntArray:
        return np.array(self.values, dtype=dtype, copy=copy)

    def __getitem__(self, key: Any) -> "Steps | IntArray":
        if not isinstance(key, slice) or key.step not in (None, 1):
            found: IntArray = self.values[key]
            return found
        start, stop, _ = key.indices(len(self))
        if start == 0 and stop == len(self):
            return self
        if stop <= start:
            return np.empty(0, dtype=np.int64)
        return Steps(_signed(self.first + int(np.add.reduce(self.steps[:start]))), self.steps[start : stop - 1])


def _signed(value: int) -> int:
    """Modulo 2**64, as int64 has it."""
    return (value + (_WORD >> 1)) % _WORD - (_WORD >> 1)
