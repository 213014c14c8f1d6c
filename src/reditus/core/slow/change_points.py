"""Since when a series is as it is: the times at which its level changed or it began to creep, and how sure that is.

The best division into pieces, each of one level or on one line, by the exact search of R. Killick, P. Fearnhead and
I. Eckley (Optimal detection of changepoints with a linear computational cost, J. American Statistical Association 107,
2012), with squared distance as cost. Values depend on each other, so that a piece has to pay for itself in units of the
long-run variance and not of the values' own. How sure a change is: the largest departure of the running sum from a
straight line, which for a level that never changes is that of a Brownian bridge (the distribution of A. Kolmogorov,
1933); where a piece has a slope, the likelihood ratio, times the places it was looked for at. How exactly it is dated:
J. Bai, Econometric Theory 13, 1997.
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
in a hundred is divided where nothing changed."""
SLOPE_PENALTY = 2.0
"""The same, of a slope."""
LEAST_BRIDGE = 1.0
"""A level that never changes departs farther in one of four series."""
LEAST_VALUES = 12
LEAST_PIECE, LEAST_SLOPED = 3, 8
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


def pieces_of(values: FloatArray, *, sloped: bool = True) -> list[Piece]:
    """The pieces of evenly spaced values without a rhythm, in order; NaN where a value is unknown. None where too few
    are known; without `sloped` only of one level each.
    """
    known = np.flatnonzero(~np.isnan(values))
    if len(known) < LEAST_VALUES:
        return []
    calm = without_spikes(values[known])
    variance = long_run_variance(calm)
    scale = max(variance, 1e-9 * float(np.ptp(calm)) ** 2)
    cuts: list[int] = []
    if scale > 0 and _bridge(calm) / np.sqrt(scale) >= LEAST_BRIDGE:
        cuts = _Search(calm, scale * np.log(len(calm)), sloped).cuts()
    edges = [0, *cuts, len(calm)]
    lines = [_line(calm[left:right], scale, len(calm), sloped) for left, right in pairwise(edges)]
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
    deviation = 1.4826 * float(np.median(np.abs(apart))) or float(np.std(apart)) / SPIKE_DEVIATIONS
    return around + np.clip(apart, -SPIKE_DEVIATIONS * deviation, SPIKE_DEVIATIONS * deviation)


def long_run_variance(values: FloatArray) -> float:
    """The variance of a mean of many values, times their number: from how far means of blocks lie from the middle of
    their neighbours, which neither a slope nor a few changes of level alter. The largest of several lengths of blocks, so that slow noise counts.
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


def _line(values: FloatArray, variance: float, count: int, sloped: bool) -> tuple[float, float]:
    """The first and last value of a piece's line; of one level where a slope does not pay for itself."""
    if sloped and len(values) >= LEAST_SLOPED:
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


class _Search:
    """The division that costs least."""

    def __init__(self, values: FloatArray, unit: float, sloped: bool) -> None:
        at = np.arange(len(values), dtype=np.float64)
        # Around the mean, or large levels would leave no digits for what is left.
        centred = values - values.mean()
        self._count, self._sloped = len(values), sloped
        self._piece, self._slope = PENALTY * unit, SLOPE_PENALTY * unit
        self._sums = np.concatenate([[0.0], np.cumsum(centred)])
        self._squares = np.concatenate([[0.0], np.cumsum(centred**2)])
        self._moments = np.concatenate([[0.0], np.cumsum(at * centred)])

    def cuts(self) -> list[int]:
        """Where it cuts."""
        best = np.full(self._count + 1, np.inf)
        best[0] = -self._piece
        last = np.zeros(self._count + 1, dtype=np.int64)
        candidates = np.zeros(1, dtype=np.int64)
        for end in range(LEAST_PIECE, self._count + 1):
            totals = best[candidates] + self._costs(candidates, end)
            chosen = int(np.argmin(totals))
            best[end], last[end] = totals[chosen] + self._piece, candidates[chosen]
            # What cannot win any more is not tried again (their equation 4): parting a piece saves at most nothing,
            # and costs a slope at most.
            kept = candidates[totals <= best[end] + self._slope * self._sloped]
            candidates = np.append(kept, end - LEAST_PIECE + 1)
        cuts: list[int] = []
        at = int(last[self._count])
        while at > 0:
            cuts.append(at)
            at = int(last[at])
        return cuts[::-1]

    def _costs(self, starts: IntArray, end: int) -> FloatArray:
        """Of one piece from each start: the squared distance from its level, or from its line, which costs more."""
        lengths = (end - starts).astype(np.float64)
        total = self._sums[end] - self._sums[starts]
        flat: FloatArray = self._squares[end] - self._squares[starts] - total**2 / lengths
        if not self._sloped:
            return flat
        middle = (starts + end - 1) / 2
        together = self._moments[end] - self._moments[starts] - middle * total
        spread = lengths * (lengths**2 - 1) / 12
        saved = np.where(lengths >= LEAST_SLOPED, together**2 / spread, 0.0)
        flat -= np.maximum(saved - self._slope, 0.0)
        return flat
