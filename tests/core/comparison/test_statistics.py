"""Effect sizes against values counted by hand, and how often chance is called a difference."""

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from hypothesis.extra.numpy import arrays

from reditus.core.comparison.statistics import beyond_chance, effect_of, shift_of, trend_of

SAMPLES = arrays(np.float64, st.integers(8, 40), elements=st.floats(-100, 100, width=32))


def by_hand(window, reference):
    return float(np.sign(np.subtract.outer(window, reference)).mean())


@given(SAMPLES, SAMPLES)
def test_delta_is_the_mean_sign_of_all_differences(window, reference):
    effect = effect_of(window, reference)
    assert effect.delta == pytest.approx(by_hand(window, reference))
    assert -1 <= effect.low <= effect.high <= 1
    assert 0 <= effect.p <= 1
    assert effect_of(reference, window).delta == pytest.approx(-effect.delta)


@given(SAMPLES, SAMPLES)
def test_the_shift_is_the_median_of_all_differences(window, reference):
    effect = effect_of(window, reference)
    shift, low, high = shift_of(window, reference, effect)
    assert shift == pytest.approx(float(np.median(np.subtract.outer(window, reference))), abs=1e-6)
    assert low - 1e-9 <= shift <= high + 1e-9


def correlated(rng, size, memory):
    noise = rng.normal(size=size)
    out = np.zeros(size)
    for at in range(1, size):
        out[at] = memory * out[at - 1] + noise[at]
    return out


@pytest.mark.parametrize("memory", [0.0, 0.8, 0.97])
def test_of_pairs_that_do_not_differ_few_are_called_different(memory):
    rng = np.random.default_rng(int(memory * 100))
    wrong = sum(effect_of(correlated(rng, 600, memory), correlated(rng, 600, memory)).p < 0.05 for _ in range(200))
    # Up to 7.5 % were measured; 200 trials of that are 15, and rarely more than 27.
    assert wrong <= 27


def test_a_shift_is_seen_behind_a_rhythm_that_both_have():
    rng = np.random.default_rng(5)
    rhythm = 10 * np.sin(np.linspace(0, 2 * np.pi, 600))
    window, reference = (rhythm + rng.normal(size=600) for _ in range(2))
    assert effect_of(window, reference).p > 0.01
    assert effect_of(window + 2, reference).p < 1e-4
    # Out of step there is nothing to hold against each other.
    assert effect_of(window[:400] + 2, reference).p > 0.01


def test_what_is_constant_is_certain_and_what_is_short_is_not():
    same, other = np.full(50, 4.0), np.full(50, 8.0)
    assert effect_of(same, same).p == 1
    assert effect_of(other, same).p < 1e-5
    assert effect_of(other[:7], same).p == 1
    known = np.where(np.arange(50) % 2, np.nan, other)
    assert effect_of(known, same).delta == 1


def test_slow_wandering_is_no_difference_unless_it_lies_far_beyond():
    steps = np.linspace(0, 1, 400)
    assert effect_of(steps + 0.6, steps[::-1].copy()).p > 0.01
    assert effect_of(steps + 9, steps).p < 0.01


def test_of_many_few_that_are_called_a_difference_are_wrong():
    rng = np.random.default_rng(8)
    p = np.concatenate([rng.uniform(size=900), rng.uniform(size=100) * 1e-6])
    found = beyond_chance(p.tolist(), 0.05)
    assert found[900:].all()
    assert found[:900].sum() <= 12
    assert not beyond_chance([0.04] + [0.9] * 99, 0.05).any()
    assert not len(beyond_chance([], 0.05))


def test_a_trend_is_seen_in_noise():
    rng = np.random.default_rng(3)
    grown, p = trend_of(np.linspace(0, 10, 300) + rng.normal(size=300))
    assert grown == pytest.approx(10, abs=1)
    assert p < 1e-4
    assert trend_of(rng.normal(size=300))[1] > 0.01
    assert trend_of(np.ones(5)) == (0.0, 1.0)
