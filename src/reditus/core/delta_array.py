"""Integers kept as what they grow by: what a rate needs of a column, and what a column is stored as."""

from collections.abc import Sequence
from typing import Any, Protocol

import numpy as np

from reditus.core.types import IntArray

_WORD = 1 << 64


class Source(Protocol):
    """Where steps come from that are not worked out yet."""

    @property
    def first(self) -> int:
        """The column's first value."""

    @property
    def last(self) -> int | None:
        """None where only the steps tell."""

    @property
    def least(self) -> int | None:
        """The smallest step; None where only the steps tell."""

    @property
    def ticks(self) -> int:
        """How many values the column has."""

    def fill(self, steps: IntArray) -> None:
        """Write the steps, one fewer than there are ticks."""


class Steps:
    """A column's values as the first one and the steps from each to the next, modulo 2**64.

    The values themselves are added up on first use; a rate needs none. Slices with a step of 1 stay steps.
    Steps of a source are worked out when they are requested, at best straight into those of a longer column.
    """

    __slots__ = ("_last", "_least", "_length", "_source", "_steps", "_values", "first")

    def __init__(self, first: int, steps: IntArray, *, least: int | None = None) -> None:
        self.first = first
        self._length = len(steps) + 1
        self._steps: IntArray | None = steps
        self._source: Source | None = None
        self._last: int | None = None
        self._least = least
        self._values: IntArray | None = None

    @classmethod
    def of(cls, source: Source) -> "Steps":
        """Take over a decoded source; nothing is added up yet."""
        out = cls.__new__(cls)
        out.first, out._last, out._least = source.first, source.last, source.least
        out._length, out._source = source.ticks, source
        out._steps = out._values = None
        return out

    def alone(self) -> "Steps":
        """A view that does not share the arrays memoised with the original."""
        out = Steps.__new__(Steps)
        out.first, out._last, out._least, out._length = self.first, self._last, self._least, self._length
        out._steps, out._source, out._values = self._steps, self._source, None
        return out

    @classmethod
    def joined(cls, parts: Sequence["Steps"]) -> "Steps":
        """One after the other."""
        if len(parts) == 1:
            return parts[0]
        steps = np.empty(sum(map(len, parts)) - 1, dtype=np.int64)
        start, before = 0, None
        leasts: list[int | None] = []
        for part in parts:
            if before is not None:
                between = _signed(part.first - before)
                steps[start - 1] = between
                leasts.append(between)
            end = start + len(part)
            part._write(steps[start : end - 1])
            if len(part) > 1:
                leasts.append(part._least)
            start, before = end, part.last
        known = [least for least in leasts if least is not None]
        return cls(parts[0].first, steps, least=min(known) if known and len(known) == len(leasts) else None)

    @property
    def steps(self) -> IntArray:
        """Differences between neighbours, shape (ticks - 1,), memoised."""
        if self._steps is None:
            steps = np.empty(self._length - 1, dtype=np.int64)
            self._write(steps)
            self._steps = steps
        return self._steps

    @property
    def least(self) -> int:
        """The smallest step. Raise ValueError where there is none."""
        if self._least is None:
            self._least = int(self.steps.min())
        return self._least

    @property
    def last(self) -> int:
        """The column's last value, wrapped to 64 bits."""
        if self._last is None:
            self._last = _signed(self.first + int(np.add.reduce(self.steps)))
        return self._last

    @property
    def values(self) -> IntArray:
        """The values themselves, shape (ticks,), added up from the steps and memoised."""
        if self._values is None:
            values = np.empty(len(self), dtype=np.int64)
            values[0] = self.first
            self._write(values[1:])
            self._values = np.add.accumulate(values, out=values)
        return self._values

    def _write(self, out: IntArray) -> None:
        if self._steps is not None:
            out[:] = self._steps
        elif self._source is not None:
            self._source.fill(out)

    def __len__(self) -> int:
        return self._length

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
