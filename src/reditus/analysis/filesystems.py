"""How full each filesystem is at the end of a window, how it grew within it, and until when there is room."""

from dataclasses import dataclass

import numpy as np

from reditus.analysis.series import binned
from reditus.core.diagnosis.trend import trend_of
from reditus.core.measures import measure_named
from reditus.core.measures.selection import SeriesKey, devices_of
from reditus.core.types import NS_PER_S, FloatArray
from reditus.core.window import Window
from reditus.store.read.reader import Reader

BINS = 240
LEAST_Z, LEAST_RISING = 3.0, 0.6
"""A trend is one where far more pairs of values rise than chance would have it."""
MEASURES = ("filesystem.used", "filesystem.free", "filesystem.inodes")


@dataclass(frozen=True, slots=True)
class FilesystemState:
    """One mount; NaN where something is not known."""

    mount: str
    used_bytes: float
    free_bytes: float
    """What programs without special rights can still write."""
    inodes: float
    """Share of them that is taken."""
    growth_bytes_per_s: float
    """By the trend of the window; NaN where there is none."""
    full_in_s: float
    """At that rate, from the end of the window; NaN where it does not grow."""


def filesystems(reader: Reader, window: Window) -> list[FilesystemState]:
    """Every mount that was recorded, in natural order."""
    mounts = devices_of(reader.known, measure_named("filesystem.used"))
    keys = [SeriesKey(measure_named(name), mount) for mount in mounts for name in MEASURES]
    if not keys:
        return []
    found = binned(reader, keys, window, BINS)
    at_s = (found.edges_ns[:-1] - found.edges_ns[0]) / NS_PER_S
    means = [np.full(len(at_s), np.nan) if part is None else part.mean for part in found.series]
    return [
        _state(mount, at_s, *means[place * len(MEASURES) : (place + 1) * len(MEASURES)])
        for place, mount in enumerate(mounts)
    ]


def _state(mount: str, at_s: FloatArray, used: FloatArray, free: FloatArray, inodes: FloatArray) -> FilesystemState:
    trend = trend_of(at_s, used)
    is_trend = abs(trend.z) >= LEAST_Z and abs(trend.rising) >= LEAST_RISING
    growth = trend.slope if is_trend else float("nan")
    left = _last(free)
    return FilesystemState(
        mount, _last(used), left, _last(inodes), growth, left / growth if growth > 0 else float("nan")
    )


def _last(values: FloatArray) -> float:
    known = values[~np.isnan(values)]
    return float(known[-1]) if len(known) else float("nan")
