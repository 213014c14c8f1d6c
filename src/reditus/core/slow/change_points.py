"""Since when a series is as it is: the times at which its level changed or it began to creep, and how sure that is.

The best division into pieces, each of one level or on one line, by the exact search of B. Jackson et al. (An algorithm
for optimal partitioning of data on an interval, IEEE Signal Processing Letters 12, 2005), with squared distance as
cost. Values depend on each other, so that a piece has to pay for itself in units of the long-run variance and not of
the values' own. How sure a change is: the largest departure of the running sum from a straight line, which for a level
that never changes is that of a Brownian bridge (the distribution of A. Kolmogorov, 1933); where a piece has a slope,
the likelihood ratio, times the places it was looked for at. How exactly it is dated: J. Bai, Econometric Theory 13,
1997.
"""

from dataclasses import dataclass
from itertools import pairwise

import numpy as np
from scipy.special import chdtrc, kolmogorov

from reditus.core.slow.rhythm import rolling_median
from reditus.core.types import FloatArray, IntArray

PENALTY = 4.0
"""Of one more piece, in long-run variances times the logarithm of how many values there are; 2 is what the Bayesian
criterion asks of a level and a time. Measured on noise of memory 0 to 0.9: at 500 values and more, at most one series
in forty is divided where nothing changed."""
SLOPE_PENALTY = 2.0
"""The same, of a slope."""
LEAST_BRIDGE = 1.0
"""A level that never changes departs farther in one of four series."""
LEAST_VALUES = 12
LEAST_PIECE, LEAST_SLOPED = 3, 8
ENDS_AT_ONCE = 64
"""Of pieces, whose costs are worked out together."""
SPIKE_VALUES = 5
"""What lasts for at most half as long is taken for an odd moment and not for a level."""
SPIKE_DEVIATIONS = 4.0
BLOCKS = (1, 3, 6, 12, 24, 48)
LEAST_BLOCKS = 12
DATED_TIMES = 11.0
"""Bai's 97.5th percentile of how far an estimated time lies from the true one, in long-run variances over the squared
size of the change."""


@dataclass(frozen=True, slots=True)
class Piece:
    """A stretch of one level, or on one line."""

    start: int
    stop: int
    """Indices of its first value and of the first after it."""
    first: float
    last: float
    """Its line's values at both ends; the same where it has one level."""
    certainty: float
    """0 to 1: how unlikely the change at its start is where nothing changes; 1 for the first piece."""
    uncertainty: int
    """So many values earlier or later that change may have been, as sure as 95 %."""

    @property
    def creeps(self) -> bool:
        """Whether it has a slope."""
        return self.first != self.last


def pieces_of(values: FloatArray, *, least_noise: float = 0.0) -> list[Piece]:
    """The pieces of evenly spaced values without a rhythm, in order; NaN where a value is unknown. None where too few
    are known. `least_noise` is the long-run variance that is taken for granted: of values without any, every crumb
    would be a change.
    """
    known = np.flatnonzero(~np.isnan(values))
    if len(known) < LEAST_VALUES:
        return []
    calm = without_spikes(values[known])
    variance = long_run_variance(calm)
    scale = max(variance, least_noise, 1e-9 * float(np.ptp(calm)) ** 2)
    cuts: list[int] = []
    if scale > 0 and _bridge(calm) / np.sqrt(scale) >= LEAST_BRIDGE:
        cuts = _cuts(calm, scale * float(np.log(len(calm))))
    edges = [0, *cuts, len(calm)]
    lines = [_line(calm[left:right], scale, len(calm)) for left, right in pairwise(edges)]
    found = []
    for place, (left, right) in enumerate(pairwise(edges)):
        certainty, uncertain = 1.0, 0
        if place:
            before = edges[place - 1]
            certainty = _certainty(calm, (before, left, right), (lines[place - 1], lines[place]), scale)
            jump = lines[place][0] - lines[place - 1][1]
            uncertain = int(np.ceil(min(DATED_TIMES * scale / jump**2 if jump else np.inf, right - before)))
        start = int(known[left]) if place else 0
        stop = int(known[right]) if right < len(calm) else len(values)
        found.append(Piece(start, stop, *lines[place], certainty, uncertain))
    return found


def without_spikes(values: FloatArray) -> FloatArray:
    """Odd moments brought back to what is around them."""
    around = rolling_median(values, SPIKE_VALUES)
    apart = values - around
    deviation = 1.4826 * float(np.median(np.abs(apart)))
    if deviation == 0:
        deviation = float(np.std(apart)) / SPIKE_DEVIATIONS
    return around + np.clip(apart, -SPIKE_DEVIATIONS * deviation, SPIKE_DEVIATIONS * deviation)


def long_run_variance(values: FloatArray) -> float:
    """The variance of a mean of many values, times their number: from how far means of blocks lie from the middle of
    their neighbours, which neither a slope nor a few changes of level alter. The largest of several lengths of blocks,
    so that slow noise counts.
    """
    found = []
    for length in BLOCKS:
        blocks = len(values) // length
        if blocks < LEAST_BLOCKS and length > 1:
            break
        means = values[: blocks * length].reshape(blocks, length).mean(axis=1)
        steps = np.sort(np.abs(np.diff(means, 2)))
        # The median of such a difference of normal values is 0.6745 √6 deviations.
        robust = (float(np.median(steps)) / (0.6745 * np.sqrt(6))) ** 2
        # Of values that mostly stay the same: a sixth of the mean square of all but the largest tenth.
        found.append(length * (robust or float(np.mean(steps[: max(len(steps) * 9 // 10, 1)] ** 2)) / 6))
    return max(found, default=0.0)


def _bridge(values: FloatArray) -> float:
    """The largest departure of the running sum from a straight line, over the root of the number of values."""
    return float(np.max(np.abs(np.cumsum(values - values.mean()))) / np.sqrt(len(values)))


def _line(values: FloatArray, variance: float, count: int) -> tuple[float, float]:
    """The first and last value of a piece's line; of one level where a slope does not pay for itself."""
    if len(values) >= LEAST_SLOPED:
        at = np.arange(len(values)) - (len(values) - 1) / 2
        slope = float(at @ values / (at @ at))
        if slope**2 * float(at @ at) > SLOPE_PENALTY * np.log(count) * variance:
            middle = float(values.mean())
            return middle + slope * float(at[0]), middle + slope * float(at[-1])
    level = float(np.median(values))
    return level, level


def _certainty(
    values: FloatArray, edges: tuple[int, int, int], lines: tuple[tuple[float, float], tuple[float, float]],
    variance: float,
) -> float:  # fmt: skip
    before, at, after = edges
    if all(first == last for first, last in lines):
        return 1.0 - float(kolmogorov(_bridge(values[before:after]) / np.sqrt(variance)))
    together = values[before:after]
    on_one = np.polyval(np.polyfit(np.arange(len(together)), together, 1), np.arange(len(together)))
    fitted = np.concatenate(
        [np.linspace(*line, length) for line, length in zip(lines, (at - before, after - at), strict=True)]
    )
    gain = float(np.sum((together - on_one) ** 2) - np.sum((together - fitted) ** 2)) / variance
    return 1.0 - min(len(together) * float(chdtrc(3, max(gain, 0.0))), 1.0)


def _cuts(values: FloatArray, unit: float) -> list[int]:
    """Where the division that costs least cuts; `unit` is what the penalties count in."""
    count, piece = len(values), PENALTY * unit
    best, last = np.full(count + 1, np.inf), np.zeros(count + 1, dtype=np.int64)
    best[0] = -piece
    for first in range(0, count, ENDS_AT_ONCE):
        ends = np.arange(first + 1, min(first + ENDS_AT_ONCE, count) + 1)
        costs = _costs(values, ends, SLOPE_PENALTY * unit)
        for row, end in zip(costs, ends.tolist(), strict=True):
            if end < LEAST_PIECE:
                continue
            totals = best[: end - LEAST_PIECE + 1] + row[: end - LEAST_PIECE + 1]
            last[end] = totals.argmin()
            best[end] = totals[last[end]] + piece
    found: list[int] = []
    at = int(last[count])
    while at > 0:
        found.append(at)
        at = int(last[at])
    return found[::-1]


def _costs(values: FloatArray, ends: IntArray, slope_penalty: float) -> FloatArray:
    """Of one piece from each value (columns) up to each end (rows): the squared distance from its level, or from its
    line, which costs more. Infinite where it would end before it begins.
    """
    count = int(ends[-1])
    # Around the mean, or large levels would leave no digits for what is left.
    centred = values[:count] - values.mean()
    at = np.arange(count, dtype=np.float64)
    sums = np.concatenate([[0.0], np.cumsum(centred)])
    squares = np.concatenate([[0.0], np.cumsum(centred**2)])
    starts = np.arange(count)
    lengths = (ends[:, None] - starts).astype(np.float64)
    within = lengths > 0
    lengths[~within] = 1.0
    total = sums[ends][:, None] - sums[starts]
    costs = squares[ends][:, None] - squares[starts] - total**2 / lengths
    moments = np.concatenate([[0.0], np.cumsum(at * centred)])
    together = moments[ends][:, None] - moments[starts] - (starts + ends[:, None] - 1) / 2 * total
    is_long = lengths >= LEAST_SLOPED
    spread = np.where(is_long, lengths * (lengths**2 - 1) / 12, 1.0)
    costs -= np.maximum(np.where(is_long, together**2 / spread, 0.0) - slope_penalty, 0.0)
    costs[~within] = np.inf
    out: FloatArray = costs
    return out
