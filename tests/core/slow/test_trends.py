"""A slope is one where it is, as often as it says, whatever the rhythm."""

import numpy as np
import pytest

from noise import remembering
from reditus.core.slow.rhythm import nan_median, rhythm_of
from reditus.core.slow.trends import slope_of

TIMES = 120


@pytest.mark.parametrize("memory", [0.0, 0.7, 0.9])
def test_noise_is_rarely_a_trend(memory):
    rng = np.random.default_rng(int(10 * memory) + 21)
    rhythm = 2 * np.sin(np.arange(21 * 24) * 2 * np.pi / 24)
    slopes = [slope_of(remembering(21 * 24, memory, rng) + rhythm, 24) for _ in range(TIMES)]
    assert sum(slope.p < 0.05 for slope in slopes) <= 0.1 * TIMES
    assert sum(slope.low <= 0 <= slope.high for slope in slopes) >= 0.9 * TIMES


def test_a_trend_is_found_with_its_size_under_a_rhythm_ten_times_as_large():
    rng = np.random.default_rng(22)
    hours = np.arange(21 * 24)
    for _ in range(20):
        values = remembering(len(hours), 0.7, rng) + 10 * np.sin(hours * 2 * np.pi / 24) + 0.01 * hours
        slope = slope_of(values, 24)
        assert slope.p < 0.01
        assert slope.low < 0.01 < slope.high
        assert slope.slope == pytest.approx(0.01, rel=0.4)
        assert slope.rising > 0.3


def test_gaps_outliers_and_short_series():
    rng = np.random.default_rng(23)
    hours = np.arange(30 * 24)
    values = rng.normal(size=len(hours)) + 0.02 * hours
    values[100:300] = np.nan
    values[::50] += 500
    assert slope_of(values, 24).slope == pytest.approx(0.02, rel=0.2)
    assert slope_of(values[:72], 24) is None
    assert slope_of(np.full(240, np.nan), 24) is None
    flat = slope_of(np.full(240, 7.0), 24)
    assert (flat.slope, flat.p) == (0.0, 1.0)


def test_half_a_year_is_thinned_and_says_the_same():
    rng = np.random.default_rng(24)
    hours = np.arange(400 * 24)
    slope = slope_of(rng.normal(size=len(hours)) + 0.001 * hours, 24)
    assert slope.slope == pytest.approx(0.001, rel=0.1)


def test_a_rhythm_is_taken_out_and_a_step_is_not():
    rng = np.random.default_rng(25)
    hours = np.arange(28 * 24)
    rhythm = np.sin(hours * 2 * np.pi / 24) - (hours // 24 % 7 >= 5)
    values = rhythm + 0.05 * rng.normal(size=len(hours))
    values[300:] += 3
    plain = values - rhythm_of(values, 24)
    assert np.std(plain[:300]) < 0.15
    assert np.std(plain[300:]) < 0.15
    assert np.median(plain[300:]) - np.median(plain[:300]) == pytest.approx(3, abs=0.2)
    # Two days tell nothing of a rhythm.
    assert not rhythm_of(values[:48], 24).any()


def test_the_median_is_numpy_s():
    rng = np.random.default_rng(26)
    for shape in ((5, 7), (4, 6), (1, 3), (2, 3, 4)):
        values = rng.normal(size=shape)
        values[rng.random(shape) < 0.3] = np.nan
        values[..., 0] = 1.0
        for axis in range(len(shape)):
            known = ~np.isnan(values).all(axis=axis)
            expected = np.full(known.shape, np.nan)
            moved = np.moveaxis(values, axis, -1)
            expected[known] = np.nanmedian(moved[known], axis=-1)
            assert np.allclose(nan_median(values, axis), expected, equal_nan=True)
