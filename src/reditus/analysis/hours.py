"""Hours of measures: made from rollups as those grow, for the normal and for slow change."""

from collections.abc import Sequence
from uuid import UUID

import numpy as np

from reditus.analysis.rollups import LAG_S, from_ticks, rolled
from reditus.core.comparison.roles import Role, meaning_of
from reditus.core.facts import HostFacts
from reditus.core.measures import MEASURES, Per, measure_named
from reditus.core.measures.selection import ColumnSet, SeriesKey, available, bottom_devices
from reditus.core.normal.hours import DAY_HOURS, HOUR_NS, HOUR_S, WEEK_HOURS, WEEK_NS, WeekOfHours, hours_of, week_of
from reditus.core.rollup import levels_of
from reditus.core.types import NS_PER_S, FloatArray
from reditus.core.window import Window
from reditus.store.read.reader import Reader
from reditus.store.rollups.hours import HOURS_LEVEL_S
from reditus.store.rollups.table import RollupReach

KEPT_ROLES = {Role.RESPONSE, Role.LOSS, Role.DEMAND, Role.LEVEL, Role.MIX}
KEPT_PER = {Per.DISK, Per.INTERFACE, Per.FILESYSTEM, Per.SENSOR}
"""Devices of which hours are kept. Not of single cores: there may be hundreds, and work moves from one to the next."""
MOST_KEPT = 400
COARSE_S = (600, 1_200, 1_800, 3_600)
"""Bins of recordings whose ticks are too far apart for rollups."""
COARSEST_LEVEL_S = 1_200
"""Three bins make an hour's low, median and high; of coarser rollups the ticks are read."""
STEP_HOURS = DAY_HOURS
"""In one transaction, where there are bins of rollups; a week of coarse ticks."""


def kept_series(known: ColumnSet, facts: HostFacts) -> list[SeriesKey]:
    """The series of which hours are kept: what tells of work, of the machine and of devices that tell nothing again."""
    found = []
    for measure, devices in available(known):
        meaning = meaning_of(measure)
        if meaning is None or meaning.role not in KEPT_ROLES:
            continue
        found.append(SeriesKey(measure, None))
        if measure.per in KEPT_PER:
            found += [SeriesKey(measure, name) for name in bottom_devices(facts, measure, devices)]
    return found[:MOST_KEPT]


def grow_hours(reader: Reader, archive: UUID) -> bool:
    """Extend the archive's hours to where its rollups reach, within the reader's transaction. Return whether more is
    left.
    """
    extent = reader.extent
    if extent.first_ns is None or extent.last_ns is None or extent.interval_ns is None:
        return False
    level_s = min((level for level in levels_of(extent.interval_ns) if level <= COARSEST_LEVEL_S), default=None)
    if level_s is None:
        until_ns = extent.last_ns - max(LAG_S * NS_PER_S, 2 * reader.rollups.slowest_interval_ns(archive))
    else:
        rolled_up = reader.rollups.reach(archive, level_s)
        if rolled_up is None:
            return False
        until_ns = rolled_up.until_ns
    reach = reader.rollups.reach(archive, HOURS_LEVEL_S)
    first_ns = extent.first_ns // HOUR_NS * HOUR_NS
    step_hours = WEEK_HOURS if level_s is None else STEP_HOURS
    begin_ns = max(reach.until_ns, first_ns) if reach else first_ns
    end_ns = min(until_ns // HOUR_NS * HOUR_NS, begin_ns + step_hours * HOUR_NS, week_of(begin_ns) + WEEK_NS)
    if end_ns <= begin_ns:
        return False
    keys = kept_series(reader.known, reader.scope.facts)
    if keys and reader.contents(Window(begin_ns, end_ns))[0]:
        values = np.stack(_values(reader, keys, Window(begin_ns, end_ns), level_s, extent.interval_ns))
        week = WeekOfHours.unknown(week_of(begin_ns), len(keys))
        at = (begin_ns - week.begin_ns) // HOUR_NS
        week.values[:, at : at + values.shape[1]] = values
        reader.rollups.hours.write(archive, reader.rollups.keys_id([key.name for key in keys]), week)
    reader.rollups.save_reach(archive, HOURS_LEVEL_S, RollupReach(reach.since_ns if reach else begin_ns, end_ns))
    return end_ns < until_ns // HOUR_NS * HOUR_NS


def _values(
    reader: Reader, keys: Sequence[SeriesKey], window: Window, level_s: int | None, interval_ns: int
) -> list[FloatArray]:
    """Each series' hours, shape (hours, 3)."""
    if level_s is not None:
        bin_s, fine = level_s, rolled(reader, keys, (window.start_ns, window.end_ns), level_s)
    else:
        bin_s = next((length for length in COARSE_S if length * NS_PER_S >= interval_ns), HOUR_S)
        fine = from_ticks(reader, keys, window, bin_s)
    return [hours_of(part, HOUR_S // bin_s, bin_s) for part in fine]


def known_hours(
    reader: Reader, window: Window, names: Sequence[str] | None = None, *, of_host: bool = False
) -> tuple[list[SeriesKey], FloatArray, int]:
    """What is kept of a window: the series, their low, median and high of each hour, shape (series, hours, 3), and when
    the first hour begins. Whole weeks; with `of_host` of all the host's archives. Raise DamagedBlock.
    """
    archives = None if of_host else reader.scope.archives
    stored, weeks = reader.rollups.hours.read(archives, names, window.start_ns, window.end_ns)
    # What an older version kept may be called what no measure is called any more.
    there = [at for at, name in enumerate(stored) if name.partition("@")[0] in MEASURES]
    keys = [_key(stored[at]) for at in there]
    if not weeks:
        return keys, np.full((len(keys), 0, 3), np.nan), week_of(window.start_ns)
    first_ns = weeks[0].begin_ns
    count = (weeks[-1].begin_ns - first_ns) // WEEK_NS + 1
    values = np.full((len(keys), count * WEEK_HOURS, 3), np.nan)
    for week in weeks:
        at = (week.begin_ns - first_ns) // HOUR_NS
        values[:, at : at + WEEK_HOURS] = week.values[there]
    return keys, values, first_ns


def _key(name: str) -> SeriesKey:
    measure, _, device = name.partition("@")
    return SeriesKey(measure_named(measure), device or None)
