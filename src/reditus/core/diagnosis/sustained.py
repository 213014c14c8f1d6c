"""Stretches of ticks over which a condition held: thresholds with hysteresis, short breaks merged, a minimum length.

Lengths count in seconds *and* in ticks, so that archives of 0.2 s and of 60 s are judged alike. A gap is never
evidence: an unknown tick neither enters nor holds.
"""

from collections.abc import Iterable
from dataclasses import dataclass

import numpy as np

from reditus.core.diagnosis.parameters import Parameters
from reditus.core.frame import Timebase
from reditus.core.types import NS_PER_S, BoolArray, FloatArray


@dataclass(frozen=True, slots=True)
class Stretch:
    """Ticks `first` to `last`, both included."""

    first: int
    last: int

    @property
    def ticks(self) -> slice:
        """The ticks of the stretch, as an index."""
        return slice(self.first, self.last + 1)

    def start_ns(self, timebase: Timebase) -> int:
        """When the first tick's interval begins."""
        return int(timebase.start_ns[self.first])

    def end_ns(self, timebase: Timebase) -> int:
        """End of its last interval."""
        return int(timebase.wall_ns[self.last])

    def length_s(self, timebase: Timebase) -> float:
        """From the start of its first interval to the end of its last one, in seconds."""
        return (self.end_ns(timebase) - self.start_ns(timebase)) / NS_PER_S


def sustained(enter: BoolArray, hold: BoolArray, timebase: Timebase, rules: Parameters) -> list[Stretch]:
    """Stretches in which `hold` goes on, and `enter` was reached at least once.

    >>> ticks = np.arange(1, 9, dtype=np.int64) * NS_PER_S
    >>> one = np.ones(8, dtype=np.int64)
    >>> held = np.array([0, 1, 1, 1, 1, 1, 1, 0], dtype=bool)
    >>> sustained(held, held, Timebase(ticks, ticks, one, one * NS_PER_S), Parameters())
    [Stretch(first=1, last=6)]
    """
    runs = [run for run in _runs(enter | hold) if enter[run.ticks].any()]
    return long_enough(_merged(runs, timebase, rules.merge_break_s), enter | hold, timebase, rules)


def without(stretches: Iterable[Stretch], taken: Iterable[Stretch], count: int) -> list[Stretch]:
    """What is left of the stretches outside the taken ones."""
    left = np.zeros(count, dtype=bool)
    for stretch in stretches:
        left[stretch.ticks] = True
    for stretch in taken:
        left[stretch.ticks] = False
    return _runs(left)


def long_enough(stretches: Iterable[Stretch], holds: BoolArray, timebase: Timebase, rules: Parameters) -> list[Stretch]:
    """Those in which the condition held for the minimum of seconds and ticks."""
    seconds = (timebase.wall_ns - timebase.start_ns) / NS_PER_S
    return [
        stretch
        for stretch in stretches
        if holds[stretch.ticks].sum() >= rules.sustained_ticks
        and seconds[stretch.ticks][holds[stretch.ticks]].sum() >= rules.sustained_s - 0.5 * _tick_s(timebase)
    ]


def time_mean(values: FloatArray, timebase: Timebase, stretch: Stretch) -> float | None:
    """Mean weighed by observed time; None where nothing was observed."""
    part = values[stretch.ticks]
    weights = ((timebase.wall_ns - timebase.start_ns) / NS_PER_S)[stretch.ticks]
    known = ~np.isnan(part)
    return float(np.average(part[known], weights=weights[known])) if known.any() else None


def _runs(holds: BoolArray) -> list[Stretch]:
    edges = np.flatnonzero(np.diff(np.concatenate([[0], holds.astype(np.int8), [0]])))
    return [Stretch(int(first), int(after) - 1) for first, after in edges.reshape(-1, 2)]


def _merged(runs: list[Stretch], timebase: Timebase, break_s: float) -> list[Stretch]:
    out: list[Stretch] = []
    for run in runs:
        if out and (run.start_ns(timebase) - out[-1].end_ns(timebase)) / NS_PER_S <= break_s:
            out[-1] = Stretch(out[-1].first, run.last)
        else:
            out.append(run)
    return out


def _tick_s(timebase: Timebase) -> float:
    return float(np.median(timebase.interval_ns)) / NS_PER_S if len(timebase) else 0.0
