"""Hours are kept small, to two per cent, and what is not known stays unknown."""

import numpy as np
import pytest

from reditus.core.binning.stats import BinStats
from reditus.core.errors import BlockError
from reditus.core.normal.hours import (
    MONDAY_NS,
    WEEK_HOURS,
    WEEK_NS,
    WeekOfHours,
    decoded,
    encoded,
    hours_of,
    together,
    week_of,
)
from reditus.core.types import NS_PER_S


def a_week(rng, series=3):
    middle = 0.004 * np.exp(rng.normal(size=(series, WEEK_HOURS, 1)))
    spread = np.exp(0.3 * rng.random((series, WEEK_HOURS, 1)))
    return WeekOfHours(MONDAY_NS, np.concatenate([middle / spread, middle, middle * spread], axis=2))


def test_a_week_is_there_again_to_two_per_cent():
    week = a_week(np.random.default_rng(1))
    week.values[0, :30] = np.nan
    week.values[1] = 0.0
    week.values[2, 50] = -week.values[2, 50, ::-1]
    again = decoded(encoded(week), MONDAY_NS, 3).values
    assert np.array_equal(np.isnan(again), np.isnan(week.values))
    assert np.allclose(again, week.values, rtol=0.02, atol=0, equal_nan=True)


def test_what_never_changes_takes_next_to_nothing():
    rng = np.random.default_rng(2)
    quiet = WeekOfHours(MONDAY_NS, np.full((100, WEEK_HOURS, 3), 7.5))
    assert len(encoded(quiet)) < 600
    assert len(encoded(a_week(rng, 20))) < 20 * 3 * WEEK_HOURS * 1.5
    assert not (~np.isnan(decoded(encoded(WeekOfHours.unknown(0, 4)), 0, 4).values)).any()


def test_a_damaged_week_is_refused():
    data = encoded(a_week(np.random.default_rng(3)))
    for at in range(0, len(data), 37):
        damaged = data[:at] + bytes([data[at] ^ 0x40]) + data[at + 1 :]
        with pytest.raises(BlockError):
            decoded(damaged, MONDAY_NS, 3)
    with pytest.raises(BlockError):
        decoded(data, MONDAY_NS, 4)


def test_an_hour_is_its_bins_median_low_and_high():
    rng = np.random.default_rng(4)
    mean = rng.random(180)
    observed_s = np.full(180, 60.0)
    observed_s[60:95] = 0
    observed_s[120:125] = 0
    mean[observed_s == 0] = np.nan
    hours = hours_of(BinStats(observed_s, mean, mean, mean), 60, 60.0)
    assert hours[0] == pytest.approx(np.quantile(mean[:60], [0.05, 0.5, 0.95]))
    assert np.isnan(hours[1]).all()  # less than half of it was observed
    assert hours[2] == pytest.approx(np.nanquantile(mean[120:], [0.05, 0.5, 0.95]))


def test_the_first_archive_that_knows_an_hour_decides():
    one, other = WeekOfHours.unknown(0, 1), WeekOfHours.unknown(0, 1)
    one.values[0, :10], other.values[0, 5:20] = 1.0, 2.0
    assert np.nansum(together([one, other]).values[0, :, 1]) == 10 * 1.0 + 10 * 2.0


def test_weeks_begin_on_mondays():
    thursday_ns = 1_794_441_600 * NS_PER_S
    assert (thursday_ns - week_of(thursday_ns)) // (86_400 * NS_PER_S) == 3
    assert week_of(week_of(thursday_ns)) == week_of(thursday_ns) == week_of(thursday_ns + WEEK_NS) - WEEK_NS
