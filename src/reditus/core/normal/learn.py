"""What is usual for an hour of the week: the median over the weeks before it, and a band around it.

Robust by construction (medians throughout), and hours in which something was found are left out by the caller. How far
a median may lie from those of the weeks before is learnt from all hours of the week together, for of one hour there
are only as many as there are weeks. Where fewer than two weeks know an hour, the same hour of other days stands in,
and the answer says so.
"""

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from reditus.core.normal.hours import DAY_HOURS, HIGH, LOW, MIDDLE, WEEK_HOURS
from reditus.core.slow.rhythm import nan_median
from reditus.core.types import BoolArray, FloatArray, IntArray

LEAST_WEEKS = 2
"""Of an hour, or the same hour of other days stands in."""
LEAST_DAYS = 2
DEVIATIONS = 2.0
"""Weeks differ by so much without anything being unusual."""
LEAST_LOG = 0.1
"""A band is at least so much wider than the hours that it was learnt from, in natural logarithms: a tenth."""
WORKDAYS = 5


@dataclass(frozen=True, slots=True)
class Normal:
    """What is usual for each hour of some week, each array of shape (WEEK_HOURS,); NaN where nothing is known."""

    middle: FloatArray
    low: FloatArray
    high: FloatArray
    weeks: IntArray
    """How many of the same hour it rests on."""
    days: IntArray
    """How many days, where it rests on the same hour of other days; else 0."""

    def at(self, places: IntArray) -> "Normal":
        """Those hours."""
        return Normal(self.middle[places], self.low[places], self.high[places], self.weeks[places], self.days[places])

    @classmethod
    def joined(cls, parts: Sequence["Normal"]) -> "Normal":
        """Hours of several, one after another."""
        return cls(
            np.concatenate([part.middle for part in parts]),
            np.concatenate([part.low for part in parts]),
            np.concatenate([part.high for part in parts]),
            np.concatenate([part.weeks for part in parts]),
            np.concatenate([part.days for part in parts]),
        )


def learnt(past: FloatArray, floor: float) -> Normal:
    """From the weeks before, shape (weeks, WEEK_HOURS, 3), NaN for what is unknown or left out; `floor` is as much as
    is next to nothing: a band is never narrower.
    """
    scaled = np.log(np.maximum(past, 0.0) + floor)
    known = ~np.isnan(scaled[:, :, MIDDLE])
    weeks = known.sum(axis=0)
    own = nan_median(scaled, axis=0) if len(scaled) else np.full((WEEK_HOURS, 3), np.nan)
    spread = _spread(scaled[:, :, MIDDLE], own[:, MIDDLE], weeks)
    of_hour, by_day = own, np.zeros(WEEK_HOURS, dtype=bool)
    days, apart = np.zeros(WEEK_HOURS, dtype=np.int64), np.zeros(WEEK_HOURS)
    if (weeks < LEAST_WEEKS).any():
        stands_in, days, apart = _by_day(scaled, known)
        by_day = (weeks < LEAST_WEEKS) & (days >= LEAST_DAYS)
        of_hour = np.where(by_day[:, None], stands_in, own)
    few = (weeks < LEAST_WEEKS) & ~by_day
    of_hour = np.where(few[:, None], np.nan, of_hour)
    counts = np.maximum(np.where(by_day, days, weeks), 1)
    widen = DEVIATIONS * np.where(by_day, apart, spread) * np.sqrt(1 + 1 / counts) + LEAST_LOG
    low, high = of_hour[:, LOW] - widen, of_hour[:, HIGH] + widen

    def in_units(values: FloatArray) -> FloatArray:
        out: FloatArray = np.maximum(np.exp(values) - floor, 0.0)
        return out

    middle = in_units(of_hour[:, MIDDLE])
    return Normal(
        middle, np.maximum(np.minimum(in_units(low), middle - floor), 0.0), np.maximum(in_units(high), middle + floor),
        np.where(by_day | few, 0, weeks), np.where(by_day, days, 0),
    )  # fmt: skip


def left_out(shape: tuple[int, int], begins_ns: IntArray, found_ns: list[tuple[int, int]], hour_ns: int) -> BoolArray:
    """Which hours (weeks, WEEK_HOURS) touch a stretch in which something was found; `begins_ns` are the weeks'."""
    out = np.zeros(shape, dtype=bool)
    for week, begin_ns in enumerate(begins_ns.tolist()):
        for start_ns, end_ns in found_ns:
            first = max((start_ns - begin_ns) // hour_ns, 0)
            after = min(-(-(end_ns - begin_ns) // hour_ns), shape[1])
            if first < after:
                out[week, first:after] = True
    return out


def _spread(middles: FloatArray, usual: FloatArray, weeks: IntArray) -> float:
    """The deviation of an hour's median from that of its hours of the week, of all hours of the week together."""
    several = weeks >= LEAST_WEEKS
    if not several.any():
        return 0.0
    apart = np.abs(middles[:, several] - usual[several])
    # A median of few lies near each of them: of n values they lie apart by less than their deviation.
    fair = np.sqrt(weeks[several] / (weeks[several] - 1.0))
    return 1.4826 * float(np.median((apart * fair)[~np.isnan(apart)]))


def _by_day(scaled: FloatArray, known: BoolArray) -> tuple[FloatArray, IntArray, FloatArray]:
    """The same hour of other days of the kind (working days, weekends): low, median and high, how many, and how far
    apart they lie.
    """
    middle = np.full((WEEK_HOURS, 3), np.nan)
    days, apart = np.zeros(WEEK_HOURS, dtype=np.int64), np.zeros(WEEK_HOURS)
    if not len(scaled):
        return middle, days, apart
    by_day = scaled.reshape(len(scaled), -1, DAY_HOURS, 3)
    seen = known.reshape(len(scaled), -1, DAY_HOURS)
    for of_kind in (slice(0, WORKDAYS), slice(WORKDAYS, None)):
        part = by_day[:, of_kind].reshape(-1, DAY_HOURS, 3)
        count = seen[:, of_kind].reshape(-1, DAY_HOURS).sum(axis=0)
        usual = nan_median(part, axis=0)
        spread = 1.4826 * nan_median(np.abs(part[:, :, MIDDLE] - usual[:, MIDDLE]), axis=0)
        times = by_day[0, of_kind].shape[0]
        hours = slice(0, WORKDAYS * DAY_HOURS) if of_kind.start == 0 else slice(WORKDAYS * DAY_HOURS, None)
        middle[hours] = np.tile(usual, (times, 1))
        days[hours], apart[hours] = np.tile(count, times), np.tile(np.nan_to_num(spread), times)
    return middle, days, apart
