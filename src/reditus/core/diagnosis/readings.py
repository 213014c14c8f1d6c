"""Measures as the rules want them: by name, on one timebase, or None where the host cannot tell."""

from dataclasses import dataclass

import numpy as np

from reditus.core.errors import UnknownCounter
from reditus.core.frame import Frame, Sampled, Timebase
from reditus.core.measures import measure_named
from reditus.core.types import FloatArray


@dataclass(frozen=True, slots=True)
class Readings:
    """What a rule may ask of a frame."""

    frame: Frame

    def sampled(self, measure: str, device: str | None = None) -> Sampled | None:
        """The measure at its own ticks, or None where the host lacks a counter for it."""
        try:
            return measure_named(measure).derive(self.frame, device)
        except UnknownCounter:
            return None

    def on(self, timebase: Timebase, measure: str, device: str | None = None) -> FloatArray | None:
        """The measure at another timebase's ticks: that of the nearest tick, unknown if none is within half an interval."""
        sampled = self.sampled(measure, device)
        if sampled is None or not len(sampled):
            return None
        return nearest(sampled, timebase)


def nearest(sampled: Sampled, timebase: Timebase) -> FloatArray:
    """Values at the ticks nearest to those of `timebase`; sources are read one after the other within a tick."""
    if sampled.timebase is timebase:
        return sampled.values
    own_ns = np.maximum.accumulate(sampled.timebase.wall_ns)
    after = np.clip(np.searchsorted(own_ns, timebase.wall_ns), 0, len(own_ns) - 1)
    before = np.maximum(after - 1, 0)
    closer = np.abs(own_ns[before] - timebase.wall_ns) < np.abs(own_ns[after] - timebase.wall_ns)
    picked = np.where(closer, before, after)
    near = np.abs(own_ns[picked] - timebase.wall_ns) <= timebase.interval_ns / 2
    return np.where(near, sampled.values[picked], np.nan)
