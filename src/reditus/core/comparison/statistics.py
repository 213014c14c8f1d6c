"""How far apart two samples of a measure lie, and whether that is more than chance, where ticks depend on each other.

Effect size: Cliff's delta (N. Cliff, Dominance statistics, Psychological Bulletin 114, 1993), 1 where every value of
the window is above every one of the reference, 0 where neither tends to be. Shift: the estimate of J. Hodges and
E. Lehmann (Annals of Mathematical Statistics 34, 1963), the median of all differences. Uncertainty: a block bootstrap
(H. Künsch, Annals of Statistics 17, 1989) of the two terms that delta's projection consists of (E. DeLong et al.,
Biometrics 44, 1988), with blocks longer than values stay alike. Many measures: Y. Benjamini and Y. Hochberg, J. R.
Statist. Soc. B 57, 1995.
"""

from collections.abc import Sequence
from dataclasses import dataclass
from functools import lru_cache
from math import comb

import numpy as np
from scipy.special import stdtr, stdtrit
from scipy.stats import kendalltau

from reditus.core.types import BoolArray, FloatArray

MOST_BLOCKS, LEAST_BLOCKS = 24, 4
TREND_BLOCKS = 12
APART_DELTA, APART_RANGES, APART_BLOCKS = 0.75, 3.0, 8
"""Values of which most lie beyond so many times the range that the steadier side went through are no slow wandering:
they are judged as if so many stretches were independent, however slowly they change."""
BLOCK_TIMES = 4
"""Measured on autoregressive noise of memory 0 to 0.98: of pairs in which nothing differs 5.5 to 7.5 % have p < 0.05,
with blocks half as long up to 15 %."""
LEAST_VALUES = 8
REPLICATES = 400
SEED = 20_261_112
MOST_PAIRS = 16_384
"""Of differences; of longer samples so many quantiles stand for all values."""
SURE = 0.95


@dataclass(frozen=True, slots=True)
class Effect:
    """How a window differs from a reference."""

    delta: float
    """Cliff's delta, −1 to 1."""
    low: float
    high: float
    """Between these it lies, as sure as SURE."""
    p: float
    """How likely such a delta is where nothing differs; 1 where too little is known to judge."""
    blocks: int
    """Stretches that are independent of each other, of the side that has fewer."""


def effect_of(window: FloatArray, reference: FloatArray) -> Effect:
    """Of two samples in the order of time; NaN where a value is unknown. Where both are as long, their values at the
    same time since the beginning are held against each other too: a rhythm that both have does not hide what differs.

    Were both of one kind, so would be how long their values stay alike; the side that shows it better says so.
    """
    here, there = window[~np.isnan(window)], reference[~np.isnan(reference)]
    if min(len(here), len(there)) < LEAST_VALUES:
        return Effect(0.0, -1.0, 1.0, 1.0, 0)
    above, below = _dominance(here, there), _dominance(there, here)
    delta = float(above.mean())
    blocks = _blocks(here)
    if blocks < MOST_BLOCKS:  # there cannot be more, so the other side need not be looked at
        blocks = max(blocks, _blocks(there))
    blocks = min(blocks, min(len(here), len(there)) // 2)
    if abs(delta) >= APART_DELTA and _is_far(here, there):
        blocks = min(max(blocks, APART_BLOCKS), min(len(here), len(there)) // 2)
    if blocks < MOST_BLOCKS and abs(len(window) - len(reference)) <= 1:
        paired = _paired(window, reference, blocks)
        if paired is not None:
            return paired_effect(delta, *paired)
    if blocks < LEAST_BLOCKS:
        return Effect(delta, -1.0, 1.0, 1.0, blocks)
    spread = _replicates(above - delta, blocks, 0) - _replicates(below + delta, blocks, 1)
    return _effect(delta, delta, spread, blocks)


def paired_effect(delta: float, signs: FloatArray, blocks: int) -> Effect:
    """Of the signs of the differences at the same time."""
    mean = float(signs.mean())
    return _effect(delta, mean, _replicates(signs - mean, blocks, 0), blocks)


def _paired(window: FloatArray, reference: FloatArray, least: int) -> tuple[FloatArray, int] | None:
    """The signs of the differences, and their blocks; None where those are not more than `least`: nothing is gained."""
    size = min(len(window), len(reference))
    apart = window[:size] - reference[:size]
    apart = apart[~np.isnan(apart)]
    if len(apart) < LEAST_VALUES:
        return None
    blocks = _blocks(apart)
    return (np.sign(apart), blocks) if blocks > least and blocks >= LEAST_BLOCKS else None


def _is_far(window: FloatArray, reference: FloatArray) -> bool:
    """Whether the sides lie further apart than the steadier one ever wandered."""
    ranges = [float(np.ptp(np.quantile(side, [0.01, 0.99]))) for side in (window, reference)]
    return abs(float(np.median(window) - np.median(reference))) > APART_RANGES * min(ranges)


def _effect(delta: float, mean: float, spread: FloatArray, blocks: int) -> Effect:
    """`mean` is what is tested, and `spread` its replicates less itself."""
    error = float(np.sqrt(np.mean(spread**2)) * np.sqrt(blocks / (blocks - 1)))
    reach = error * float(stdtrit(blocks - 1, 0.5 + SURE / 2))
    p = 2 * float(stdtr(blocks - 1, -abs(mean) / error)) if error > 0 else float(mean == 0)
    # So few blocks are set apart by chance alone that often.
    p = min(max(p, 2 / comb(2 * blocks, blocks)), 1.0)
    return Effect(delta, max(delta - reach, -1.0), min(delta + reach, 1.0), p, blocks)


def shift_of(window: FloatArray, reference: FloatArray, effect: Effect) -> tuple[float, float, float]:
    """The Hodges–Lehmann shift, and between what it lies as sure as SURE: where delta's bounds meet the differences."""
    apart = np.sort(np.subtract.outer(_thinned(window), _thinned(reference)), axis=None)
    half = (effect.high - effect.low) / 4
    low, middle, high = np.quantile(apart, [max(0.5 - half, 0.0), 0.5, min(0.5 + half, 1.0)])
    return float(middle), float(low), float(high)


def trend_of(values: FloatArray) -> tuple[float, float]:
    """By how much a sample grows from its beginning to its end (the median of the slopes between blocks, after
    H. Theil and P. Sen), and how likely such an order of the blocks is by chance (M. Kendall's tau).
    """
    if len(values) < MOST_BLOCKS:
        return 0.0, 1.0
    edges = np.linspace(0, len(values), TREND_BLOCKS + 1).astype(np.int64)
    means = np.add.reduceat(values, edges[:-1]) / np.diff(edges)
    at, later = np.triu_indices(TREND_BLOCKS, 1)
    slopes = (means[later] - means[at]) / (later - at)
    p = float(kendalltau(np.arange(TREND_BLOCKS), means).pvalue) if np.ptp(means) > 0 else 1.0
    return float(np.median(slopes)) * TREND_BLOCKS, p


def beyond_chance(p: Sequence[float], level: float) -> BoolArray:
    """Which of many are, so that of those that are called so no more than `level` are expected to be wrong."""
    values = np.asarray(p)
    if not len(values):
        return np.zeros(0, dtype=bool)
    order = np.argsort(values)
    passed = values[order] <= level * np.arange(1, len(values) + 1) / len(values)
    out = np.zeros(len(values), dtype=bool)
    if passed.any():
        out[order[: int(np.flatnonzero(passed)[-1]) + 1]] = True
    return out


def _dominance(ones: FloatArray, others: FloatArray) -> FloatArray:
    """For each value the share of others below it less the share above it."""
    ordered = np.sort(others)
    below = np.searchsorted(ordered, ones, side="left")
    not_above = np.searchsorted(ordered, ones, side="right")
    out: FloatArray = (below + not_above - len(others)) / len(others)
    return out


def _replicates(terms: FloatArray, blocks: int, place: int) -> FloatArray:
    """The mean of the terms, drawn block by block with replacement, REPLICATES times."""
    edges = np.linspace(0, len(terms), blocks + 1).astype(np.int64)
    means = np.add.reduceat(terms, edges[:-1]) / np.diff(edges)
    return _draws(blocks, place) @ means


@lru_cache(maxsize=64)
def _draws(blocks: int, place: int) -> FloatArray:
    """How often each block is drawn, as a share; the same at every call, so that an answer does not change."""
    random = np.random.default_rng([SEED, blocks, place])
    return random.multinomial(blocks, np.full(blocks, 1 / blocks), size=REPLICATES) / blocks


def _blocks(values: FloatArray) -> int:
    """How many stretches a sample has that are BLOCK_TIMES as long as its values stay alike."""
    return int(min(MOST_BLOCKS, len(values) // max(BLOCK_TIMES * _correlation_time(values), 1.0)))


def _correlation_time(values: FloatArray) -> float:
    """In values: 1 where each is independent of the one before. Of the ranks, which one outlier does not rule; summed
    up to the first negative pair (C. Geyer, Statistical Science 7, 1992).
    """
    ranks = np.argsort(np.argsort(values, kind="stable"), kind="stable").astype(np.float64)
    ranks -= ranks.mean()
    size = 1 << (2 * len(ranks) - 1).bit_length()
    power = np.abs(np.fft.rfft(ranks, size)) ** 2
    correlation = np.fft.irfft(power, size)[: len(ranks)]
    if correlation[0] <= 0 or values.min() == values.max():
        return 1.0
    correlation = correlation[: len(ranks) // 2 * 2] / correlation[0]
    pairs = correlation[0::2] + correlation[1::2]
    negative = np.flatnonzero(pairs < 0)
    kept = pairs[: int(negative[0])] if len(negative) else pairs
    return max(float(2 * kept.sum() - 1), 1.0)


def _thinned(values: FloatArray) -> FloatArray:
    most = int(MOST_PAIRS**0.5)
    return values if len(values) <= most else np.quantile(values, (np.arange(most) + 0.5) / most)
