"""Whether a series creeps, by how much, and how sure that is: with its rhythms, gaps and odd days.

Slope: the median of the slopes of all pairs of the same phase (P. K. Sen, J. American Statistical Association 63,
1968; by phase as in R. Hirsch, J. Slack and R. Smith, Water Resources Research 18, 1982), so that no rhythm has a part
in it. Test: the seasonal Kendall test with the covariance between phases (R. Hirsch and J. Slack, Water Resources
Research 20, 1984), widened by how much one day resembles the next (N. Bayley and J. Hammersley, J. R. Statist. Soc.
Suppl. 8, 1946).
"""

from dataclasses import dataclass

import numpy as np
from scipy.special import ndtr, ndtri

from reditus.core.slow.rhythm import nan_median
from reditus.core.types import FloatArray

MOST_PHASES, MOST_ROUNDS = 24, 200
LEAST_ROUNDS = 4
SURE = 0.95
CRUMB = 0.02


@dataclass(frozen=True, slots=True)
class Slope:
    """A robust slope, per value."""

    slope: float
    low: float
    high: float
    """Between these it lies, as sure as SURE."""
    p: float
    """How likely such a test is where nothing creeps."""
    rising: float
    """−1 to 1: of all pairs those that rise less those that fall."""


def slope_of(values: FloatArray, phases: int) -> Slope | None:
    """Of evenly spaced values, `phases` to a round of the rhythm, NaN where unknown; None for fewer than four rounds.

    Of very many the medians of neighbours stand for them.
    """
    together = max(-(-phases // MOST_PHASES), 1)
    while phases % together:
        together += 1
    phases //= together
    rounds = len(values) // (phases * together)
    if rounds < LEAST_ROUNDS:
        return None
    table = nan_median(values[: rounds * phases * together].reshape(rounds * phases, together), axis=1)
    table = table.reshape(rounds, phases)
    while len(table) > MOST_ROUNDS:
        kept = len(table) // 2 * 2
        table, together = nan_median(table[:kept].reshape(-1, 2, phases), axis=1), 2 * together
    first, second = np.triu_indices(len(table), k=1)
    rises = table[second] - table[first]
    known = ~np.isnan(rises)
    if int(known.sum()) < LEAST_ROUNDS:
        return None
    lengths = ((second - first) * phases * together)[:, None]
    slopes = np.sort((rises / lengths)[known])
    signs = np.nan_to_num(np.sign(rises))
    score, variance = float(signs.sum()), _variance(table, signs) * _likeness(table)
    if variance <= 0:
        return Slope(float(np.median(slopes)), float(slopes[0]), float(slopes[-1]), 1.0, 0.0)
    z = (score - np.sign(score)) / np.sqrt(variance)
    reach = float(ndtri(0.5 + SURE / 2)) * np.sqrt(variance)
    last = len(slopes) - 1
    low, high = (int(np.clip(round((len(slopes) + side * reach) / 2), 0, last)) for side in (-1, 1))
    p = 2 * float(ndtr(-abs(z)))
    return Slope(float(np.median(slopes)), float(slopes[low]), float(slopes[high]), p, score / int(known.sum()))


def _variance(table: FloatArray, signs: FloatArray) -> float:
    """Of the sum over all phases of how many pairs rise less how many fall, where nothing creeps."""
    rounds, phases = table.shape
    known = ~np.isnan(table)
    # Of a value among those of its phase: how many lie below less how many above, as a rank from the middle.
    ranks = np.zeros_like(table)
    first, second = np.triu_indices(rounds, k=1)
    np.add.at(ranks, second, signs)
    np.add.at(ranks, first, -signs)
    counts = known.sum(axis=0).astype(np.float64)
    own = float(np.sum(counts * (counts - 1) * (2 * counts + 5))) / 18
    # Hirsch and Slack's covariance, with ranks from the middle: (K + Σ R R') / 3.
    together = (signs.T @ signs + ranks.T @ ranks) / 3
    between = float(together.sum() - np.trace(together))
    return float(max(own + between, own / max(phases, 1)))


def _likeness(table: FloatArray) -> float:
    """By how much the variance grows because one round resembles the next."""
    of_rounds = nan_median(table - nan_median(table, axis=0), axis=1)
    at = np.flatnonzero(~np.isnan(of_rounds))
    if len(at) < LEAST_ROUNDS:
        return 1.0
    line = np.polyfit(at, of_rounds[at], 1)
    left = of_rounds[at] - np.polyval(line, at)
    # What is next to nothing beside the line is the rhythm's remainder, and no noise that wanders.
    if float(np.std(left)) <= CRUMB * float(np.ptp(of_rounds[at])):
        return 1.0
    # The line takes some of the likeness with it: an estimate from few rounds is too low by about (1 + 4 r) / n.
    memory = float(np.sum(left[1:] * left[:-1]) / np.sum(left**2))
    memory = min(max((memory * len(at) + 1) / max(len(at) - 4, 1), 0.0), 0.9)
    return (1 + memory) / (1 - memory)
