"""Gaps: stretches without ticks, from the clocks alone."""

from collections.abc import Iterable, Sequence
from dataclasses import dataclass

import numpy as np

from reditus.core.frame import Timebase

RESTARTED = "the machine was started again in between"


@dataclass(frozen=True, slots=True)
class Gap:
    """A stretch without ticks."""

    start_ns: int
    end_ns: int
    reason: str | None
    """None: unexplained."""


def gaps_of(timebase: Timebase, stretches: Iterable[tuple[int, int, str]] = ()) -> list[Gap]:
    """The gaps of a timebase, in order, each with what was reported of it: stretches with a reason (start, end,
    reason).

    A gap lasts from the tick before it to the start of the first interval after it.
    """
    places = timebase.breaks[timebase.breaks > 0]
    starts_ns, ends_ns = timebase.wall_ns[places - 1], timebase.start_ns[places]
    # A wall clock set back makes a gap end before it begins; a restart at once leaves none.
    real = ends_ns > starts_ns
    restarted = np.diff(timebase.epoch)[places - 1] != 0
    reasons = list(stretches)
    return [
        Gap(start_ns, end_ns, _reason(start_ns, end_ns, reasons) or (RESTARTED if again else None))
        for start_ns, end_ns, again in zip(
            starts_ns[real].tolist(), ends_ns[real].tolist(), restarted[real].tolist(), strict=True
        )
    ]


def _reason(start_ns: int, end_ns: int, stretches: Sequence[tuple[int, int, str]]) -> str | None:
    """All that was reported of a stretch within it, each once."""
    found = dict.fromkeys(
        reason for begin_ns, stop_ns, reason in stretches if begin_ns <= end_ns and stop_ns >= start_ns
    )
    return "; ".join(found) or None
