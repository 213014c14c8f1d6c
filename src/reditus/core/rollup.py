"""Rollups: measures per bin of a fixed length, exact, so that weeks and years open as fast as an hour.

A bin holds the seconds that were observed, and mean, lowest and highest over them. Bins of a fixed length put together
give those of any multiple of it without loss, which is why charts that are drawn from rollups have such bins.
"""

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
import zstandard

from reditus.core.checksums import verified, with_checksums
from reditus.core.column_codec import ZSTD_LEVEL, decode_column, encode_column, unpacked
from reditus.core.errors import BlockError
from reditus.core.quantile import weighted_quantile
from reditus.core.types import NS_PER_S, FloatArray, IntArray
from reditus.core.window import Binned, Summary, Window, aligned_edges

LEVELS_S = (60, 240, 1_200, 3_600)
"""Each a whole multiple of the one before, from which it is made."""
CHUNK_BINS = 1_440
"""Bins of one row at most: a day of minutes, two months of hours."""
PARTS = 2
"""Chunks a series has: the observed time in ns as a column, and the floats."""
MOST_SERIES = 100
"""Of one row, for the same reason as a block has a limit of columns."""
FEW_TICKS = 50_000
"""So many are read fast enough as they are, and give the percentile of ticks instead of that of bins."""
BINS_A_PIXEL = 1.9
"""Not 2, so that a week on a wide screen has a level made for it. Bins of a chart are whole multiples of the level's,
so that several have to go into one, or they would be far too long.
"""
FEW_NEIGHBOURS = 32
LEAST_TICKS_A_BIN = 10
"""A level pays when its bins hold so many ticks; else the ticks themselves are as fast to read."""


@dataclass(frozen=True, slots=True)
class BinStats:
    """One measure over bins one after another. Where nothing was observed the seconds are 0 and all else NaN."""

    seen_s: FloatArray
    mean: FloatArray
    low: FloatArray
    high: FloatArray

    def __len__(self) -> int:
        return len(self.seen_s)

    @classmethod
    def unknown(cls, bins: int) -> "BinStats":
        """Bins in which nothing was observed."""
        return cls(np.zeros(bins), *(np.full(bins, np.nan) for _ in range(3)))

    @classmethod
    def of(cls, binned: Binned) -> "BinStats":
        """Statistics of binned values, with the observed seconds of each bin."""
        length_s = np.diff(binned.edges_ns) / NS_PER_S
        return cls(binned.coverage * length_s, binned.mean, binned.low, binned.high)

    @property
    def is_whole(self) -> bool:
        """Whether something was observed in each bin."""
        return bool(self.seen_s.all())

    def put(self, at: int, other: "BinStats") -> None:
        """Write another's bins over those from `at` on."""
        for own, its in zip(self._parts, other._parts, strict=True):
            own[at : at + len(other)] = its

    def part(self, start: int, end: int) -> "BinStats":
        """Bins from `start` up to `end`."""
        return BinStats(*(own[start:end] for own in self._parts))

    @classmethod
    def concatenated(cls, parts: Sequence["BinStats"]) -> "BinStats":
        """Bins of several, one after another; there may be a stretch of time between them."""
        return cls(*(np.concatenate(columns) for columns in zip(*(part._parts for part in parts), strict=True)))

    def followed_by(self, other: "BinStats") -> "BinStats":
        """These bins, then those of another."""
        return BinStats(*(np.concatenate(pair) for pair in zip(self._parts, other._parts, strict=True)))

    def coarser(self, factor: int) -> "BinStats":
        """Bins `factor` times as long. Their number has to be a multiple of it."""
        if factor == 1:
            return self
        together_s = _together(np.add, self.seen_s, factor)
        if self.is_whole:
            low, high = _together(np.minimum, self.low, factor), _together(np.maximum, self.high, factor)
            mean = _together(np.add, self.mean * self.seen_s, factor) / together_s
            return BinStats(together_s, np.clip(mean, low, high), low, high)
        seen_s = self.seen_s.reshape(-1, factor)
        known = together_s > 0
        out = BinStats.unknown(len(together_s))
        out.seen_s[:] = together_s
        weighted = np.where(seen_s > 0, self.mean.reshape(-1, factor), 0.0) * seen_s
        out.low[known] = np.fmin.reduce(self.low.reshape(-1, factor)[known], axis=1)
        out.high[known] = np.fmax.reduce(self.high.reshape(-1, factor)[known], axis=1)
        out.mean[known] = weighted.sum(axis=1)[known] / together_s[known]
        # The mean of equal values may leave their range by a rounding error.
        out.mean[known] = np.clip(out.mean[known], out.low[known], out.high[known])
        return out

    def binned(self, edges_ns: IntArray) -> Binned:
        """The same as binned values over edges that enclose just these bins."""
        length_s = np.diff(edges_ns) / NS_PER_S
        return Binned(edges_ns, self.mean, self.low, self.high, np.minimum(self.seen_s / length_s, 1.0))

    def summary(self, window: Window) -> Summary:
        """Over whole bins. All but the percentile are exact for those; that one is of the bins' means."""
        known = slice(None) if self.is_whole else self.seen_s > 0
        seen_s, mean = self.seen_s[known], self.mean[known]
        if not len(seen_s):
            return Summary(None, None, None, None, None, 0.0)
        observed_s = float(seen_s.sum())
        total = float(np.einsum("i,i->", mean, seen_s))  # as in bins
        low, high = float(self.low[known].min()), float(self.high[known].max())
        return Summary(
            low=low,
            mean=min(max(total / observed_s, low), high),
            p95=weighted_quantile(mean, seen_s, 0.95),
            high=high,
            total=total,
            coverage=min(observed_s / window.length_s, 1.0),
        )

    @property
    def _parts(self) -> tuple[FloatArray, FloatArray, FloatArray, FloatArray]:
        return self.seen_s, self.mean, self.low, self.high

    def to_chunks(self) -> list[bytes]:
        """The observed time as a column (column_codec), and all means, lowest and highest values as little-endian
        doubles in one zstd frame, each with its checksum (checksums). Measured: half the size of byte planes, for
        most of a quiet bin's numbers are the same.
        """
        seen_ns = np.round(self.seen_s * NS_PER_S).astype(np.int64)
        floats = np.concatenate([self.mean, self.low, self.high]).astype("<f8").tobytes()
        packed = zstandard.ZstdCompressor(level=ZSTD_LEVEL).compress(floats)
        # Position 0 for all: a chunk that several series share is stored once.
        return [with_checksums([chunk], 0)[0] for chunk in (encode_column(seen_ns), packed)]

    @classmethod
    def from_chunks(cls, chunks: Sequence[bytes], bins: int) -> "BinStats":
        """Raise BlockError for what is no such list, or was damaged since."""
        seen, packed = (verified(chunk, 0, 0) for chunk in chunks)
        floats = unpacked(packed, 24 * bins, of="a rollup")
        if len(floats) != 24 * bins:
            raise BlockError(f"a rollup of {bins} bins wants {24 * bins} bytes and has {len(floats)}")
        mean, low, high = np.frombuffer(floats, dtype="<f8").reshape(3, bins)
        return cls(decode_column(seen, bins) / NS_PER_S, mean, low, high)


def _together(combine: np.ufunc, values: FloatArray, factor: int) -> FloatArray:
    """Each `factor` neighbours in one. Their number has to be a multiple of it."""
    if factor > FEW_NEIGHBOURS:
        out: FloatArray = combine.reduce(values.reshape(-1, factor), axis=1)
        return out
    # All first ones with all second ones, and so on: a few long operations instead of many short ones.
    out = values[::factor].copy()
    for at in range(1, factor):
        combine(out, values[at::factor], out=out)
    return out


def levels_of(interval_ns: int) -> list[int]:
    """The levels, in seconds, that pay for ticks so far apart."""
    return [level for level in LEVELS_S if level * NS_PER_S >= LEAST_TICKS_A_BIN * interval_ns]


def chosen_level(window: Window, width: int, interval_ns: int, inner: Window | None = None) -> int | None:
    """The coarsest level, in seconds, whose bins are at most half as long as a pixel; None for the ticks themselves,
    where those are few or no level fits. `inner` is the part of the window that has ticks.
    """
    part = inner or window
    if part.end_ns - part.start_ns <= FEW_TICKS * interval_ns:
        return None
    return fitting_level(window, width, interval_ns)


def fitting_level(window: Window, width: int, interval_ns: int, bins_a_pixel: float = BINS_A_PIXEL) -> int | None:
    """The coarsest level, in seconds, of which so many bins go into a pixel, however few ticks there are."""
    pixel_ns = (window.end_ns - window.start_ns) / width
    fitting = [level for level in levels_of(interval_ns) if bins_a_pixel * level * NS_PER_S <= pixel_ns]
    return max(fitting, default=None)


def rolled_edges(window: Window, width: int, level_s: int) -> IntArray:
    """Edges of at most `width` equal bins that cover the window, on multiples of their length, itself one
    of the level.
    """
    level_ns = level_s * NS_PER_S
    length_ns = -(-(window.end_ns - window.start_ns) // max(width - 1, 1))
    return aligned_edges(window, -(-length_ns // level_ns) * level_ns)
