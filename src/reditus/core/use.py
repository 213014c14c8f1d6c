"""Use: who used what over a window, process by process, in bins of time.

What is added up are the slots of the process group (see `processes`): a process counts while it is among the heaviest.
Amounts are sums over the ticks whose interval is known; what is held at a tick (memory, threads) counts for the
tick's interval. What all processes had together stands beside it, so that the rest is known, too.
"""

from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from enum import StrEnum

import numpy as np

from reditus.core.errors import UnknownCounter
from reditus.core.frame import Frame, Group, RawSeries, Timebase
from reditus.core.measures import measure_named
from reditus.core.measures.selection import SeriesKey
from reditus.core.processes import AMOUNTS, GROUP, PLACES, SLOTS, slot_columns, whole_columns
from reditus.core.schema import Column
from reditus.core.types import FloatArray, IntArray


class Quantity(StrEnum):
    """What can be used, in the order of the amounts' columns."""

    PROCESSOR = "processor"
    SYSTEM = "system"
    MEMORY = "memory"
    READ = "read"
    WRITTEN = "written"
    MAJOR_FAULTS = "major_faults"
    MINOR_FAULTS = "minor_faults"
    BLOCKED = "blocked"
    THREADS = "threads"
    WAITED = "waited"


QUANTITIES = tuple(Quantity)
MACHINE = {
    Quantity.PROCESSOR: SeriesKey(measure_named("cpu.busy"), None),
    Quantity.READ: SeriesKey(measure_named("disk.read.rate"), None),
    Quantity.WRITTEN: SeriesKey(measure_named("disk.write.rate"), None),
    Quantity.MAJOR_FAULTS: SeriesKey(measure_named("memory.faults.major"), None),
    Quantity.WAITED: SeriesKey(measure_named("cpu.waiting"), None),
}
"""What the machine as a whole had is known of these; it may be more than what all processes had together."""
HELD = (Quantity.MEMORY, Quantity.THREADS)
"""What is held at a time, not used up."""
_HELD = [QUANTITIES.index(quantity) for quantity in HELD]
_MEMORY = QUANTITIES.index(Quantity.MEMORY)
_USER = 0
"""Recorded is what was used outside the kernel and in it; given are both together and the latter."""


@dataclass(frozen=True, slots=True, order=True)
class Owner:
    """A process of one boot."""

    boot: bytes
    pid: int
    start: int


@dataclass(slots=True)
class Stay:
    """When a process was among the heaviest, and the memory that it held then."""

    first_ns: int
    """Beginning of its first tick's interval."""
    last_ns: int
    first_bytes: float
    last_bytes: float
    high_bytes: float
    core: int
    """The core that it was last seen on."""

    def joined(self, other: "Stay") -> "Stay":
        """Both together."""
        early, late = (self, other) if self.first_ns <= other.first_ns else (other, self)
        last = late if late.last_ns >= early.last_ns else early
        return Stay(
            early.first_ns,
            last.last_ns,
            early.first_bytes,
            last.last_bytes,
            max(self.high_bytes, other.high_bytes),
            last.core,
        )


Bins = dict[int, FloatArray]
"""Amounts by bin, shape (quantities,) each; bins in which there are none are left out."""


def add_bins(mine: Bins, others: Bins) -> None:
    """Add the second to the first; what the second holds is not changed by it, nor later."""
    for at, amounts in others.items():
        before = mine.get(at)
        mine[at] = amounts if before is None else before + amounts


def total_of(bins: Bins) -> FloatArray:
    """Over all bins, shape (quantities,)."""
    return np.asarray(np.sum(list(bins.values()), axis=0)) if bins else np.zeros(len(QUANTITIES))


def dense(bins: Bins, place: int, count: int) -> FloatArray:
    """One quantity in all of `count` bins, 0 where there is none."""
    out = np.zeros(count)
    for at, amounts in bins.items():
        out[at] = amounts[place]
    return out


@dataclass(slots=True)
class Use:
    """Who used what, bin by bin. Amounts are seconds of processor, blocked or waiting time, bytes, faults; of what is
    held, byte·seconds and thread·seconds.
    """

    edges_ns: IntArray
    """Shape (bins + 1,)."""
    seconds: FloatArray
    """Known seconds of recording in each bin, shape (bins,)."""
    whole: FloatArray
    """What all processes had together, shape (bins, quantities)."""
    machine: FloatArray
    """What the machine had, shape (bins, quantities); NaN where that is not known."""
    amounts: dict[Owner, Bins]
    """By process, and by bin in which it was among the heaviest: most are in few of many."""
    stays: dict[Owner, Stay]

    @classmethod
    def nothing(cls, edges_ns: IntArray) -> "Use":
        """Before anything is added."""
        shape = len(edges_ns) - 1, len(QUANTITIES)
        return cls(edges_ns, np.zeros(shape[0]), np.zeros(shape), np.full(shape, np.nan), {}, {})

    def add(self, frame: Frame, after_ns: int, until_ns: int) -> None:
        """Add the ticks of a frame after one time and until another, that itself included; no tick is to be added
        twice. The tick in front of the first only tells how long that one lasted.
        """
        group = next((item for item in frame.groups if item.name == GROUP), None)
        if group is None:
            return
        place, inside = self._inside(group.timebase, after_ns, until_ns)
        if len(inside):
            self._add(_Ticks(group, inside, place[inside]))
        for quantity, key in MACHINE.items():
            self._add_measure(frame, quantity, key, (after_ns, until_ns))

    def _inside(self, base: Timebase, after_ns: int, until_ns: int) -> tuple[IntArray, IntArray]:
        """The bin of each tick, and which ticks are wanted and have a known interval."""
        place = np.searchsorted(self.edges_ns, base.wall_ns, side="left") - 1
        wanted = (place >= 0) & (place < len(self.seconds)) & (base.wall_ns > after_ns) & (base.wall_ns <= until_ns)
        return place, np.flatnonzero(wanted & ~np.isnan(base.elapsed_s))

    def _add_measure(self, frame: Frame, quantity: Quantity, key: SeriesKey, part_ns: tuple[int, int]) -> None:
        try:
            series = key.measure.derive(frame, key.device)
        except UnknownCounter:
            return
        place, inside = self._inside(series.timebase, *part_ns)
        inside = inside[~np.isnan(series.values[inside])]
        amounts = series.values[inside] * series.timebase.elapsed_s[inside]
        own = np.zeros(len(self.seconds))
        np.add.at(own, place[inside], amounts)
        touched = np.unique(place[inside])
        column = self.machine[:, QUANTITIES.index(quantity)]
        column[touched] = np.nan_to_num(column[touched]) + own[touched]

    def merge(self, other: "Use", at: int) -> None:
        """Add what a single bin has, as the bin at `at` or a part of it. What it describes was not added before."""
        self.seconds[at] += other.seconds[0]
        self.whole[at] += other.whole[0]
        known = ~np.isnan(other.machine[0])
        self.machine[at, known] = np.nan_to_num(self.machine[at, known]) + other.machine[0, known]
        for owner, amounts in other.amounts.items():
            self._put(owner, at, amounts[0], other.stays[owner])

    def _put(self, owner: Owner, at: int, amounts: FloatArray, stay: Stay) -> None:
        mine = self.amounts.get(owner)
        if mine is None:
            self.amounts[owner], self.stays[owner] = {at: amounts}, stay
            return
        add_bins(mine, {at: amounts})
        self.stays[owner] = self.stays[owner].joined(stay)

    @property
    def total(self) -> FloatArray:
        """What there was to attribute, shape (bins, quantities): the machine's, or all processes' if that is more."""
        return np.asarray(np.fmax(self.whole, self.machine))

    def _add(self, ticks: "_Ticks") -> None:
        np.add.at(self.seconds, ticks.bins, ticks.elapsed_s)
        starts = ticks.starts(())
        sums = ticks.sums(whole_columns()[: len(AMOUNTS)], starts)
        np.add.at(self.whole, ticks.bins[starts], sums)
        for slot in range(SLOTS):
            columns = slot_columns(slot)
            pids, begun = ticks.raw(columns[0]), ticks.raw(columns[1])
            if pids.any():
                self._add_slot(ticks, columns, pids, begun)

    def _add_slot(self, ticks: "_Ticks", columns: Sequence[Column], pids: IntArray, begun: IntArray) -> None:
        starts = ticks.starts((pids, begun))
        starts = np.asarray(starts)
        sums = ticks.sums(columns[len(PLACES) :], starts)
        held = ticks.raw(columns[len(PLACES) + 2]) * (AMOUNTS[2][2][0] / AMOUNTS[2][2][1])
        high = np.maximum.reduceat(held, starts)
        ends = np.append(starts[1:], len(pids)) - 1
        cores = ticks.raw(columns[PLACES.index("process.linux.core")])
        for at in np.flatnonzero(pids[starts]).tolist():
            begin, end = int(starts[at]), int(ends[at])
            owner = Owner(ticks.boots[begin], int(pids[begin]), int(begun[begin]))
            stay = Stay(
                int(ticks.start_ns[begin]),
                int(ticks.wall_ns[end]),
                float(held[begin]),
                float(held[end]),
                float(high[at]),
                int(cores[end]),
            )
            self._put(owner, int(ticks.bins[begin]), sums[at], stay)


class _Ticks:
    """The ticks of a group that are added, and their columns."""

    def __init__(self, group: Group, inside: IntArray, bins: IntArray) -> None:
        base = group.timebase
        # Mostly all of them, or all but the first: then they are not copied.
        is_run = int(inside[-1]) - int(inside[0]) == len(inside) - 1
        self._at: slice | IntArray = slice(int(inside[0]), int(inside[-1]) + 1) if is_run else inside
        self._series: dict[tuple[str, tuple[tuple[str, str], ...]], RawSeries] = {
            (column.counter, column.attributes): series for column, series in group.series.items()
        }
        self.bins = bins
        self.elapsed_s = base.elapsed_s[self._at]
        self.wall_ns, self.start_ns = base.wall_ns[self._at], base.start_ns[self._at]
        epochs = base.epoch[self._at]
        self._epochs = epochs
        self.boots = _Boots(group.boots, epochs)

    def raw(self, column: Column) -> IntArray:
        """A column's integers; 0 where it was not there."""
        found = self._series.get((column.counter, column.attributes))
        if found is None:
            return np.zeros(len(self.bins), dtype=np.int64)
        return found.at(self._at)

    def starts(self, constant: Iterable[IntArray]) -> IntArray:
        """Where runs begin in which bin, boot and these are the same."""
        changes = (np.diff(self.bins) != 0) | (np.diff(self._epochs) != 0)
        for values in constant:
            changes |= np.diff(values) != 0
        return np.concatenate([np.zeros(1, dtype=np.int64), np.flatnonzero(changes) + 1])

    def sums(self, columns: Sequence[Column], starts: IntArray) -> FloatArray:
        """The amounts of each run, shape (runs, quantities)."""
        out = np.zeros((len(starts), len(QUANTITIES)))
        for at, (column, (_, _, scale)) in enumerate(zip(columns, AMOUNTS, strict=True)):
            values = self.raw(column)
            if at in _HELD:
                out[:, at] = np.add.reduceat(values * self.elapsed_s, starts) * scale[0] / scale[1]
            else:
                out[:, at] = np.add.reduceat(values, starts) * scale[0] / scale[1]
        out[:, _USER] += out[:, QUANTITIES.index(Quantity.SYSTEM)]
        return out


@dataclass(frozen=True, slots=True)
class _Boots:
    known: tuple[bytes, ...]
    epochs: IntArray

    def __getitem__(self, tick: int) -> bytes:
        return self.known[int(self.epochs[tick])]
