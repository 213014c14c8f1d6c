"""When a change happened: the split of a stretch of readings into a before and an after that fit best.

For a step in noise, the split with the least squared error within both parts is the maximum-likelihood change point
(D. V. Hinkley, "Inference about the change-point in a sequence of random variables", Biometrika 57, 1970).
"""

import numpy as np

from reditus.core.diagnosis.finding import Onset
from reditus.core.diagnosis.sustained import Stretch
from reditus.core.frame import Timebase
from reditus.core.types import NS_PER_S, FloatArray


def best_split(values: FloatArray) -> int:
    """Index of the first value that belongs to the after; 0 where there are fewer than two known values.

    >>> best_split(np.array([0.1, 0.0, 0.2, 1.0, 0.9]))
    3
    """
    known = np.flatnonzero(~np.isnan(values))
    if len(known) < 2:
        return 0
    numbers = values[known]
    count = np.arange(1, len(numbers))
    before, total = np.cumsum(numbers)[:-1], numbers.sum()
    after = total - before
    # Least squared error within the parts is the greatest sum of squares between them.
    between = before**2 / count + after**2 / (len(numbers) - count)
    return int(known[int(np.argmax(between)) + 1])


def _levelled(values: FloatArray, low: int, first: int, high: int) -> FloatArray:
    """The values, held between what is high for the before and low for the after: how they go up and down on either
    side tells nothing of when the one became the other.
    """
    before, after = values[low:first], values[first:high]
    if np.isnan(before).all() or np.isnan(after).all():
        return values[low:high]
    floor, cap = float(np.nanquantile(before, 0.75)), float(np.nanquantile(after, 0.25))
    return np.clip(values[low:high], floor, cap) if floor < cap else values[low:high]


def find_onset(values: FloatArray, timebase: Timebase, stretch: Stretch, search_ticks: int) -> Onset:
    """The change at the stretch's beginning, and how sure that is.

    `values` is what rose. The change lies somewhere in the interval of the first tick after it; where the split and the
    threshold disagree, the distance between them is added to the uncertainty.
    """
    low = max(stretch.first - search_ticks, 0)
    high = min(stretch.first + search_ticks, stretch.last + 1)
    # A gap or restart before the stretch hides the change; look no further back than that.
    breaks = np.flatnonzero(~timebase.follows[low + 1 : stretch.first + 1])
    if len(breaks):
        low = low + 1 + int(breaks[-1])
    at = low + best_split(_levelled(values, low, stretch.first, high)) if stretch.first > low else stretch.first
    tick_s = float(timebase.wall_ns[at] - timebase.start_ns[at]) / NS_PER_S
    apart_s = abs(int(timebase.start_ns[at]) - stretch.start_ns(timebase)) / NS_PER_S
    return Onset(int(timebase.start_ns[at]), tick_s + apart_s)
