"""Made-up series of which it is known what changed: rhythms of day and week under noise that remembers."""

import numpy as np


def remembering(count, memory, rng):
    """Noise of deviation 1 that resembles the value before by so much."""
    steps = rng.normal(size=count) * np.sqrt(1 - memory**2)
    out = np.empty(count)
    out[0] = rng.normal()
    for at in range(1, count):
        out[at] = memory * out[at - 1] + steps[at]
    return out


def rhythmic(days, rng, memory=0.6, deviation=0.15):
    """Hours, in logarithms: busy by day, less so at weekends."""
    hours = np.arange(days * 24)
    by_day = 0.6 * np.sin(2 * np.pi * hours / 24)
    weekend = np.where(hours // 24 % 7 >= 5, -0.5, 0.0) * (1 + 0.5 * np.sin(2 * np.pi * hours / 24))
    return by_day + weekend + deviation * remembering(len(hours), memory, rng)
