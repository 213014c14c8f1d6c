"""Quantiles of what fell into a histogram's buckets between two points, by linear interpolation within a bucket."""

from collections.abc import Sequence
from typing import Any

QUANTILES = (0.5, 0.9, 0.99)


def explicit_quantiles(bounds: Sequence[float], counts: Sequence[float]) -> list[float] | None:
    """Of a histogram with explicit bounds: n of them part n + 1 buckets. The first and the last are open: their own
    bound stands for all that is beyond it. None where nothing fell into any.

    >>> explicit_quantiles([1.0, 2.0, 4.0], [0, 10, 10, 0])
    [2.0, 3.6, 3.96]
    """
    if not bounds:
        return None
    edges = [bounds[0], *bounds, bounds[-1]]
    return _quantiles([(edges[place], edges[place + 1], count) for place, count in enumerate(counts)])


def exponential_buckets(point: Any) -> dict[tuple[int, int], float]:
    """The counts of an ExponentialHistogramDataPoint by sign and index; the zero bucket has sign 0."""
    out: dict[tuple[int, int], float] = {(0, 0): point.zero_count} if point.zero_count else {}
    for sign, side in ((1, point.positive), (-1, point.negative)):
        for place, count in enumerate(side.bucket_counts):
            if count:
                out[sign, side.offset + place] = count
    return out


def exponential_quantiles(scale: int, buckets: dict[tuple[int, int], float]) -> list[float] | None:
    """Of an exponential histogram: bucket i holds what lies above b**i up to b**(i + 1), where b = 2**(2**-scale)."""
    parts = []
    for (sign, index), count in buckets.items():
        try:
            low, high = (2.0 ** ((index + step) * 2.0**-scale) for step in (0, 1))
        except OverflowError:
            continue
        if sign == 0:
            parts.append((0.0, 0.0, count))
        else:
            parts.append((low, high, count) if sign > 0 else (-high, -low, count))
    return _quantiles(sorted(parts))


def _quantiles(parts: Sequence[tuple[float, float, float]]) -> list[float] | None:
    total = sum(count for _, _, count in parts)
    if total <= 0:
        return None
    out = []
    for quantile in QUANTILES:
        wanted, below = quantile * total, 0.0
        for low, high, count in parts:
            if count and below + count >= wanted:
                out.append(low + (high - low) * (wanted - below) / count)
                break
            below += count
        else:
            out.append(parts[-1][1])
    return out
