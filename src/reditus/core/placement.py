"""Which process or thread ran on which core over time, as far as slots tell: each tick has the core that a task was
last on, so a task that wandered within a tick counts for the core where it ended.
"""

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from reditus.core.frame import Frame, Group
from reditus.core.kernel_columns import TICKS_PER_S
from reditus.core.processes import (
    GROUP,
    PLACES,
    SLOTS,
    THREAD_GROUP,
    THREAD_PLACES,
    THREAD_SLOTS,
    slot_columns,
    thread_columns,
)
from reditus.core.schema import Column
from reditus.core.types import FloatArray, IntArray
from reditus.core.use import Owner

_TIMES = ("process.linux.cpu.used",)


@dataclass(frozen=True, slots=True)
class _Shape:
    """How a group's slots are laid out."""

    group: str
    slots: int
    places: Sequence[str]

    def columns(self, slot: int) -> tuple[Column, ...]:
        return slot_columns(slot) if self.group == GROUP else thread_columns(slot)

    def wanted(self, slot: int) -> tuple[Column, Column, Column, Column, Column]:
        """Number, start, core, and time outside the kernel and in it."""
        columns = self.columns(slot)
        number, start, core = (columns[self.places.index(name)] for name in self.names)
        user, system = (column for column in columns if column.counter in _TIMES)
        return number, start, core, user, system

    @property
    def names(self) -> tuple[str, str, str]:
        return (self.places[0], "process.linux.start", "process.linux.core")


PROCESSES = _Shape(GROUP, SLOTS, PLACES)
THREADS = _Shape(THREAD_GROUP, THREAD_SLOTS, THREAD_PLACES)


class Placement:
    """Processor time by core, bin and task; seconds."""

    def __init__(self, edges_ns: IntArray, cores: int, shape: _Shape) -> None:
        self.edges_ns, self._cores, self.shape = edges_ns, cores, shape
        self.seconds = np.zeros(len(edges_ns) - 1)
        """Known seconds of each bin."""
        self.owners: dict[Owner, int] = {}
        self._parts: list[tuple[IntArray, FloatArray]] = []

    def columns(self) -> set[Column]:
        """What has to be read."""
        return {column for slot in range(self.shape.slots) for column in self.shape.wanted(slot)}

    def add(self, frame: Frame, after_ns: int, until_ns: int) -> None:
        """Add the ticks after one time and until another, that itself included; no tick is to be added twice."""
        group = next((item for item in frame.groups if item.name == self.shape.group), None)
        if group is None:
            return
        base = group.timebase
        place = np.searchsorted(self.edges_ns, base.wall_ns, side="left") - 1
        wanted = (place >= 0) & (place < len(self.seconds)) & (base.wall_ns > after_ns) & (base.wall_ns <= until_ns)
        inside = np.flatnonzero(wanted & ~np.isnan(base.elapsed_s))
        if len(inside):
            np.add.at(self.seconds, place[inside], base.elapsed_s[inside])
            for slot in range(self.shape.slots):
                self._add_slot(group, slot, inside, place[inside])

    def _add_slot(self, group: Group, slot: int, inside: IntArray, bins: IntArray) -> None:
        number, start, core, user, system = (_raw(group, column, inside) for column in self.shape.wanted(slot))
        here = np.flatnonzero((number > 0) & (user + system > 0) & (core >= 0) & (core < self._cores))
        if not len(here):
            return
        keys = np.stack([group.timebase.epoch[inside][here], number[here], start[here]])
        distinct, which = np.unique(keys, axis=1, return_inverse=True)
        ids = np.array(
            [
                self.owners.setdefault(Owner(group.boots[epoch], pid, begun), len(self.owners))
                for epoch, pid, begun in distinct.T.tolist()
            ],
            dtype=np.int64,
        )
        cells = (ids[which.ravel()] * self._cores + core[here]) * len(self.seconds) + bins[here]
        cell, where = np.unique(cells, return_inverse=True)
        spent = (user + system)[here].astype(np.float64) / TICKS_PER_S
        amounts: FloatArray = np.bincount(where.ravel(), weights=spent).astype(np.float64)
        self._parts.append((cell, amounts))

    def heaviest(self) -> tuple[IntArray, FloatArray]:
        """Of each core and bin the task that had most of it (-1 for none), and how much of the core it had, 0 to 1;
        shape (cores, bins) each. Tasks are numbered as in `owners`.
        """
        count = len(self.seconds)
        who = np.full(self._cores * count, -1, dtype=np.int64)
        best = np.zeros(self._cores * count)
        if self._parts:
            cell, where = np.unique(np.concatenate([cell for cell, _ in self._parts]), return_inverse=True)
            amounts = np.bincount(where.ravel(), weights=np.concatenate([amount for _, amount in self._parts]))
            owner, place = np.divmod(cell, self._cores * count)
            # The heaviest comes last and stays.
            order = np.argsort(amounts, kind="stable")
            who[place[order]], best[place[order]] = owner[order], amounts[order]
        with np.errstate(invalid="ignore", divide="ignore"):
            share = np.where(self.seconds > 0, best.reshape(self._cores, count) / self.seconds, 0.0)
        return who.reshape(self._cores, count), np.minimum(share, 1.0)


def _raw(group: Group, column: Column, ticks: IntArray) -> IntArray:
    found = group.series.get(column)
    if found is None:
        return np.zeros(len(ticks), dtype=np.int64)
    return found.at(ticks)
