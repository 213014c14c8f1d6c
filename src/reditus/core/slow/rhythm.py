"""What comes back every day and every week, taken out of a series so that what is left can be judged for slow change.

The rhythm is the median, over all days, of how far a value lies from the level of the day around it: neither a step
nor a drift, nor some odd days, become a part of it. It is a value an hour of the day, or an hour of the week once
there are weeks enough; days of the week have a level of their own.
"""

import numpy as np
from numpy.lib.stride_tricks import sliding_window_view

from reditus.core.types import FloatArray

DAYS_A_WEEK = 7
LEAST_DAYS, LEAST_WEEKS = 3, 2
"""Fewer tell nothing of a rhythm."""


def rhythm_of(values: FloatArray, per_day: int) -> FloatArray:
    """The rhythm at each value, to be subtracted; values are `per_day` a day, without a break, NaN where unknown. Zero
    where there are too few days.
    """
    days = len(values) // per_day
    knows_weeks = days >= LEAST_WEEKS * DAYS_A_WEEK
    if days < LEAST_DAYS:
        return np.zeros(len(values))
    if per_day == 1:
        return _of_weekdays(values, 1) if knows_weeks else np.zeros(len(values))
    level = rolling_median(values, per_day + 1 - per_day % 2)
    apart = values - level
    phases = per_day * (DAYS_A_WEEK if knows_weeks else 1)
    rhythm = _by_phase(apart, phases)
    if knows_weeks:
        rhythm = rhythm + _of_weekdays(values - rhythm, per_day)
    return rhythm


def rolling_median(values: FloatArray, width: int) -> FloatArray:
    """The median of the known values around each; `width` is odd. Near the ends of as many as there are."""
    padded = np.pad(values, width // 2, constant_values=np.nan)
    return nan_median(sliding_window_view(padded, width), axis=1)


def nan_median(values: FloatArray, axis: int) -> FloatArray:
    """As NumPy's `nanmedian`, which takes many times as long; NaN without a warning where nothing is known."""
    if not values.shape[axis]:
        return np.full(values.shape[:axis] + values.shape[axis + 1 :], np.nan)
    ordered = np.sort(values, axis=axis)  # what is not known comes last
    known = np.sum(~np.isnan(values), axis=axis, keepdims=True)
    first = np.take_along_axis(ordered, np.maximum(known - 1, 0) // 2, axis=axis)
    second = np.take_along_axis(ordered, np.minimum(known // 2, values.shape[axis] - 1), axis=axis)
    out: FloatArray = np.where(known % 2 == 1, first, (first + second) / 2).squeeze(axis)
    return out


def _by_phase(apart: FloatArray, phases: int) -> FloatArray:
    rows = -(-len(apart) // phases)
    folded = np.pad(apart, (0, rows * phases - len(apart)), constant_values=np.nan).reshape(rows, phases)
    of_phase = np.nan_to_num(nan_median(folded, axis=0))
    # What a rhythm adds on a whole is not a rhythm's.
    return np.tile(of_phase - np.median(of_phase), rows)[: len(apart)]


def _of_weekdays(values: FloatArray, per_day: int) -> FloatArray:
    days = len(values) // per_day
    by_day = nan_median(values[: days * per_day].reshape(days, per_day), axis=1)
    of_days = _by_phase(by_day - rolling_median(by_day, DAYS_A_WEEK), DAYS_A_WEEK)
    repeated = np.repeat(of_days, per_day)
    return np.concatenate([repeated, np.full(len(values) - len(repeated), of_days[days - DAYS_A_WEEK])])
