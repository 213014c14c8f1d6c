"""The value that a share of the weight reaches up to, without sorting all of it."""

import numpy as np

from reditus.core.types import FloatArray

SORTED_AT_ONCE = 1_000
MARGIN = 0.01
SAMPLE = 4_096
"""So many values tell where about the highest ones begin: within a third of MARGIN, mostly."""


def weighted_quantile(values: FloatArray, weights: FloatArray, share: float, whole: float | None = None) -> float:
    """The smallest value at or below which lies at least `share` of the weight. Values need no order, and there is at
    least one. `whole` is the sum of the weights, where it is known.
    """
    if whole is None:
        whole = float(weights.sum())
    target, below = share * whole, 0.0
    if len(values) > SORTED_AT_ONCE:
        # Sorting all of them to know the highest few is what costs most of a summary. Weights are nearly equal, so the
        # quantile is at the value from which on the highest ones begin, or above it, unless it shows that it is not.
        least = _about(values, share - MARGIN)
        higher = np.flatnonzero(values > least)
        own = weights[higher]
        rest = whole - float(own.sum())
        if rest < target:
            values, weights, below = values[higher], own, rest
        elif whole - float(weights[values >= least].sum()) < target:
            return least
    order = np.argsort(values)
    rank = int(np.searchsorted(below + np.cumsum(weights[order]), target))
    return float(values[order[min(rank, len(values) - 1)]])


def _about(values: FloatArray, share: float) -> float:
    """One of the values, about as high as that share of them reaches."""
    some = values[:: max(len(values) // SAMPLE, 1)]
    at = int(len(some) * share)
    return float(np.partition(some, at)[at])
