"""When a level reaches a limit, with an interval that covers the truth as often as it says.

The level is a line plus a random walk (files come and go, and what was written stays) plus noise that does not stay.
How much of each is not known beforehand: every share of walk and noise is weighed by its restricted likelihood
(D. Harville, J. American Statistical Association 72, 1977), so that what is uncertain about it widens the interval.
First passage of a walk with a drift: the inverse Gaussian distribution (M. Tweedie, Annals of Mathematical Statistics
28, 1957).
"""

from dataclasses import dataclass

import numpy as np
from scipy.linalg import cho_factor, cho_solve

from reditus.core.types import FloatArray, IntArray

MOST_VALUES, LEAST_VALUES = 96, 8
SHARES = (0.0, 0.05, 0.1, 0.2, 0.35, 0.5, 0.65, 0.8, 0.9, 0.95, 0.98, 0.99, 0.999, 1.0)
"""Of the walk's variance at the end, beside the noise's; each as likely beforehand. Measured (benchmarks.weeks): of 90
in a hundred that it says, walks and walks with noise come to 81 to 89; lines with nothing but noise to 98 to 100, for
it is never sure that nothing walks."""
DRAWS = 4_000
SURE = 0.9
SEED = 20_261_129


@dataclass(frozen=True, slots=True)
class TimeLeft:
    """From the last value until the limit, in values; infinite where it may never be reached."""

    median: float
    low: float
    high: float
    """Between these it is reached, as sure as SURE."""
    never: float
    """0 to 1: how likely it is not reached at all."""


def time_left(values: FloatArray, limit: float, *, rising: bool = True) -> TimeLeft | None:
    """Until the limit is reached from below, or from above where not `rising`. Of evenly spaced values without a
    rhythm, NaN where unknown; None for too few, or where as likely as not the limit is never reached. Of many values
    means of neighbours stand for them.
    """
    together = -(-len(values) // MOST_VALUES)
    whole = -(-len(values) // together) * together
    # From the end, so that the last value has a part in it.
    padded = np.concatenate([np.full(whole - len(values), np.nan), values]).reshape(-1, together)
    seen = np.flatnonzero(~np.isnan(padded).all(axis=1))
    if len(seen) < LEAST_VALUES:
        return None
    known = np.nanmean(padded[seen], axis=1)
    scale = float(np.std(known)) or 1.0
    way = 1.0 if rising else -1.0
    drawn = _drawn(seen, together, way * (known - known[-1]) / scale, way * (limit - known[-1]) / scale)
    never = float(np.mean(np.isinf(drawn)))
    if never > 0.5:
        return None
    low, median, high = (float(np.quantile(drawn, q, method="higher")) for q in (0.5 - SURE / 2, 0.5, 0.5 + SURE / 2))
    return TimeLeft(median, low, high, never)


def _drawn(blocks: IntArray, together: int, values: FloatArray, limit: float) -> FloatArray:
    """Times from the last value until the limit, as likely as the means of so many neighbours each make them."""
    rng = np.random.default_rng(SEED)
    begin = (blocks - blocks[0]) * float(together)
    middle = begin + (together + 1) / 2
    # A walk's mean over neighbours varies less than the walk, and moves along with the next one's.
    walk = np.minimum.outer(middle, middle)
    np.fill_diagonal(walk, begin + (together + 1) * (2 * together + 1) / (6 * together))
    end = begin[-1] + together
    last = np.append(middle, end)
    design = np.stack([np.ones(len(values)), middle - end], axis=1)
    fits = [_Fit(design, values, share, walk / end, last / end, 1 / end) for share in SHARES]
    likely = np.array([fit.likelihood for fit in fits])
    weights = np.exp(likely - likely.max())
    draws = rng.multinomial(DRAWS, weights / weights.sum())
    return np.concatenate([fit.passages(limit, n, rng) for fit, n in zip(fits, draws.tolist(), strict=True) if n])


class _Fit:
    """A line through the values, for one share of walk and noise."""

    def __init__(
        self, design: FloatArray, values: FloatArray, share: float, walk: FloatArray, last: FloatArray, step: float
    ) -> None:
        """`walk` is the covariance of a walk's values, `last` that of each, and of the walk now, with the walk now;
        `step` the variance of one step.
        """
        count = len(values)
        self._step = share * step
        # So little noise that a pure walk can be inverted.
        covariance = share * walk + max(1 - share, 1e-9) * np.eye(count)
        factor = cho_factor(covariance, lower=True)
        weighed = cho_solve(factor, design)
        self._inner = np.linalg.inv(design.T @ weighed)
        self._line = self._inner @ (weighed.T @ values)
        left = values - design @ self._line
        solved = cho_solve(factor, left)
        self._free = count - 2
        self._variance = float(left @ solved) / self._free
        spread = 2 * float(np.log(np.diag(factor[0])).sum())
        self.likelihood = -0.5 * (
            self._free * np.log(max(self._variance, 1e-300)) + spread - np.linalg.slogdet(self._inner)[1]
        )
        # Where the walk stands at the last value, given the line.
        now = share * last[:-1]
        of_now = cho_solve(factor, now)
        self._stands = float(of_now @ left)
        self._moves = weighed.T @ now
        self._stands_variance = max(float(share * last[-1] - now @ of_now), 0.0)

    def passages(self, limit: float, draws: int, rng: np.random.Generator) -> FloatArray:
        """Some times until the limit."""
        variances = self._variance * self._free / rng.chisquare(self._free, draws)
        deviations = rng.standard_normal((draws, 2)) @ np.linalg.cholesky(self._inner).T * np.sqrt(variances)[:, None]
        slopes = self._line[1] + deviations[:, 1]
        stands = self._stands - deviations @ self._moves
        stands += rng.standard_normal(draws) * np.sqrt(self._stands_variance * variances)
        left = limit - (self._line[0] + deviations[:, 0] + stands)
        walks = np.sqrt(self._step * variances)
        out = np.full(draws, np.inf)
        is_steady = walks <= 1e-9 * np.abs(slopes)
        with np.errstate(divide="ignore", invalid="ignore", over="ignore"):
            straight = is_steady & (slopes > 0)
            out[straight] = left[straight] / slopes[straight]
            # Against its drift a walk reaches the limit only sometimes.
            reaches = ~is_steady & (left > 0)
            odds = np.where(slopes < 0, np.exp(2 * slopes * left / np.maximum(walks, 1e-300) ** 2), 1.0)
            reaches &= rng.random(draws) < odds
            mean, shape = left / np.maximum(np.abs(slopes), 1e-12), (left / np.maximum(walks, 1e-300)) ** 2
            out[reaches] = rng.wald(mean[reaches], shape[reaches])
        out[left <= 0] = 0.0
        return out
