"""Hours of measures, as small as they can be kept: what they were usually like, low and high, week by week.

An hour is the median of its bins and the values that one in twenty lies below and above. Kept to two per cent, which
is far less than any of them varies from week to week: a week of a measure takes some hundred bytes.
"""

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
import zstandard

from reditus.core.binning.stats import BinStats
from reditus.core.checksums import verified, with_checksums
from reditus.core.column_codec import ZSTD_LEVEL, unpacked
from reditus.core.errors import BlockError
from reditus.core.types import NS_PER_S, FloatArray

HOUR_S, DAY_HOURS, WEEK_HOURS = 3_600, 24, 168
HOUR_NS, WEEK_NS = HOUR_S * NS_PER_S, WEEK_HOURS * HOUR_S * NS_PER_S
MONDAY_NS = 4 * DAY_HOURS * HOUR_NS
"""The first Monday of the epoch; weeks begin on Mondays at 00:00 UTC."""
LOW, MIDDLE, HIGH = 0, 1, 2
QUANTILES = (0.05, 0.5, 0.95)
LEAST_OBSERVED = 0.5
"""An hour of which less was observed is not known."""
STEPS = 50.0
"""Codes to a natural logarithm: two per cent apart."""
RANGE = 1e-4
"""Of a series' largest value: as far down as codes keep to two per cent; below they are evenly spaced."""
UNKNOWN = -(1 << 15)


def week_of(at_ns: int) -> int:
    """The start of the week that holds a time."""
    return (at_ns - MONDAY_NS) // WEEK_NS * WEEK_NS + MONDAY_NS


def hours_of(fine: BinStats, bins_an_hour: int, bin_s: float) -> FloatArray:
    """Low, median and high of each hour, shape (hours, 3); NaN where less than half of it was observed."""
    values = np.where(fine.observed_s > 0, fine.mean, np.nan).reshape(-1, bins_an_hour)
    out = np.full((len(values), 3), np.nan)
    seen = fine.observed_s.reshape(-1, bins_an_hour).sum(axis=1) >= LEAST_OBSERVED * bins_an_hour * bin_s
    out[seen] = _quantiles(values[seen])
    return out


def _quantiles(values: FloatArray) -> FloatArray:
    """As NumPy's `nanquantile` of each row, which goes through them one by one."""
    known = np.sum(~np.isnan(values), axis=1)
    ordered = np.sort(values, axis=1)  # what is not known comes last
    at = np.array(QUANTILES) * (known - 1)[:, None]
    below = np.floor(at).astype(np.int64)
    above = np.minimum(below + 1, known[:, None] - 1)
    first, second = (np.take_along_axis(ordered, index, axis=1) for index in (below, above))
    between: FloatArray = first + (second - first) * (at - below)
    return between


@dataclass(frozen=True, slots=True)
class WeekOfHours:
    """Some series over one week."""

    begin_ns: int
    values: FloatArray
    """Low, median and high, shape (series, WEEK_HOURS, 3); NaN where unknown."""

    @classmethod
    def unknown(cls, begin_ns: int, series: int) -> "WeekOfHours":
        """A week of which nothing is known yet."""
        return cls(begin_ns, np.full((series, WEEK_HOURS, 3), np.nan))


def encoded(week: WeekOfHours) -> bytes:
    """A checksum, then one zstd frame: a scale a series as a little-endian float, then codes of 16 bits in byte planes:
    the median, then how far above it the high and below it the low one lies, each as the difference from the hour
    before.
    """
    scales = np.nan_to_num(np.nanmax(np.abs(np.nan_to_num(week.values)), axis=(1, 2))).astype("<f4")
    codes = _codes(week.values, scales.astype(np.float64)[:, None, None] * RANGE)
    middle = codes[:, :, MIDDLE]
    planes = np.stack([middle, codes[:, :, HIGH] - middle, middle - codes[:, :, LOW]])
    planes[:, middle == UNKNOWN] = 0
    planes[0][middle == UNKNOWN] = UNKNOWN
    steps = np.diff(planes, axis=2, prepend=0).astype("<i2")
    body = scales.tobytes() + np.ascontiguousarray(steps.view(np.uint8).reshape(-1, 2).T).tobytes()
    return with_checksums([zstandard.ZstdCompressor(level=ZSTD_LEVEL).compress(body)], 0)[0]


def decoded(data: bytes, begin_ns: int, series: int) -> WeekOfHours:
    """The inverse of `encoded`, to two per cent. Raise BlockError for what it did not make, or was damaged since."""
    count = 3 * series * WEEK_HOURS
    size = 4 * series + 2 * count
    body = unpacked(verified(data, 0, 0), size, of="a week of hours")
    if len(body) != size:
        raise BlockError(f"a week of {series} series wants {size} bytes and has {len(body)}")
    scales = np.frombuffer(body, dtype="<f4", count=series).astype(np.float64)[:, None] * RANGE
    flat = np.frombuffer(body, dtype=np.uint8, offset=4 * series).reshape(2, count).T
    steps = np.ascontiguousarray(flat).view("<i2").reshape(3, series, WEEK_HOURS)
    planes = np.cumsum(steps, axis=2, dtype=np.int16).astype(np.int64)
    middle = planes[0]
    values = np.stack([_values(code, scales) for code in (middle - planes[2], middle, middle + planes[1])], axis=2)
    values[middle == UNKNOWN] = np.nan
    return WeekOfHours(begin_ns, values)


def together(weeks: Sequence[WeekOfHours]) -> WeekOfHours:
    """What several archives know of the same week: the first that knows an hour."""
    values = weeks[0].values.copy()
    for other in weeks[1:]:
        values = np.where(np.isnan(values), other.values, values)
    return WeekOfHours(weeks[0].begin_ns, values)


def _codes(values: FloatArray, units: FloatArray) -> FloatArray:
    with np.errstate(invalid="ignore", divide="ignore"):
        scaled = np.arcsinh(np.where(units > 0, values / units, 0.0)) * STEPS
    return np.where(np.isnan(values), UNKNOWN, np.round(np.nan_to_num(scaled))).astype(np.int64)


def _values(codes: FloatArray, units: FloatArray) -> FloatArray:
    out: FloatArray = np.sinh(codes / STEPS) * units
    return out
