"""Values by time made into blocks: what came from elsewhere stands in an archive like what was recorded."""

from collections.abc import Iterator, Sequence
from dataclasses import dataclass, field
from uuid import UUID

import numpy as np

from reditus.core.blocks import MAX_INTERVAL_NS, MIN_INTERVAL_NS, Block, Stretch, encode_block
from reditus.core.facts import HostFacts
from reditus.core.frame import LARGEST_DOUBLE
from reditus.core.schema import MAX_COLUMNS, Column, Schema, split_columns
from reditus.core.types import NS_PER_S, FloatArray, IntArray
from reditus.exchange.wholes import TOTAL, facts_of, wholes

BLOCK_TICKS = 3_600
GAP_INTERVALS = 3
"""A rate holds since the tick before; behind a longer gap it is not known since when, and it holds for one interval."""


@dataclass(slots=True)
class Left:
    """What was left out, for the remarks."""

    backwards: int = 0
    """Rows that go back in time."""
    twice: int = 0
    """Rows of a time that was there already."""


@dataclass(slots=True)
class BlockBuilder:
    """Cuts values over time into blocks. Ticks come in the order of time, or a little out of it."""

    archive: UUID
    boot: UUID
    group: str
    columns: Sequence[Column]
    left: Left = field(default_factory=Left)
    rates: Sequence[int] = ()
    """Places of columns whose values are so much a second: they are added up."""
    schemas: list[Schema] = field(default_factory=list)
    ticks: int = 0
    _interval_ns: int | None = None
    _last_ns: int | None = None
    _times: list[IntArray] = field(default_factory=list)
    _values: list[FloatArray] = field(default_factory=list)
    _held: int = 0
    _sums: dict[int, tuple[int, float]] = field(default_factory=dict)
    """Of rates: the last tick at which one was known, and what has come together until then."""

    _added: tuple[Column, ...] = ()
    """Behind the columns: what they leave to be added up."""
    _memory_bytes: float | None = None

    def __post_init__(self) -> None:
        self._added = tuple(wholes(dict.fromkeys(self.columns, 0.0)))
        self.schemas = split_columns(self.group, [*self.columns, *self._added])

    def facts(self) -> HostFacts:
        """What the columns tell of the host."""
        return facts_of(HostFacts(), self.columns, self._memory_bytes)

    def go_on_from(self, before: "BlockBuilder") -> None:
        """Behind the ticks of another builder, whose columns these begin with, at its interval."""
        self._last_ns, self._interval_ns, self._sums = before._last_ns, before._interval_ns, before._sums
        self._memory_bytes = before._memory_bytes

    def add(self, times_ns: IntArray, values: FloatArray) -> Iterator[Block]:
        """Take ticks, shape (ticks, columns), NaN where nothing is known; yield blocks that are full."""
        times_ns, values = self._in_order(times_ns, values)
        if not len(times_ns):
            return
        if self.rates:
            values = self._added_up(times_ns, values)
        values = self._whole(values)
        self._times.append(times_ns)
        self._values.append(values)
        self._held += len(times_ns)
        self._last_ns = int(times_ns[-1])
        if self._held >= BLOCK_TICKS:
            yield from self._cut(whole_only=True)

    def end(self) -> Iterator[Block]:
        """The rest."""
        if self._held:
            yield from self._cut(whole_only=False)

    def _whole(self, values: FloatArray) -> FloatArray:
        given = {column: values[:, place] for place, column in enumerate(self.columns)}
        for column, sizes in given.items():
            if column.attributes == TOTAL and len(known := sizes[sizes > 0]):
                self._memory_bytes = float(known[-1]) * column.factor
        if not self._added:
            return values
        found = wholes(given)
        added = [np.broadcast_to(found[column], len(values)) for column in self._added]
        return np.column_stack([values, *added])

    def _added_up(self, times_ns: IntArray, values: FloatArray) -> FloatArray:
        values = values.copy()
        interval_ns = self._interval_ns or usual_interval_ns(times_ns)
        for place in self.rates:
            known = values[:, place] >= 0  # neither is what is unknown
            own_ns = times_ns[known]
            if not len(own_ns):
                values[:, place] = np.nan
                continue
            last_ns, total = self._sums.get(place, (int(own_ns[0]), 0.0))
            since_ns = np.diff(own_ns, prepend=last_ns)
            since_ns = np.where(since_ns > GAP_INTERVALS * interval_ns, interval_ns, since_ns)
            sums = total + np.cumsum(values[known, place] * (since_ns / NS_PER_S))
            values[:, place] = np.nan
            values[known, place] = sums
            self._sums[place] = int(own_ns[-1]), float(sums[-1])
        return values

    def _in_order(self, times_ns: IntArray, values: FloatArray) -> tuple[IntArray, FloatArray]:
        if self._last_ns is not None:
            later = times_ns > self._last_ns
            # Equal to the last one is the same time once more.
            self.left.twice += int((times_ns == self._last_ns).sum())
            self.left.backwards += int((times_ns < self._last_ns).sum())
            if not later.all():
                times_ns, values = times_ns[later], values[later]
        steps = np.diff(times_ns)
        if (steps <= 0).any():
            order = np.argsort(times_ns, kind="stable")
            times_ns, values = times_ns[order], values[order]
            first = np.concatenate(([True], np.diff(times_ns) > 0))
            self.left.twice += int((~first).sum())
            times_ns, values = times_ns[first], values[first]
        return times_ns, values

    def _cut(self, *, whole_only: bool) -> Iterator[Block]:
        times_ns, values = np.concatenate(self._times), np.concatenate(self._values)
        if self._interval_ns is None:
            self._interval_ns = usual_interval_ns(times_ns)
        end = len(times_ns) // BLOCK_TICKS * BLOCK_TICKS if whole_only else len(times_ns)
        for start in range(0, end, BLOCK_TICKS):
            yield from self._blocks(times_ns[start : start + BLOCK_TICKS], values[start : start + BLOCK_TICKS])
        self._times, self._values = [times_ns[end:]], [values[end:]]
        self._held = len(times_ns) - end

    def _blocks(self, times_ns: IntArray, values: FloatArray) -> Iterator[Block]:
        assert self._interval_ns is not None
        self.ticks += len(times_ns)
        kept = np.where(np.abs(values) <= LARGEST_DOUBLE, values, np.nan)
        for part, schema in enumerate(self.schemas):
            own = np.ascontiguousarray(kept[:, part * MAX_COLUMNS : part * MAX_COLUMNS + len(schema.columns)])
            # Nothing else is known of the clock: it is taken to have run evenly.
            yield encode_block(
                Stretch(times_ns, times_ns, own.view(np.int64)),
                archive=self.archive,
                boot=self.boot,
                schema=schema.digest,
                interval_ns=self._interval_ns,
            )


def usual_interval_ns(times_ns: IntArray) -> int:
    """The most usual step, within what a block may have; a second where there is one tick alone."""
    steps = np.diff(times_ns)
    if not len(steps):
        return NS_PER_S
    return int(np.clip(np.median(steps), MIN_INTERVAL_NS, MAX_INTERVAL_NS))
