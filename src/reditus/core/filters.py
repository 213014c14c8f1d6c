"""SciPy's filters over ticks. They are imported when first used: that takes a second, which no command that filters
nothing should have to wait for.
"""

from reditus.core.types import FloatArray


def load() -> None:
    """Import them before they are needed."""
    import scipy.ndimage
    import scipy.signal  # noqa: F401


def damped(values: FloatArray, kept: float, *, gain: float, state: FloatArray) -> tuple[FloatArray, FloatArray]:
    """Each output is `kept` of the one before it and `gain` times the input; and the state to go on from.

    >>> import numpy as np
    >>> damped(np.array([1.0, 1.0]), 0.5, gain=0.5, state=np.zeros(1))[0]
    array([0.5 , 0.75])
    """
    from scipy.signal import lfilter

    out, after = lfilter([gain], [1.0, -kept], values, zi=state)
    return out, after


def running_median(values: FloatArray, size: int) -> FloatArray:
    """Of so many neighbours around each value; beyond the ends their own values go on."""
    from scipy.ndimage import median_filter

    out: FloatArray = median_filter(values, size=size, mode="nearest")
    return out
