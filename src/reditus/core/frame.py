"""From ticks to rates and levels: where counters become numbers an analyst can read.

A tick at time t describes the interval that ends at t. Rates are Δvalue / Δt with Δt from the monotonic clock, so a
step of the wall clock bends none. An interval is unknown (NaN) across a restart, across a gap, where a device has just
appeared, and where a counter was reset. Nothing is interpolated.
"""

from collections.abc import Callable, Hashable, Iterable, Mapping, Sequence
from dataclasses import dataclass, field, replace
from functools import cached_property
from typing import TypeVar, cast

import numpy as np

from reditus.core.delta_array import Steps
from reditus.core.errors import UnknownCounter
from reditus.core.facts import HostFacts
from reditus.core.schema import Column
from reditus.core.types import NS_PER_S, BoolArray, FloatArray, IntArray

T = TypeVar("T")

# A tick may come late on a starved machine, but one that is missing altogether doubles the distance. Between the two.
GAP_FACTOR = 1.75
WRAP = 1 << 32
LARGEST_DOUBLE = 1e100
"""What is larger is unknown: no sum or square of what is kept is infinite."""


@dataclass(frozen=True)
class Timebase:
    """The ticks of one group, in order. All arrays have one entry a tick."""

    wall_ns: IntArray
    monotonic_ns: IntArray
    epoch: IntArray
    """Grows by one at each restart of the machine."""
    interval_ns: IntArray
    """Distance to the next tick as planned."""
    bridges_gaps: bool = False
    """Whether a tick after a gap continues the one before it, within one boot: for what is counted, not for rates."""

    def __len__(self) -> int:
        return len(self.wall_ns)

    @cached_property
    def follows(self) -> BoolArray:
        """Whether the tick continues the one before it: same boot, and none missing between."""
        out = np.zeros(len(self), dtype=bool)
        if len(self) > 1:
            step_ns = np.diff(self.monotonic_ns)
            planned_ns = np.maximum(self.interval_ns[1:], self.interval_ns[:-1])
            out[1:] = (np.diff(self.epoch) == 0) & (step_ns > 0)
            if not self.bridges_gaps:
                out[1:] &= step_ns <= GAP_FACTOR * planned_ns
        return out

    @cached_property
    def breaks(self) -> IntArray:
        """The ticks that follow nothing; the first one always."""
        return np.flatnonzero(~self.follows)

    @cached_property
    def elapsed_s(self) -> FloatArray:
        """Measured seconds that each tick's interval lasted; NaN where it follows nothing."""
        out = np.full(len(self), np.nan)
        out[1:] = np.diff(self.monotonic_ns) / NS_PER_S
        out[~self.follows] = np.nan
        return out

    @cached_property
    def start_ns(self) -> IntArray:
        """Wall time at which each tick's interval begins; for a tick that follows nothing, one planned interval ago."""
        length_ns = self.interval_ns.copy()
        length_ns[1:] = np.where(self.follows[1:], np.diff(self.monotonic_ns), length_ns[1:])
        return self.wall_ns - length_ns

    def nearest_in(self, other: "Timebase") -> tuple[IntArray, BoolArray]:
        """For each tick the index of the nearest one in another timebase that is not empty, and whether that lies
        within half an interval.
        """
        # Every measure of a group is wanted at the same ticks. The other one is kept, so that its id stays its own.
        if id(other) not in self._nearest:
            own_ns = np.maximum.accumulate(other.wall_ns)
            after = np.clip(np.searchsorted(own_ns, self.wall_ns), 0, len(own_ns) - 1)
            before = np.maximum(after - 1, 0)
            closer = np.abs(own_ns[before] - self.wall_ns) < np.abs(own_ns[after] - self.wall_ns)
            picked = np.where(closer, before, after)
            near = np.abs(own_ns[picked] - self.wall_ns) <= self.interval_ns / 2
            self._nearest[id(other)] = (other, picked, near)
        return self._nearest[id(other)][1:]

    @cached_property
    def _nearest(self) -> "dict[int, tuple[Timebase, IntArray, BoolArray]]":
        return {}

    def index_at(self, at_ns: int) -> int | None:
        """Index of the tick whose interval holds the moment; None in a gap."""
        if not len(self):
            return None
        index = int(np.searchsorted(self.wall_ns, at_ns))
        if index == len(self) or self.start_ns[index] > at_ns:
            # Past the newest tick, or in front of one that follows a gap: the last one counts for one interval more.
            index -= 1
        if index < 0 or at_ns - self.wall_ns[index] > self.interval_ns[index]:
            return None
        return index


@dataclass(frozen=True, slots=True)
class Series:
    """Values per tick of one timebase; NaN is unknown."""

    timebase: Timebase
    values: FloatArray

    def __len__(self) -> int:
        return len(self.values)


@dataclass(frozen=True, slots=True)
class BlockSlice:
    """Some columns of one block, decoded: what the store hands to the core."""

    group: str
    boot: bytes
    interval_ns: int
    wall_ns: IntArray
    monotonic_ns: IntArray
    columns: Mapping[Column, IntArray | Steps]


@dataclass(frozen=True, slots=True)
class RawSeries:
    """One counter's integers on its group's timebase; where `present` is false the device was not there."""

    column: Column
    kept: IntArray | Steps
    present: BoolArray | None = None
    """None where it was there at every tick, as nearly always."""

    @property
    def values(self) -> IntArray:
        """The values themselves, shape (ticks,)."""
        return self.kept.values if isinstance(self.kept, Steps) else self.kept

    def at(self, ticks: IntArray | slice) -> IntArray:
        """The values at some ticks; 0 where the device was not there."""
        values = self.values[ticks]
        return values if self.present is None else np.where(self.present[ticks], values, 0)

    @property
    def numbers(self) -> FloatArray:
        """The values as numbers, not yet in the column's unit."""
        if not self.column.double:
            return self.values.astype(np.float64)
        numbers = self.values.view(np.float64)
        # NaN compares as false.
        return np.where(np.abs(numbers) <= LARGEST_DOUBLE, numbers, np.nan)

    @property
    def steps(self) -> IntArray:
        """From each value to the next."""
        return self.kept.steps if isinstance(self.kept, Steps) else np.diff(self.kept)

    @property
    def ever_falls(self) -> bool:
        """Whether a step is negative. Of steps as they are stored it is known already."""
        return self.kept.least < 0 if isinstance(self.kept, Steps) else bool((np.diff(self.kept) < 0).any())


@dataclass(frozen=True, slots=True)
class Group:
    """All columns that share a timebase."""

    name: str
    timebase: Timebase
    series: Mapping[Column, RawSeries]
    boots: tuple[bytes, ...] = ()
    """The boot of each epoch of the timebase."""


@dataclass(frozen=True)
class Frame:
    """Everything that was read of one host for one window."""

    groups: Sequence[Group]
    facts: HostFacts = field(default_factory=HostFacts)
    _deltas: dict[tuple[int, bool], FloatArray] = field(default_factory=dict, init=False, repr=False, compare=False)
    _rates: dict[tuple[int, bool], FloatArray] = field(default_factory=dict, init=False, repr=False, compare=False)
    _remembered: dict[Hashable, object] = field(default_factory=dict, init=False, repr=False, compare=False)
    _values: dict[tuple[str, str], list[str]] = field(default_factory=dict, init=False, repr=False, compare=False)

    @cached_property
    def bridged(self) -> "Frame":
        """The same frame with the ends of gaps joined: what a cumulative counter rose by across a gap within one boot
        is known, though not when in it. A tick after a gap stands for all of it.
        """
        return Frame(
            [replace(group, timebase=replace(group.timebase, bridges_gaps=True)) for group in self.groups], self.facts
        )

    @cached_property
    def _index(self) -> dict[tuple[str, tuple[tuple[str, str], ...]], tuple[Timebase, RawSeries]]:
        return {
            (column.counter, column.attributes): (group.timebase, series)
            for group in self.groups
            for column, series in group.series.items()
        }

    @cached_property
    def _attributes(self) -> dict[str, list[tuple[tuple[str, str], ...]]]:
        """By counter, what tells its columns apart."""
        out: dict[str, list[tuple[tuple[str, str], ...]]] = {}
        for counter, attributes in self._index:
            out.setdefault(counter, []).append(attributes)
        return out

    def has(self, counter: str, attributes: Mapping[str, str] | None = None) -> bool:
        """Whether a column of this counter with just these attributes was read."""
        return (counter, tuple(sorted((attributes or {}).items()))) in self._index

    def has_some(self, counter: str, fixed: Iterable[tuple[str, str]] = ()) -> bool:
        """Whether some column of this counter with at least these attributes was read."""
        wanted = set(fixed)
        return any(wanted <= set(own) for own in self._attributes.get(counter, ()))

    def values_of(self, counter: str, attribute: str) -> list[str]:
        """The different values that `attribute` takes on the counter's columns, sorted: the devices it has."""
        # Requested for by every measure of every device.
        if (counter, attribute) not in self._values:
            found = {value for own in self._attributes.get(counter, ()) for name, value in own if name == attribute}
            self._values[counter, attribute] = sorted(found)
        return list(self._values[counter, attribute])

    def memoize(self, key: Hashable, work: Callable[[], T]) -> T:
        """What `work` returns, worked out once a frame: for parts that many measures have in common. What is kept
        under a key is always of one type.
        """
        if key not in self._remembered:
            self._remembered[key] = work()
        return cast(T, self._remembered[key])

    def columns_of(self, counter: str) -> list[Column]:
        """The columns of a counter, in the order in which they were read."""
        return [self._index[counter, own][1].column for own in self._attributes.get(counter, ())]

    def delta(
        self, counter: str, attributes: Mapping[str, str] | None = None, *, allow_decrease: bool = False
    ) -> Series:
        """Growth of a cumulative counter over each tick's interval, in the counter's unit.

        `allow_decrease`: the kernel lets this counter (idle and iowait time) fall a little now and then; a fall of no
        more than the interval itself counts as 0.
        """
        timebase, series = self._get(counter, attributes)
        # The parts of a whole are read again by each measure that is a share of it.
        key = (id(series), allow_decrease)
        if key not in self._deltas:
            self._deltas[key] = deltas(series, timebase, allow_decrease=allow_decrease)
        return Series(timebase, self._deltas[key])

    def rate(
        self, counter: str, attributes: Mapping[str, str] | None = None, *, allow_decrease: bool = False
    ) -> Series:
        """Growth per second of a cumulative counter, in the counter's unit per second."""
        timebase, series = self._get(counter, attributes)
        key = (id(series), allow_decrease)
        if key not in self._rates:
            if key in self._deltas:
                self._rates[key] = self._deltas[key] / timebase.elapsed_s
            else:
                grown = deltas(series, timebase, allow_decrease=allow_decrease)
                self._rates[key] = np.divide(grown, timebase.elapsed_s, out=grown)
        return Series(timebase, self._rates[key])

    def level(self, counter: str, attributes: Mapping[str, str] | None = None) -> Series:
        """A level at each tick, in the counter's unit."""
        timebase, series = self._get(counter, attributes)
        values: FloatArray = series.numbers * np.float64(series.column.factor)
        if series.present is not None:
            values[~series.present] = np.nan
        return Series(timebase, values)

    def _get(self, counter: str, attributes: Mapping[str, str] | None) -> tuple[Timebase, RawSeries]:
        try:
            return self._index[counter, tuple(sorted((attributes or {}).items()))]
        except KeyError:
            raise UnknownCounter(f"{counter} {dict(attributes or {})}") from None


def deltas(series: RawSeries, timebase: Timebase, *, allow_decrease: bool = False) -> FloatArray:
    """Growth per interval in the column's unit; NaN where the interval, or the growth over it, is unknown."""
    out = np.empty(len(timebase))
    out[:1] = np.nan
    if len(timebase) < 2:
        return out
    if series.column.double:
        return _double_deltas(series, timebase, out)
    grown = series.steps
    if series.ever_falls:
        grown, fell = _mended(grown, series, timebase, allow_decrease=allow_decrease)
    else:
        fell = None
    np.multiply(grown, series.column.factor, out=out[1:])
    out[timebase.breaks] = np.nan
    if fell is not None:
        out[1:][fell] = np.nan
    if series.present is not None:
        out[1:][~(series.present[1:] & series.present[:-1])] = np.nan
    return out


def _double_deltas(series: RawSeries, timebase: Timebase, out: FloatArray) -> FloatArray:
    """Of a counter in doubles: it never wraps, and a fall is a reset."""
    np.multiply(np.diff(series.numbers), series.column.factor, out=out[1:])
    out[timebase.breaks] = np.nan
    out[out < 0] = np.nan
    if series.present is not None:
        out[1:][~(series.present[1:] & series.present[:-1])] = np.nan
    return out


def _mended(
    grown: IntArray, series: RawSeries, timebase: Timebase, *, allow_decrease: bool
) -> tuple[IntArray, BoolArray]:
    """Growth without wraps and harmless steps back, and where a counter was set to zero."""
    fell = grown < 0
    if series.column.bits == 32:
        # A wrap is plausible only from near the top to near the bottom; anything else was set to zero.
        wrapped = fell & (series.values[:-1] >= WRAP // 4 * 3) & (series.values[1:] < WRAP // 4)
        grown = np.where(wrapped, grown + WRAP, grown)
        fell = grown < 0
    if allow_decrease:
        limit = timebase.elapsed_s[1:] / series.column.factor
        small = fell & (-grown <= limit)
        grown = np.where(small, 0, grown)
        fell = grown < 0
    return grown, fell
