"""Measures as the rules want them: by name, on one timebase, or None where the host cannot tell."""

from collections.abc import Mapping
from dataclasses import dataclass

import numpy as np

from reditus.core.errors import UnknownCounter
from reditus.core.frame import Frame, Series, Timebase
from reditus.core.measures import measure_named
from reditus.core.types import NS_PER_S, FloatArray


@dataclass(frozen=True, slots=True)
class Readings:
    """What a rule may ask of a frame."""

    frame: Frame
    whole: Mapping[tuple[str, str | None], Series] | None = None
    """Measures, by name and device, over the whole of a long recording of which the frame is a span: a minute or so a
    value. None where the frame is all there is.
    """
    past: Mapping[tuple[str, str | None], Series] | None = None
    """Measures of disks over the host's weeks before this recording, the median of an hour a value. None where too few
    weeks are known.
    """

    @property
    def is_span(self) -> bool:
        """Whether these are the ticks of a part of a recording, beside measures of all of it."""
        return self.whole is not None

    def over_all(self, measure: str, device: str | None = None) -> Series | None:
        """The measure over the whole recording: what a device's normal is reported by."""
        if self.whole is None:
            return self.sampled(measure, device)
        return self.whole.get((measure, device))

    def recorded_s(self) -> float:
        """How long the recording is, from its first tick to its last."""
        seen = self.over_all("cpu.busy")
        if seen is None or not len(seen):
            return 0.0
        return float(seen.timebase.wall_ns[-1] - seen.timebase.wall_ns[0]) / NS_PER_S

    def sampled(self, measure: str, device: str | None = None) -> Series | None:
        """The measure at its own ticks, or None where the host lacks a counter for it."""
        try:
            if device is not None:
                return measure_named(measure).derive(self.frame, device)
            # Of the machine many rules read the same; of devices there may be too many to keep.
            return self.frame.memoize(("measure", measure), lambda: measure_named(measure).derive(self.frame, None))
        except UnknownCounter:
            return None

    def counted(self, measure: str, device: str | None = None) -> Series | None:
        """A measure of events that are counted, with what gaps within one boot hold: a tick after a gap stands for all
        of it. None where the host lacks a counter for it.
        """
        try:
            return measure_named(measure).derive(self.frame.bridged, device)
        except UnknownCounter:
            return None

    def on(self, timebase: Timebase, measure: str, device: str | None = None) -> FloatArray | None:
        """The measure at another timebase's ticks: that of the nearest tick, unknown if none is within half an
        interval.
        """
        sampled = self.sampled(measure, device)
        if sampled is None or not len(sampled):
            return None
        return nearest(sampled, timebase)


@dataclass(frozen=True, slots=True)
class WholeReadings(Readings):
    """A long recording as a whole: nothing but its measures, a minute or so a value."""

    def sampled(self, measure: str, device: str | None = None) -> Series | None:
        """A measure of one device or of the machine; None where the host cannot give it."""
        return self.over_all(measure, device)

    def counted(self, measure: str, device: str | None = None) -> Series | None:
        """As `sampled`: bins have no gaps to bridge."""
        return self.over_all(measure, device)

    @property
    def is_span(self) -> bool:
        """The whole is no span."""
        return False


def nearest(sampled: Series, timebase: Timebase) -> FloatArray:
    """Values at the ticks nearest to those of `timebase`; sources are read one after the other within a tick."""
    if sampled.timebase is timebase:
        return sampled.values
    picked, near = timebase.nearest_in(sampled.timebase)
    return np.where(near, sampled.values[picked], np.nan)
