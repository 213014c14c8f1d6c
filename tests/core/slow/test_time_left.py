"""The interval until a limit covers the truth about as often as it says."""

import numpy as np
import pytest

from reditus.core.slow.time_left import SURE, time_left

TIMES = 100
FINE = 20
"""Steps of the true path within one value."""


def covered(count, walk, noise, seed):
    """How often the interval holds the time at which the true path reaches the limit."""
    rng = np.random.default_rng(seed)
    hits = said = 0
    for _ in range(TIMES):
        steps = rng.normal(size=count * 6 * FINE) * walk / np.sqrt(FINE)
        path = np.arange(1, count * 6 * FINE + 1) / FINE + np.cumsum(steps)
        seen = path[FINE - 1 :: FINE][:count] + noise * rng.normal(size=count)
        limit = path[FINE * count - 1] + rng.uniform(0.2, 1.2) * count
        later = np.flatnonzero(path[count * FINE :] >= limit)
        truth = (later[0] + 1) / FINE if len(later) else np.inf
        left = time_left(seen, limit)
        if left is not None:
            said += 1
            hits += left.low <= truth <= left.high
    assert said >= 0.9 * TIMES
    return hits / said


@pytest.mark.parametrize(("count", "walk", "noise"), [(21, 2.0, 0.0), (60, 2.0, 0.0), (60, 1.0, 3.0), (300, 2.0, 0.0)])
def test_what_walks_reaches_its_limit_when_it_was_said(count, walk, noise):
    # Of a hundred trials the share itself varies by three hundredths.
    assert covered(count, walk, noise, seed=count + 7) == pytest.approx(SURE, abs=0.09)


def test_a_line_with_nothing_but_noise_is_never_missed_more_often():
    assert covered(60, 0.0, 4.0, seed=3) >= SURE


def test_falling_towards_a_limit_and_never():
    rng = np.random.default_rng(4)
    falling = 100 - np.arange(50.0) + rng.normal(size=50)
    left = time_left(falling, 0.0, rising=False)
    assert left.low < 51 < left.high
    assert left.median == pytest.approx(51, rel=0.1)
    assert time_left(falling, 200.0) is None
    assert time_left(np.arange(5.0), 10.0) is None
    # Beyond it already.
    assert time_left(np.arange(50.0), 20.0).high == 0


def test_gaps_are_gone_around():
    rng = np.random.default_rng(5)
    values = np.arange(400.0) + rng.normal(size=400)
    values[100:180] = np.nan
    left = time_left(values, 500.0)
    assert left.low < 101 < left.high
