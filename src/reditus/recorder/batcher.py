"""Collect readings into small blocks of a few ticks."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from uuid import UUID

import numpy as np

from reditus.core.blocks import MAX_TICKS, Described, Stretch, encode_batch, encode_block
from reditus.core.identities import Identities, Identity
from reditus.core.markers import Marker, as_batches
from reditus.core.schema import Column, Schema, split_columns
from reditus.core.types import NS_PER_S
from reditus.recorder.sampler import Reading

FLUSH_AFTER_NS = 3 * NS_PER_S
"""How old the oldest unsent tick may grow: what a watcher sees is never much older than this."""

FEW_TICKS = 16
"""Up to so many, groups are encoded together."""
STEP_NS = 60 * NS_PER_S
"""A clock that is set by more than that."""
CLOCK_STEP_NS = 1 << 15
"""Times are kept to 33 µs: reading one of the kernel's files takes 3 to 60 µs (measured), and when in between a counter
was taken cannot be known. Finer times would be noise, and a good part of all that is kept. A power of two leaves the
lowest bits of what is stored the same always.
"""


@dataclass(slots=True)
class _Open:
    schemas: list[Schema]
    columns: tuple[Column, ...]
    readings: list[Reading] = field(default_factory=list)


def _steps(before: Reading, now: Reading) -> bool:
    """Whether the wall clock was set in between: a block's ticks are of one clock, so that what a wrong one has seen
    can be refused without the rest.
    """
    return abs((now.wall_ns - now.monotonic_ns) - (before.wall_ns - before.monotonic_ns)) > STEP_NS


class Batcher:
    """Open stretches by group. A change of columns closes a stretch; `take` closes all."""

    def __init__(
        self, archive: UUID, boot: UUID, interval_ns: int, intervals_ns: Mapping[str, int] | None = None
    ) -> None:
        """`interval_ns` is the distance of ticks, `intervals_ns` that of groups that are read less often."""
        self._archive, self._boot, self._interval_ns = archive, boot, interval_ns
        self._intervals_ns = intervals_ns or {}
        self._open: dict[str, _Open] = {}
        self._closed: list[Described] = []
        self._identities: list[Identity] = []
        self._markers: list[Marker] = []
        self.schemas: dict[bytes, Schema] = {}
        """Every schema that a block was made with, by digest."""

    def add(self, readings: list[Reading]) -> None:
        """Add the readings of a tick; a schema that changed begins a new block."""
        for reading in readings:
            held = self._open.get(reading.group)
            # The parser hands out the same tuple while nothing changes, so identity is compared first.
            if held is not None and held.readings and _steps(held.readings[-1], reading):
                self._close(reading.group)
            if held is None or (held.columns is not reading.columns and held.columns != reading.columns):
                self._close(reading.group)
                held = _Open(split_columns(reading.group, reading.columns), reading.columns)
                self.schemas.update({schema.digest: schema for schema in held.schemas})
                self._open[reading.group] = held
            held.readings.append(reading)
            if len(held.readings) >= MAX_TICKS:
                self._close(reading.group)

    def report(self, processes: Sequence[Identity]) -> None:
        """Who processes are that the ticks hold by number."""
        self._identities.extend(processes)

    def mark(self, markers: Sequence[Marker]) -> None:
        """What the machine's logs say."""
        self._markers.extend(markers)

    def is_due(self, monotonic_ns: int) -> bool:
        """Whether the oldest reading has waited long enough."""
        oldest = min((held.readings[0].monotonic_ns for held in self._open.values() if held.readings), default=None)
        return bool(self._closed) or (oldest is not None and monotonic_ns - oldest + self._interval_ns > FLUSH_AFTER_NS)

    def take(self) -> bytes:
        """Close everything and return it as one batch; empty if there is nothing."""
        for group in list(self._open):
            self._close(group)
        few = [item for item in self._closed if len(item.stretch.wall_ns) <= FEW_TICKS]
        blocks = encode_batch(few, archive=self._archive, boot=self._boot)
        blocks += [
            encode_block(
                item.stretch, archive=self._archive, boot=self._boot, schema=item.schema, interval_ns=item.interval_ns
            )
            for item in self._closed
            if len(item.stretch.wall_ns) > FEW_TICKS
        ]
        batch = b"".join(block.to_bytes() for block in blocks)
        self._closed.clear()
        if self._identities:
            batch += Identities(self._archive, self._boot, tuple(self._identities)).to_bytes()
            self._identities.clear()
        batch += b"".join(as_batches(self._archive, self._boot, self._markers))
        self._markers.clear()
        return batch

    def _close(self, group: str) -> None:
        held = self._open.get(group)
        if held is None or not held.readings:
            return
        clocks = np.array([(reading.wall_ns, reading.monotonic_ns) for reading in held.readings], dtype=np.int64)
        clocks -= (clocks[:, 1] % CLOCK_STEP_NS)[:, None]
        values = np.array([reading.values for reading in held.readings])
        interval_ns = self._intervals_ns.get(group, self._interval_ns)
        start = 0
        for schema in held.schemas:
            part = values[:, start : start + len(schema.columns)]
            start += len(schema.columns)
            self._closed.append(Described(Stretch(clocks[:, 0], clocks[:, 1], part), schema.digest, interval_ns))
        held.readings = []
