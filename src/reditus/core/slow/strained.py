"""Constant or intermittent: on which days something was strained, and at which hours."""

from dataclasses import dataclass
from enum import StrEnum

import numpy as np

from reditus.core.types import FloatArray

HOURS_A_DAY = 24
STRAINED = 0.5
"""From here on an hour counts as strained."""
CONSTANT, EVERY_DAY, LEAST_DAYS = 0.7, 0.8, 3
"""Share of all hours; of all days."""
LEAST_AT_HOUR = 0.6
"""Of the days on which an hour of the day is strained for it to be one of the hours."""
MOST_HOURS = 12


class How(StrEnum):
    """How strained hours lie over the days."""

    NEVER = "never"
    CONSTANT = "constant"
    DAILY = "daily"
    """At the same hours on most days."""
    INTERMITTENT = "intermittent"


@dataclass(frozen=True, slots=True)
class StrainedDays:
    """How the strained hours of something lie over the days."""

    how: How
    days: int
    """On so many of the days that were recorded."""
    of: int
    hours: tuple[int, ...]
    """Of the day, in UTC, where they are the same on most days."""


def strained_days(strain: FloatArray) -> StrainedDays:
    """Of the strain of each hour of whole days, NaN where nothing was recorded."""
    days = len(strain) // HOURS_A_DAY
    by_day = strain[: days * HOURS_A_DAY].reshape(days, HOURS_A_DAY)
    known = ~np.isnan(by_day)
    strained = np.nan_to_num(by_day) >= STRAINED
    recorded, hit = int(known.any(axis=1).sum()), int(strained.any(axis=1).sum())
    if not hit:
        return StrainedDays(How.NEVER, 0, recorded, ())
    if strained.sum() >= CONSTANT * known.sum():
        return StrainedDays(How.CONSTANT, hit, recorded, ())
    at_hour = np.flatnonzero(strained.sum(axis=0) >= LEAST_AT_HOUR * np.maximum(known.sum(axis=0), LEAST_DAYS))
    if hit >= max(EVERY_DAY * recorded, LEAST_DAYS) and 0 < len(at_hour) <= MOST_HOURS:
        return StrainedDays(How.DAILY, hit, recorded, tuple(at_hour.tolist()))
    return StrainedDays(How.INTERMITTENT, hit, recorded, ())
