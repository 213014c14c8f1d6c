"""What is usual for an hour of the week: learnt from weeks, honest about few, unmoved by a bad one."""

import numpy as np
import pytest

from reditus.core.binning.stats import BinStats
from reditus.core.normal.departures import departures, share_outside
from reditus.core.normal.hours import HOUR_NS, WEEK_HOURS, hours_of
from reditus.core.normal.learn import learnt, left_out
from reditus.core.types import NS_PER_S

FLOOR = 0.0005
MINUTES = np.arange(WEEK_HOURS * 60)


def minutes(rng):
    """A week of a disk's wait, minute by minute: a rhythm of the day, and noise of minutes, hours and weeks."""
    noise = 0.2 * rng.normal(size=len(MINUTES)) + 0.1 * rng.normal() + np.repeat(0.1 * rng.normal(size=WEEK_HOURS), 60)
    return 0.004 * np.exp(0.6 * np.sin(2 * np.pi * MINUTES / 1_440) + noise)


def hours(values):
    return hours_of(BinStats(np.full(len(values), 60.0), values, values, values), 60, 60.0)


@pytest.mark.parametrize("weeks", [2, 3, 5])
def test_another_such_week_lies_inside(weeks):
    rng = np.random.default_rng(weeks)
    outside = []
    for _ in range(10):
        normal = learnt(np.stack([hours(minutes(rng)) for _ in range(weeks)]), FLOOR)
        low, high = np.repeat(normal.low, 60), np.repeat(normal.high, 60)
        outside.append(share_outside(minutes(rng), low, high))
        assert (normal.weeks == weeks).all()
    assert np.mean(outside) < 0.05
    # And the band follows the hour.
    assert normal.middle[6] > 2 * normal.middle[18]
    assert normal.high[18] < normal.middle[6] * 1.6


def test_one_bad_week_in_four_moves_nothing():
    rng = np.random.default_rng(11)
    good = [hours(minutes(rng)) for _ in range(4)]
    normal = learnt(np.stack(good), FLOOR)
    bad = learnt(np.stack([*good[:3], good[3] * 30]), FLOOR)
    assert np.median(bad.high / normal.high) < 1.5
    assert np.median(bad.middle / normal.middle) == pytest.approx(1, abs=0.2)


def test_one_week_alone_rests_on_other_days_of_its_kind():
    rng = np.random.default_rng(12)
    week = hours(minutes(rng))
    week[5 * 24 :] *= 0.2
    normal = learnt(week[None], FLOOR)
    assert not normal.weeks.any()
    assert (normal.days[: 5 * 24] == 5).all()
    assert (normal.days[5 * 24 :] == 2).all()
    # A weekend is no working day.
    assert normal.high[5 * 24 + 6] < normal.middle[6]


def test_nothing_is_known_of_no_past_or_a_single_day():
    assert np.isnan(learnt(np.full((0, WEEK_HOURS, 3), np.nan), FLOOR).high).all()
    day = np.full((1, WEEK_HOURS, 3), np.nan)
    day[0, :24] = 0.004
    assert np.isnan(learnt(day, FLOOR).high).all()


def test_the_band_is_never_narrower_than_next_to_nothing():
    normal = learnt(np.full((4, WEEK_HOURS, 3), 0.004), FLOOR)
    assert (normal.high >= 0.004 + FLOOR - 1e-12).all()
    assert (normal.low <= 0.004 - FLOOR + 1e-12).all()


def test_hours_in_which_something_was_found_are_left_out():
    begins_ns = np.array([0, WEEK_HOURS * HOUR_NS])
    found = [(int(2.5 * HOUR_NS), int(4.1 * HOUR_NS)), ((WEEK_HOURS - 1) * HOUR_NS, (WEEK_HOURS + 1) * HOUR_NS)]
    out = left_out((2, WEEK_HOURS), begins_ns, found, HOUR_NS)
    assert np.flatnonzero(out[0]).tolist() == [2, 3, 4, WEEK_HOURS - 1]
    assert np.flatnonzero(out[1]).tolist() == [0]


def bins(count):
    return np.arange(count + 1) * 300 * NS_PER_S


def test_only_what_lasts_half_an_hour_above_the_band_departs():
    middle, high = np.full(48, 0.004), np.full(48, 0.006)
    values = np.full(48, 0.004)
    values[5:8] = 0.05
    values[20:27] = 0.02
    values[23] = 0.005  # back for a moment
    values[40:46] = 0.007  # above the band, and not even twice as much
    (found,) = departures(bins(48), values, middle, high, FLOOR)
    assert (found.start_ns, found.end_ns) == (20 * 300 * NS_PER_S, 27 * 300 * NS_PER_S)
    assert found.mean == pytest.approx((6 * 0.02 + 0.005) / 7)
    assert (found.usual, found.high) == pytest.approx((0.004, 0.006))


def test_where_nothing_is_known_nothing_departs():
    unknown = np.full(20, np.nan)
    assert departures(bins(20), np.full(20, 5.0), unknown, unknown, FLOOR) == []
    assert departures(bins(20), unknown, np.ones(20), np.ones(20), FLOOR) == []
    assert share_outside(np.ones(20), unknown, unknown) is None
    assert share_outside(np.array([1.0, 5.0, np.nan, 0.1]), np.full(4, 0.5), np.full(4, 2.0)) == pytest.approx(2 / 3)
