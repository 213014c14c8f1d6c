"""A robust slope and whether it is one at all.

The slope is the median over the slopes of all pairs (H. Theil 1950; P. K. Sen, Journal of the American Statistical
Association 63, 1968); the test counts how many pairs rise (H. B. Mann, Econometrica 13, 1945). A few outliers move
neither.
"""

from dataclasses import dataclass

import numpy as np

from reditus.core.types import FloatArray

MOST_POINTS = 240


@dataclass(frozen=True, slots=True)
class Trend:
    """A line through values over time."""

    slope: float
    """Per unit of `at`."""
    rising: float
    """−1 to 1: of all pairs, those that rise less those that fall (Kendall's tau)."""
    z: float
    """How many standard deviations the count of rising pairs lies from that of no trend."""


def trend_of(at: FloatArray, values: FloatArray) -> Trend:
    """Of the known values, thinned evenly to some hundred; nothing but zeros for fewer than four.

    >>> trend_of(np.arange(10.0), 3 * np.arange(10.0))
    Trend(slope=3.0, rising=1.0, z=4.024922359499621)
    """
    known = np.flatnonzero(~np.isnan(values))
    if len(known) < 4:
        return Trend(0.0, 0.0, 0.0)
    picked = known[np.unique(np.linspace(0, len(known) - 1, min(len(known), MOST_POINTS)).astype(np.int64))]
    x, y = at[picked], values[picked]
    first, second = np.triu_indices(len(picked), k=1)
    rise = y[second] - y[first]
    count = len(picked)
    score = float(np.sign(rise).sum())
    deviation = float(np.sqrt(count * (count - 1) * (2 * count + 5) / 18))
    return Trend(float(np.median(rise / (x[second] - x[first]))), score / len(rise), score / deviation)
