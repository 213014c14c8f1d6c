"""Where a measure departs from its normal, and for how long."""

from dataclasses import dataclass

import numpy as np

from reditus.core.types import NS_PER_S, BoolArray, FloatArray, IntArray

SUSTAINED_S = 1_800.0
PAUSE_S = 900.0
"""Back within the band for no longer than this is the same departure."""
LEAST_FACTOR = 2.0
"""At least twice its usual median."""
LEAST_INSIDE = 0.8
"""Share of a departure in which the values lie outside."""


@dataclass(frozen=True, slots=True)
class Departure:
    """A stretch that lay above the band."""

    start_ns: int
    end_ns: int
    mean: float
    usual: float
    high: float
    """Means over the stretch: of the measure, of its usual median, of the band's upper edge."""


def share_outside(values: FloatArray, low: FloatArray, high: FloatArray) -> float | None:
    """Share of the known values that lie below or above their band; None where no band is known."""
    known = ~np.isnan(values) & ~np.isnan(high)
    if not known.any():
        return None
    return float(np.mean((values[known] < low[known]) | (values[known] > high[known])))


def is_above(values: FloatArray, middle: FloatArray, high: FloatArray, floor: float) -> BoolArray:
    """Which values lie above their band, by enough to matter."""
    with np.errstate(invalid="ignore"):
        out: BoolArray = (values > high) & (values > LEAST_FACTOR * (middle + floor))
    return out


def departures(
    edges_ns: IntArray, values: FloatArray, middle: FloatArray, high: FloatArray, floor: float
) -> list[Departure]:
    """The sustained stretches above the band, in order; one value a bin between `edges_ns`."""
    above = is_above(values, middle, high, floor)
    known = ~np.isnan(values) & ~np.isnan(high)
    at = np.flatnonzero(above)
    if not len(at):
        return []
    begins_ns, ends_ns = edges_ns[at], edges_ns[at + 1]
    parted = np.flatnonzero(begins_ns[1:] - ends_ns[:-1] > PAUSE_S * NS_PER_S)
    firsts, lasts = np.concatenate([[0], parted + 1]), np.concatenate([parted, [len(at) - 1]])
    found = []
    for first, last in zip(firsts.tolist(), lasts.tolist(), strict=True):
        start_ns, end_ns = int(begins_ns[first]), int(ends_ns[last])
        whole = slice(int(at[first]), int(at[last]) + 1)
        inside = known[whole]
        if (end_ns - start_ns) / NS_PER_S < SUSTAINED_S or above[whole][inside].mean() < LEAST_INSIDE:
            continue
        means = (float(row[whole][inside].mean()) for row in (values, middle, high))
        found.append(Departure(start_ns, end_ns, *means))
    return found
