"""The state of the host at an instant: every measure at the tick that describes it."""

from collections.abc import Sequence
from dataclasses import dataclass

from reditus.analysis.series import read, series_named
from reditus.analysis.windows import around
from reditus.core.measures.processor import core_count
from reditus.core.measures.selection import SeriesKey, everything
from reditus.store.read.reader import Reader


@dataclass(frozen=True, slots=True)
class Reading:
    """One measure at the tick; NaN where the tick has no value of it."""

    key: SeriesKey
    value: float


@dataclass(frozen=True, slots=True)
class Moment:
    """All readings, and the newest tick that any of them is of; None where no tick describes the instant."""

    tick_ns: int | None
    cores: int | None
    readings: list[Reading]


def read_moment(reader: Reader, at_ns: int, names: Sequence[str] | None = None) -> Moment:
    """The measures with these names (as of `parse_series_keys`), or all that the host has. Raise UnknownMeasure."""
    keys = everything(reader.known) if names is None else tuple(series_named(reader, names))
    frame, found = read(reader, keys, around(reader, at_ns))
    readings: list[Reading] = []
    tick_ns: int | None = None
    for derived in found:
        if derived.series is None:
            continue
        at = derived.series.timebase.index_at(at_ns)
        readings.append(Reading(derived.key, float("nan") if at is None else float(derived.series.values[at])))
        if at is not None:
            tick_ns = max(tick_ns or 0, int(derived.series.timebase.wall_ns[at]))
    return Moment(tick_ns, core_count(frame) if readings else None, readings)
