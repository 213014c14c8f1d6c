"""Rollups: measures per bin of a fixed length, exact, so that weeks and years open as fast as an hour.

Charts that are drawn from them have bins of a multiple of that length, for those can be put together without loss.
"""

from collections.abc import Sequence

import numpy as np
import zstandard

from reditus.core.binning.stats import BinStats
from reditus.core.checksums import verified, with_checksums
from reditus.core.column_codec import ZSTD_LEVEL, decode_column, encode_column, unpacked
from reditus.core.errors import BlockError
from reditus.core.types import NS_PER_S
from reditus.core.window import Window

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
LEAST_TICKS_A_BIN = 10
"""A level pays when its bins hold so many ticks; else the ticks themselves are as fast to read."""


def to_chunks(stats: BinStats) -> list[bytes]:
    """The observed time as a column (column_codec), and all means, lowest and highest values as little-endian doubles
    in one zstd frame, each with its checksum (checksums). Measured: half the size of byte planes, for most of a quiet
    bin's numbers are the same.
    """
    observed_ns = np.round(stats.observed_s * NS_PER_S).astype(np.int64)
    floats = np.concatenate([stats.mean, stats.low, stats.high]).astype("<f8").tobytes()
    packed = zstandard.ZstdCompressor(level=ZSTD_LEVEL).compress(floats)
    # Position 0 for all: a chunk that several series share is stored once.
    return [with_checksums([chunk], 0)[0] for chunk in (encode_column(observed_ns), packed)]


def from_chunks(chunks: Sequence[bytes], bins: int) -> BinStats:
    """The inverse of `to_chunks`. Raise BlockError for what is no such list, or was damaged since."""
    observed, packed = (verified(chunk, 0, 0) for chunk in chunks)
    floats = unpacked(packed, 24 * bins, of="a rollup")
    if len(floats) != 24 * bins:
        raise BlockError(f"a rollup of {bins} bins wants {24 * bins} bytes and has {len(floats)}")
    mean, low, high = np.frombuffer(floats, dtype="<f8").reshape(3, bins)
    return BinStats(decode_column(observed, bins) / NS_PER_S, mean, low, high)


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


def dividing_level(length_ns: int, interval_ns: int, part: Window) -> int | None:
    """The coarsest level, in seconds, of which bins of a length are whole multiples; None for the ticks themselves,
    where those are few or no level does. `part` is what has ticks.
    """
    if part.end_ns - part.start_ns <= FEW_TICKS * interval_ns:
        return None
    return max((level for level in levels_of(interval_ns) if length_ns % (level * NS_PER_S) == 0), default=None)


def fitting_level(window: Window, width: int, interval_ns: int, bins_a_pixel: float = BINS_A_PIXEL) -> int | None:
    """The coarsest level, in seconds, of which so many bins go into a pixel, however few ticks there are."""
    pixel_ns = (window.end_ns - window.start_ns) / width
    fitting = [level for level in levels_of(interval_ns) if bins_a_pixel * level * NS_PER_S <= pixel_ns]
    return max(fitting, default=None)
