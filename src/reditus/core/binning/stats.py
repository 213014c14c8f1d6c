"""The one result of binning: a measure over equal bins, made of ticks, of finer bins, or read from rollups."""

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from reditus.core.quantile import weighted_quantile
from reditus.core.types import NS_PER_S, BoolArray, FloatArray, IntArray
from reditus.core.window import Summary, Window

FEW_NEIGHBOURS = 32


@dataclass(frozen=True, slots=True)
class BinStats:
    """One measure over bins one after another, each array of shape (bins,). Where nothing was observed, `observed_s` is
    0 and all else NaN.

    Bins of a fixed length put together give those of any multiple of it without loss: the mean weighs by observed time.
    """

    observed_s: FloatArray
    """Seconds of each bin that were observed, at most its length."""
    mean: FloatArray
    low: FloatArray
    high: FloatArray

    def __len__(self) -> int:
        return len(self.observed_s)

    @classmethod
    def unknown(cls, bins: int) -> "BinStats":
        """Bins in which nothing was observed."""
        return cls(np.zeros(bins), *(np.full(bins, np.nan) for _ in range(3)))

    @property
    def is_whole(self) -> bool:
        """Whether something was observed in each bin."""
        return bool(self.observed_s.all())

    def coverage(self, edges_ns: IntArray) -> FloatArray:
        """Share of each bin's time that was observed, 0 to 1. `edges_ns` has one more than there are bins."""
        share: FloatArray = np.minimum(self.observed_s / (np.diff(edges_ns) / NS_PER_S), 1.0)
        return share

    def put(self, at: int, other: "BinStats", where: BoolArray | None = None) -> None:
        """Write another's bins over those from `at` on; with `where` (a flag a bin) only some."""
        for own, its in zip(self._arrays, other._arrays, strict=True):
            if where is None:
                own[at : at + len(other)] = its
            else:
                own[at : at + len(other)][where] = its[where]

    def part(self, start: int, end: int) -> "BinStats":
        """Bins from `start` up to `end`."""
        return BinStats(*(own[start:end] for own in self._arrays))

    @classmethod
    def concatenated(cls, parts: Sequence["BinStats"]) -> "BinStats":
        """Bins of several, one after another; there may be a stretch of time between them."""
        if len(parts) == 1:
            return parts[0]
        return cls(*(np.concatenate(columns) for columns in zip(*(part._arrays for part in parts), strict=True)))

    def coarser(self, factor: int) -> "BinStats":
        """Bins `factor` times as long. Their number has to be a multiple of it."""
        if factor == 1:
            return self
        observed_s = _reduced(np.add, self.observed_s, factor)
        if self.is_whole:
            low, high = _reduced(np.minimum, self.low, factor), _reduced(np.maximum, self.high, factor)
            mean = _reduced(np.add, self.mean * self.observed_s, factor) / observed_s
            return BinStats(observed_s, np.clip(mean, low, high), low, high)
        fine_s = self.observed_s.reshape(-1, factor)
        known = observed_s > 0
        out = BinStats.unknown(len(observed_s))
        out.observed_s[:] = observed_s
        weighted = np.where(fine_s > 0, self.mean.reshape(-1, factor), 0.0) * fine_s
        out.low[known] = np.fmin.reduce(self.low.reshape(-1, factor)[known], axis=1)
        out.high[known] = np.fmax.reduce(self.high.reshape(-1, factor)[known], axis=1)
        out.mean[known] = weighted.sum(axis=1)[known] / observed_s[known]
        # The mean of equal values may leave their range by a rounding error.
        out.mean[known] = np.clip(out.mean[known], out.low[known], out.high[known])
        return out

    def summary(self, window: Window) -> Summary:
        """Over whole bins. All but the percentile are exact for those; that one is of the bins' means."""
        known = slice(None) if self.is_whole else self.observed_s > 0
        observed_s = self.observed_s[known]
        if not len(observed_s):
            return Summary.unknown()
        return weighted_summary(
            self.mean[known],
            observed_s,
            window.length_s,
            extremes=(float(self.low[known].min()), float(self.high[known].max())),
        )

    @property
    def _arrays(self) -> tuple[FloatArray, FloatArray, FloatArray, FloatArray]:
        return self.observed_s, self.mean, self.low, self.high


def weighted_summary(
    values: FloatArray,
    weights_s: FloatArray,
    window_s: float,
    *,
    extremes: tuple[float, float],
    total: float | None = None,
    observed_s: float | None = None,
) -> Summary:
    """Figures of at least one value, each weighed by the seconds that it held. `extremes` are the lowest and the
    highest; `total` (value × seconds) and `observed_s` are worked out where they are not known yet.
    """
    low, high = extremes
    if observed_s is None:
        observed_s = float(weights_s.sum())
    if total is None:
        # Not np.dot: that is spread over threads, and waits for them longer than it takes.
        total = float(np.einsum("i,i->", values, weights_s))
    return Summary(
        low=low,
        # The mean of equal values may leave their range by a rounding error.
        mean=min(max(total / observed_s, low), high),
        p95=weighted_quantile(values, weights_s, 0.95, observed_s),
        high=high,
        total=total,
        coverage=min(observed_s / window_s, 1.0),
    )


def _reduced(combine: np.ufunc, values: FloatArray, factor: int) -> FloatArray:
    """Each `factor` neighbours in one. Their number has to be a multiple of it."""
    if factor > FEW_NEIGHBOURS:
        out: FloatArray = combine.reduce(values.reshape(-1, factor), axis=1)
        return out
    # All first ones with all second ones, and so on: a few long operations instead of many short ones.
    out = values[::factor].copy()
    for at in range(1, factor):
        combine(out, values[at::factor], out=out)
    return out
