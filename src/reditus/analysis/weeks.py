"""A host over weeks: which days were strained, what changed slowly, and how long there is room."""

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from uuid import UUID

import numpy as np

from reditus.analysis.hours import known_hours
from reditus.analysis.series import binned_by
from reditus.core.comparison.roles import Role, meaning_of
from reditus.core.errors import DamagedBlock
from reditus.core.measures import Measure, Resource, measure_named
from reditus.core.measures.selection import SeriesKey
from reditus.core.measures.strain import STRAIN
from reditus.core.normal.hours import DAY_HOURS, HIGH, HOUR_NS, MIDDLE
from reditus.core.slow.changes import slow_change
from reditus.core.slow.grouping import Found, Together, grouped
from reditus.core.slow.rhythm import DAYS_A_WEEK, LEAST_WEEKS, rhythm_of
from reditus.core.slow.strained import STRAINED, StrainedDays, strained_days
from reditus.core.slow.time_left import TimeLeft, time_left
from reditus.core.slow.trends import Slope, slope_of
from reditus.core.types import FloatArray
from reditus.core.window import Window
from reditus.store.read.reader import Reader

DAY_NS = DAY_HOURS * HOUR_NS
MOST_DAYS = 400
MOST_CHANGES = 40
LEAST_SEEN_S = 600.0
"""Of an hour, for its strain to be shown: the first tick of a day stands for minutes of the one before."""
LEAST_HOURS = 48
"""Of a measure, for anything to be said of how it changed."""
TREND_P = 0.05
MOST_YEARS = 2
"""Farther ahead nothing is foretold."""
LEAST_LEFT_DAYS = 4
_LIMITED: tuple[tuple[str, bool, int, str], ...] = (
    ("filesystem.use", True, MIDDLE, "full"),
    ("filesystem.inodes", True, MIDDLE, "out of inodes"),
    ("memory.available", False, MIDDLE, "out of memory"),
    ("cpu.busy", True, HIGH, "all cores busy"),
    ("net.send.rate", True, HIGH, "as much sent as the link carries"),
    ("net.receive.rate", True, HIGH, "as much received as the link carries"),
)
"""Measure, whether it rises to its limit, which of an hour's values counts, and what it is then. Of what has a rhythm
it is the busiest hours that meet the limit."""
_GROWTH: tuple[tuple[Resource, str, str], ...] = (
    (Resource.PROCESSOR, "cpu.busy", "cpu.waiting"),
    (Resource.DISK, "disk.read.requests", "disk.wait"),
    (Resource.NETWORK, "net.receive.rate", "net.tcp.resent"),
    (Resource.MEMORY, "memory.programs", "stall.memory.some"),
)
"""Of each resource what tells how much was wanted, and what how long it took."""


@dataclass(frozen=True, slots=True)
class Left:
    """How long there is room for something."""

    key: SeriesKey
    then: str
    now: float
    limit: float
    left: TimeLeft
    """In days from the end of the window."""


@dataclass(frozen=True, slots=True)
class Growth:
    """How much what was wanted of a resource grew, beside how long it took; in natural logarithms a week."""

    resource: Resource
    demand: SeriesKey
    response: SeriesKey
    demand_slope: Slope | None
    response_slope: Slope | None


@dataclass(frozen=True, slots=True)
class Part:
    """An archive of the host: where the interval changes, figures may differ for that reason alone."""

    archive: UUID
    start_ns: int
    end_ns: int
    interval_ns: int


@dataclass(frozen=True, slots=True)
class Weeks:
    """What there is to say of a host over weeks."""

    host: UUID
    host_name: str
    parts: list[Part]
    """The archives that tell of it, in the order of their beginnings."""
    window: Window
    """Whole days, in UTC."""
    strain: dict[Resource, FloatArray]
    """By the hour; NaN where nothing was recorded."""
    strained: dict[Resource, StrainedDays]
    first_hour_ns: int
    changes: list[Together]
    hours: dict[str, FloatArray]
    """The medians of each hour of those measures that changed."""
    left: list[Left]
    growth: list[Growth]
    knows_weeks: bool
    """Whether there was enough to tell a rhythm of the week from a change."""


def weeks_of(reader: Reader, window: Window, check: Callable[[], None] = lambda: None) -> Weeks:
    """Of a host's archives as one timeline."""
    window = _whole_days(reader, window)
    strain = _strain(reader, window)
    try:
        keys, values, first_ns = known_hours(reader, window)
    except DamagedBlock:
        keys, values, first_ns = [], np.zeros((0, 0, 3)), window.start_ns
    keys, values, first_ns = _cut(keys, values, first_ns, window)
    found, hours = [], {}
    for key, row in zip(keys, values, strict=True):
        check()
        meaning = meaning_of(key.measure)
        middle = row[:, MIDDLE]
        if meaning is None or int(np.sum(~np.isnan(middle))) < LEAST_HOURS:
            continue
        change = slow_change(middle, DAY_HOURS, floor=meaning.floor, is_relative=meaning.role is not Role.LEVEL)
        if change is not None and change.changed:
            found.append(Found(key, meaning, change))
            hours[key.name] = middle
    changes = grouped(found, values.shape[1])[:MOST_CHANGES]
    return Weeks(
        reader.scope.host, reader.scope.host_name, _parts(reader),
        window, strain, {resource: strained_days(row) for resource, row in strain.items()}, first_ns, changes,
        {item.lead.key.name: hours[item.lead.key.name] for item in changes}, _left(reader, keys, values),
        _growth(keys, _untroubled(values, strain, first_ns - window.start_ns)),
        values.shape[1] >= LEAST_WEEKS * DAYS_A_WEEK * DAY_HOURS,
    )  # fmt: skip


def _parts(reader: Reader) -> list[Part]:
    found = []
    for archive in reader.scope.archives:
        extent = reader.extent_of(archive)
        if extent.first_ns is not None and extent.last_ns is not None:
            found.append(Part(archive, extent.first_ns, extent.last_ns, extent.interval_ns or 0))
    return sorted(found, key=lambda part: part.start_ns)


def _whole_days(reader: Reader, window: Window) -> Window:
    first_ns, last_ns = reader.extent.first_ns, reader.extent.last_ns
    if first_ns is not None and last_ns is not None and first_ns < window.end_ns and last_ns > window.start_ns:
        # The tick at midnight is the last of its day.
        window = Window(max(window.start_ns, first_ns), max(min(window.end_ns, last_ns), first_ns + 1))
    end_ns = -(-window.end_ns // DAY_NS) * DAY_NS
    return Window(max(window.start_ns // DAY_NS * DAY_NS, end_ns - MOST_DAYS * DAY_NS), end_ns)


def _strain(reader: Reader, window: Window) -> dict[Resource, FloatArray]:
    found = binned_by(reader, [SeriesKey(measure, None) for measure in STRAIN], window, HOUR_NS)
    hours = len(found.edges_ns) - 1
    return {
        measure.resource: np.full(hours, np.nan)
        if part is None
        else np.where(part.observed_s >= LEAST_SEEN_S, part.mean, np.nan)
        for measure, part in zip(STRAIN, found.series, strict=True)
    }


def _cut(
    keys: list[SeriesKey], values: FloatArray, first_ns: int, window: Window
) -> tuple[list[SeriesKey], FloatArray, int]:
    """From the first hour that is known of anything to the last, in whole days."""
    known = np.flatnonzero(~np.isnan(values[:, :, MIDDLE]).all(axis=0)) if values.size else np.zeros(0, dtype=np.int64)
    if not len(known):
        return [], np.zeros((0, 0, 3)), window.start_ns
    first = max(int(known[0]), (window.start_ns - first_ns) // HOUR_NS) // DAY_HOURS * DAY_HOURS
    after = min(int(known[-1]) + 1, (window.end_ns - first_ns) // HOUR_NS)
    return keys, values[:, first:after], first_ns + first * HOUR_NS


def _left(reader: Reader, keys: Sequence[SeriesKey], values: FloatArray) -> list[Left]:
    found = []
    for name, rising, which, then in _LIMITED:
        measure = measure_named(name)
        for key, row in zip(keys, values, strict=True):
            if key.measure is not measure or (key.device is None and measure.per is not None and which == MIDDLE):
                continue
            limit = _limit(reader, measure, key.device)
            known = np.flatnonzero(~np.isnan(row[:, which]))
            if limit is None or len(known) < LEAST_LEFT_DAYS * DAY_HOURS:
                continue
            series, per_day = _towards(row[: int(known[-1]) + 1, which], which)
            slope = slope_of(series, per_day)
            towards = slope is not None and slope.p <= TREND_P and (slope.slope > 0) is rising
            left = time_left(series, limit, rising=rising) if towards else None
            if left is not None and left.median / per_day <= MOST_YEARS * 365:
                days = TimeLeft(left.median / per_day, left.low / per_day, left.high / per_day, left.never)
                found.append(Left(key, then, float(row[int(known[-1]), which]), limit, days))
    return sorted(found, key=lambda item: item.left.median)


def _towards(values: FloatArray, which: int) -> tuple[FloatArray, int]:
    """What moves towards a limit, and how many values a day: hours without their rhythm, or each day's busiest hour."""
    if which == MIDDLE:
        return values - rhythm_of(values, DAY_HOURS), DAY_HOURS
    whole = len(values) // DAY_HOURS * DAY_HOURS
    by_day = values[len(values) - whole :].reshape(-1, DAY_HOURS)
    seen = ~np.isnan(by_day).all(axis=1)
    highest = np.full(len(by_day), np.nan)
    highest[seen] = np.nanmax(by_day[seen], axis=1)
    # The same day of the week is as busy as it was: a working day says nothing of a Sunday.
    return highest - rhythm_of(highest, 1), 1


def _limit(reader: Reader, measure: Measure, device: str | None) -> float | None:
    facts = reader.scope.facts
    if measure.name.startswith("filesystem."):
        return 1.0
    if measure.name == "memory.available":
        return 0.0
    if measure.name == "cpu.busy":
        return float(facts.cores) if facts.cores and device is None else None
    link = facts.links.get(device) if device is not None else None
    return link.speed_bits_per_s / 8 if link is not None and link.speed_bits_per_s else None


def _untroubled(values: FloatArray, strain: dict[Resource, FloatArray], later_ns: int) -> dict[Resource, FloatArray]:
    """The hours without those in which a resource was hard pressed: an outage at the end is no growth."""
    out = {}
    for resource, row in strain.items():
        hours = np.full(values.shape[1], np.nan)
        own = row[later_ns // HOUR_NS :][: len(hours)]
        hours[: len(own)] = own
        out[resource] = np.where((np.nan_to_num(hours) >= STRAINED)[None, :, None], np.nan, values)
    return out


def _growth(keys: Sequence[SeriesKey], of_resource: dict[Resource, FloatArray]) -> list[Growth]:
    places = {key.name: at for at, key in enumerate(keys)}
    found = []
    for resource, demand, response in _GROWTH:
        if demand not in places or response not in places:
            continue
        slopes = []
        for name in (demand, response):
            meaning = meaning_of(measure_named(name))
            assert meaning is not None
            middle = of_resource[resource][places[name], :, MIDDLE]
            scaled = np.log(np.maximum(middle, 0.0) + meaning.floor)
            slope = slope_of(scaled - rhythm_of(scaled, DAY_HOURS), DAY_HOURS)
            slopes.append(None if slope is None else _a_week(slope))
        found.append(Growth(resource, keys[places[demand]], keys[places[response]], slopes[0], slopes[1]))
    return found


def _a_week(slope: Slope) -> Slope:
    hours = DAYS_A_WEEK * DAY_HOURS
    return Slope(slope.slope * hours, slope.low * hours, slope.high * hours, slope.p, slope.rising)
