"""When the readings of a field capture were made, and how far apart they were to be.

The script takes the time and then starts the program that reads: on a machine in trouble a good while may lie between
the two. /proc/uptime, read by the same program, says how long. And the script never leaves a reading out: one that
comes late is late, and what was counted until then is known.
"""

from collections.abc import Iterator, Mapping, Sequence
from itertools import pairwise

import numpy as np

from reditus.core.frame import GAP_FACTOR
from reditus.core.types import NS_PER_S, IntArray

UPTIME = "/proc/uptime"
LEAST_LATE_NS = 15_000_000
"""Uptime has hundredths of a second: what is less late than that cannot be seen."""
REACH = 15
"""Readings on either side of which the usual distance between clock and uptime is taken: clocks are set, and drift."""
LATE_FACTOR = 12.0
"""A reading may come so many usual distances after the one before it; beyond that the script itself stood still."""
MOST_LATE_NS = 60 * NS_PER_S


def uptime_ns(text: bytes) -> int | None:
    """What /proc/uptime says; None for anything else."""
    first = text.split(b" ", 1)[0]
    whole, _, hundredths = first.partition(b".")
    if not (whole.isdigit() and hundredths.isdigit() and len(hundredths) == 2 and len(whole) <= 10):
        return None
    return int(whole) * NS_PER_S + int(hundredths) * (NS_PER_S // 100)


def steady_ns(at_ns: IntArray, uptimes: Mapping[int, int]) -> IntArray:
    """The times of readings on a clock that nothing delays, for rates; `uptimes` are by the time that the script gave.

    Times without an uptime stay as they are, and so do all of them where the two clocks do not agree on their order.
    """
    known = np.flatnonzero([time_ns in uptimes for time_ns in at_ns.tolist()])
    if len(known) < REACH:
        return at_ns
    ahead_ns = at_ns[known] - np.array([uptimes[time_ns] for time_ns in at_ns[known].tolist()], dtype=np.int64)
    padded = np.pad(ahead_ns, REACH, mode="edge")
    usual_ns = np.median(np.lib.stride_tricks.sliding_window_view(padded, 2 * REACH + 1), axis=1).astype(np.int64)
    off_ns = ahead_ns - usual_ns
    out = at_ns.copy()
    out[known] -= np.where(np.abs(off_ns) > LEAST_LATE_NS, off_ns, 0)
    return out if (np.diff(out) > 0).all() else at_ns


def paced(steady: IntArray, usual_ns: int) -> Iterator[tuple[slice, int]]:
    """Readings in parts of one pace each, with the distance that is to be expected in front of them: the usual one, or
    for one that came late its own.
    """
    step_ns = np.diff(steady, prepend=steady[:1] - usual_ns)
    is_late = (step_ns > GAP_FACTOR * usual_ns) & (step_ns <= min(LATE_FACTOR * usual_ns, MOST_LATE_NS))
    pace_ns = np.where(is_late, step_ns, usual_ns)
    cuts = [0, *(np.flatnonzero(np.diff(pace_ns) != 0) + 1).tolist(), len(steady)]
    for begin, end in pairwise(cuts):
        yield slice(begin, end), int(pace_ns[begin])


def usual_distance_ns(at_ns: Sequence[int] | IntArray, least_ns: int, most_ns: int) -> int:
    """The usual distance between readings, within what a plan could have requested."""
    usual = int(np.median(np.diff(at_ns))) if len(at_ns) > 1 else NS_PER_S
    return min(max(usual, least_ns), most_ns)
