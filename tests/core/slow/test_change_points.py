"""Changes of level are found where they are, and nowhere else."""

import numpy as np
import pytest

from noise import remembering
from reditus.core.slow.change_points import long_run_variance, pieces_of, without_spikes

COUNT = 500
TIMES = 40


@pytest.mark.parametrize("memory", [0.0, 0.6, 0.9])
def test_a_step_is_dated_within_a_fiftieth_of_the_length(memory):
    rng = np.random.default_rng(int(10 * memory) + 3)
    located = single = sure = 0
    for _ in range(TIMES):
        at = int(rng.uniform(0.2, 0.8) * COUNT)
        values = remembering(COUNT, memory, rng)
        values[at:] += 4
        pieces = pieces_of(values)
        near = [piece for piece in pieces[1:] if abs(piece.start - at) <= 0.02 * COUNT]
        located += len(near) == 1
        single += len(pieces) == 2
        sure += bool(near) and near[0].certainty > 0.99
    assert located >= 0.9 * TIMES
    assert single >= 0.9 * TIMES
    assert sure >= 0.9 * TIMES


def test_the_date_s_uncertainty_covers_the_truth():
    rng = np.random.default_rng(8)
    covered = 0
    for _ in range(TIMES):
        values = remembering(COUNT, 0.6, rng)
        values[300:] += 2
        last = pieces_of(values)[-1]
        covered += abs(last.start - 300) <= last.uncertainty
    assert covered >= 0.9 * TIMES


@pytest.mark.parametrize("memory", [0.0, 0.6, 0.9])
def test_noise_alone_is_one_level(memory):
    rng = np.random.default_rng(int(10 * memory) + 5)
    divided = sum(
        len(pieces := pieces_of(remembering(COUNT, memory, rng))) > 1 or pieces[0].creeps for _ in range(TIMES)
    )
    assert divided <= 0.05 * TIMES


def test_what_creeps_is_one_line_and_no_staircase():
    rng = np.random.default_rng(11)
    values = remembering(COUNT, 0.5, rng) + np.linspace(0, 8, COUNT)
    (piece,) = pieces_of(values)
    assert piece.creeps
    assert piece.last - piece.first == pytest.approx(8, abs=1)
    # From halfway on: a level, then a line that begins at it.
    values = remembering(COUNT, 0.5, rng) + 10 * np.maximum(np.arange(COUNT) / COUNT - 0.5, 0)
    level, line = pieces_of(values)
    assert (level.creeps, line.creeps) == (False, True)
    assert line.start == pytest.approx(COUNT / 2, abs=0.1 * COUNT)


def test_values_that_are_not_known_are_gone_around():
    rng = np.random.default_rng(12)
    values = rng.normal(size=COUNT)
    values[200:] += 6
    values[150:260] = np.nan
    before, after = pieces_of(values)
    assert after.start == 260
    assert (before.start, after.stop) == (0, COUNT)
    assert pieces_of(np.full(100, np.nan)) == []
    assert pieces_of(np.arange(5.0)) == []


def test_what_stays_exactly_the_same_is_one_level():
    (piece,) = pieces_of(np.full(200, 3.0))
    assert (piece.first, piece.last) == (3.0, 3.0)
    step = np.full(200, 3.0)
    step[120:] = 5.0
    assert [piece.start for piece in pieces_of(step)] == [0, 120]


def test_an_odd_moment_is_no_level():
    rng = np.random.default_rng(13)
    values = rng.normal(size=COUNT)
    values[250:252] += 80
    assert len(pieces_of(values)) == 1
    assert without_spikes(values)[250] < 8


def test_the_long_run_variance_is_that_of_means():
    rng = np.random.default_rng(14)
    # Of noise with memory m the variance of a long mean is (1 + m) / (1 − m) over the number of values.
    found = [long_run_variance(remembering(4_000, 0.6, rng)) for _ in range(12)]
    assert np.median(found) == pytest.approx(4, rel=0.5)
    sloped = [long_run_variance(remembering(4_000, 0.6, rng) + np.linspace(0, 60, 4_000)) for _ in range(12)]
    assert np.median(sloped) == pytest.approx(np.median(found), rel=0.3)
