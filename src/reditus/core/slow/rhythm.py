"""What comes back every day and every week, taken out of a series so that what is left can be judged for slow change.

The rhythm is the median, over all days, of how far a value lies from the level of the day around it: neither a step
nor a drift, nor some odd days, become a part of it. It is a value an hour of the day, or an hour of the week once
there are weeks enough; days of the week have a level of their own.
"""

import warnings

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
    if per_day < 2 or days < LEAST_DAYS:
        return np.zeros(len(values))
    level = rolling_median(values, per_day + 1 - per_day % 2)
    apart = values - level
    phases = per_day * (DAYS_A_WEEK if days >= LEAST_WEEKS * DAYS_A_WEEK else 1)
    rhythm = _by_phase(apart, phases)
    if days >= LEAST_WEEKS * DAYS_A_WEEK:
        rhythm = rhythm + _of_weekdays(values - rhythm, per_day)
    return rhythm


def rolling_median(values: FloatArray, width: int) -> FloatArray:
    """The median of the known values around each; `width` is odd. Near the ends of as many as there are."""
    padded = np.pad(values, width // 2, constant_values=np.nan)
    return nan_median(sliding_window_view(padded, width), axis=1)


def nan_median(values: FloatArray, axis: int) -> FloatArray:
    """As NumPy's, and NaN without a warning where nothing is known."""
    with warnings.catch_warnings():
        warnings.simplefilter("ignore", RuntimeWarning)
        out: FloatArray = np.nanmedian(values, axis=axis)
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
