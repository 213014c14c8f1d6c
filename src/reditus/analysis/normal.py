"""What is usual for a host at each hour, behind its strips and on its map, and what departs from it."""

from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace
from uuid import UUID

import numpy as np
import structlog

from reditus.analysis.diagnosis import DiagnosisResult, SpanCache, diagnose_timeline
from reditus.analysis.hours import kept_series, known_hours
from reditus.analysis.series import binned, cut_to_ticks
from reditus.core.binning import even_edges
from reditus.core.comparison.roles import Role, meaning_of
from reditus.core.diagnosis.finding import Finding
from reditus.core.errors import Cancelled, DamagedBlock
from reditus.core.measures import Resource
from reditus.core.measures.selection import SeriesKey
from reditus.core.normal.departures import departures, is_above, share_outside
from reditus.core.normal.hours import HOUR_NS, WEEK_HOURS, WEEK_NS
from reditus.core.normal.learn import Normal, learnt, left_out
from reditus.core.normal.unlike import Unusual, unlike_usual
from reditus.core.types import NS_PER_S, FloatArray, IntArray
from reditus.core.window import Window
from reditus.store.errors import DatabaseDamaged, DatabaseUnavailable
from reditus.store.read.reader import Allowance, Reader
from reditus.store.store import Store

log = structlog.get_logger()

MOST_PAST_WEEKS = 26
"""What was usual half a year ago need not be any more."""
DAILY_DAYS = 8
"""Of longer windows what is usual is learnt for each week and not for each day."""
DAY_NS = 24 * HOUR_NS
OUTSIDE_BINS = 300
DEPARTURE_S = 300
MOST_DEPARTURE_BINS = 4_000
MOST_DAYS = 62
"""Of longer windows only the last days are held against what is usual."""
UNUSUAL_ROLES = (Role.RESPONSE, Role.LOSS)
DEMANDS = {"cpu.busy", "disk.read.requests", "disk.write.requests", "net.receive.rate", "net.send.rate"}
"""By as much as any of these is above its usual median, waits and queues may be too: more work is no reason to say that
something is not as it was."""
MOST_TIMES = 16.0
"""So far above the band a cell of the map is as dark as can be."""
LEAST_STRAIN = 0.35


@dataclass(frozen=True, slots=True)
class UsualSeries:
    """What is usual for a measure over the hours of a window; None where nothing is kept of it."""

    key: SeriesKey
    normal: Normal | None
    outside: float | None
    """Share of the window that lies outside the band; None where either is not known."""


@dataclass(frozen=True, slots=True)
class Past:
    """What is kept of a host's hours, and which hours hold a finding."""

    keys: dict[str, int]
    values: FloatArray
    """Shape (series, hours, 3)."""
    first_ns: int
    incidents: dict[Resource, list[tuple[int, int]]]

    def usual(self, key: SeriesKey, window: Window) -> Normal | None:
        """Of each hour that touches the window, learnt from what came before its day; None where nothing is kept."""
        at = self.keys.get(key.name)
        meaning = meaning_of(key.measure)
        if at is None or meaning is None or not self.values.shape[1]:
            return None
        hours = hours_of_window(window)
        parts: list[Normal] = []
        step_ns = DAY_NS if window.end_ns - window.start_ns <= DAILY_DAYS * DAY_NS else WEEK_NS
        begin_ns = int(hours[0])
        while begin_ns <= hours[-1]:
            end_ns = min(self._next(begin_ns, step_ns), int(hours[-1]) + HOUR_NS)
            parts.append(self._learnt(self.values[at], key.measure.resource, meaning.floor, (begin_ns, end_ns)))
            begin_ns = end_ns
        return Normal.joined(parts)

    def _next(self, at_ns: int, step_ns: int) -> int:
        return (at_ns - self.first_ns) // step_ns * step_ns + step_ns + self.first_ns

    def _learnt(self, values: FloatArray, resource: Resource, floor: float, hours_ns: tuple[int, int]) -> Normal:
        """Of the hours between two times, of one day or week, learnt from what came before it."""
        begin_ns, end_ns = hours_ns
        before = min(max((begin_ns - self.first_ns) // HOUR_NS, 0), len(values))
        weeks = -(-before // WEEK_HOURS)
        first = max(weeks - MOST_PAST_WEEKS, 0)
        past = values[first * WEEK_HOURS : weeks * WEEK_HOURS].reshape(-1, WEEK_HOURS, 3).copy()
        past.reshape(-1, 3)[before - first * WEEK_HOURS :] = np.nan
        begins_ns = self.first_ns + (np.arange(first, weeks) * WEEK_NS)
        past[left_out(past.shape[:2], begins_ns, self.incidents.get(resource, []), HOUR_NS)] = np.nan
        # Of a week at most: an hour of the week stands for itself.
        places = (np.arange(begin_ns, end_ns, HOUR_NS) - self.first_ns) // HOUR_NS % WEEK_HOURS
        return learnt(past, floor).at(places)


def hours_of_window(window: Window) -> IntArray:
    """The beginnings of the hours that touch a window."""
    return np.arange(window.start_ns // HOUR_NS * HOUR_NS, window.end_ns, HOUR_NS)


def past_of(reader: Reader, window: Window, names: Sequence[str], incidents: Sequence[Finding]) -> Past:
    """What is kept of the host's hours before and within a window. Damaged hours are as good as none."""
    begin_ns = window.start_ns - MOST_PAST_WEEKS * WEEK_NS
    try:
        keys, values, first_ns = known_hours(reader, Window(begin_ns, window.end_ns), names, of_host=True)
    except DamagedBlock:
        keys, values, first_ns = [], np.zeros((0, 0, 3)), 0
    of_resource: dict[Resource, list[tuple[int, int]]] = {}
    for finding in incidents:
        times = finding.occurrences or (finding,)
        of_resource.setdefault(finding.resource, []).extend((item.start_ns, item.end_ns) for item in times)
    return Past({key.name: at for at, key in enumerate(keys)}, values, first_ns, of_resource)


def usual_series(
    reader: Reader, keys: Sequence[SeriesKey], window: Window, incidents: Sequence[Finding]
) -> list[UsualSeries]:
    """What is usual for measures over a window, and how much of it was not."""
    past = past_of(reader, window, [key.name for key in keys], incidents)
    usual = [past.usual(key, window) for key in keys]
    shown = [key for key, normal in zip(keys, usual, strict=True) if normal is not None]
    if not shown:
        return [UsualSeries(key, None, None) for key in keys]
    found = binned(reader, shown, window, OUTSIDE_BINS)
    places = _places(found.edges_ns, window)
    stats = dict(zip((key.name for key in shown), found.series, strict=True))
    out = []
    for key, normal in zip(keys, usual, strict=True):
        part = stats.get(key.name)
        outside = None
        if normal is not None and part is not None:
            outside = share_outside(part.mean, normal.low[places], normal.high[places])
        out.append(UsualSeries(key, normal, outside))
    return out


@dataclass(frozen=True, slots=True)
class UnusualMap:
    """How far beyond its band anything was, per bin: 0 to 1, NaN where nothing is known; and what it was."""

    edges_ns: IntArray
    strain: FloatArray
    most: list[SeriesKey | None]


def unusual_map(reader: Reader, window: Window, width: int, incidents: Sequence[Finding]) -> UnusualMap:
    """What waited, queued or was held up beyond what is usual, over a window."""
    held = _held(reader, _last_days(window), width, incidents)
    bins = len(held.edges_ns) - 1
    strain, most = np.full(bins, np.nan), np.full(bins, -1)
    for at, row in enumerate(held.rows):
        known = ~np.isnan(row.values) & ~np.isnan(row.high)
        above = is_above(row.values, row.middle, row.high, row.floor)
        times = np.where(above, row.values / np.maximum(row.high, row.floor), 1.0)
        dark = LEAST_STRAIN + (1 - LEAST_STRAIN) * np.log(np.maximum(times, 1)) / np.log(MOST_TIMES)
        own = np.where(above, np.minimum(dark, 1.0), 0.0)
        more = known & (np.isnan(strain) | (own > strain))
        strain[more], most[more & (own > 0)] = own[more], at
    return UnusualMap(held.edges_ns, strain, [held.rows[at].key if at >= 0 else None for at in most.tolist()])


def with_unusual(
    reader: Reader, result: DiagnosisResult, elsewhere: Sequence[Finding], memory: SpanCache
) -> DiagnosisResult:
    """A diagnosis, and what was unlike usual besides. `elsewhere` is what was found in other archives of the host."""
    window = result.diagnosis.window
    contents = reader.contents(cut_to_ticks(reader, window))
    kept = reader.rollups.hours.fingerprint()
    key = (
        "usual",
        reader.scope.host,
        reader.scope.archives,
        window,
        kept,
        contents,
        tuple(item.id for item in elsewhere),
    )
    if (known := memory.result(key)) is not None:
        return known
    found = _with_unusual(reader, result, [*elsewhere, *incidents_of(reader, memory)])
    memory.put_result(key, found)
    return found


def _with_unusual(reader: Reader, result: DiagnosisResult, incidents: Sequence[Finding]) -> DiagnosisResult:
    window = _last_days(cut_to_ticks(reader, result.diagnosis.window))
    width = min(max((window.end_ns - window.start_ns) // (DEPARTURE_S * NS_PER_S), 1), MOST_DEPARTURE_BINS)
    held = _held(reader, window, int(width), incidents)
    bin_s = float(held.edges_ns[1] - held.edges_ns[0]) / NS_PER_S
    unusual = [
        Unusual(row.key, found, bin_s, *row.rests_on(found.start_ns), row.floor)
        for row in held.rows
        for found in departures(held.edges_ns, row.values, row.middle, row.high, row.floor)
    ]
    more = unlike_usual(unusual, result.diagnosis.findings)
    if not more:
        return result
    findings = (*result.diagnosis.findings, *more)
    return DiagnosisResult(replace(result.diagnosis, findings=findings), result.processes)


def incidents_elsewhere(
    store: Store, timeline: UUID, memory: SpanCache, check: Callable[[], None], allowance: Allowance | None
) -> list[Finding]:
    """What was found in the other archives of the same host that began before. One that cannot be read or judged is
    logged, and nothing is left out for it: this one's answer does not depend on it.
    """
    every = store.archives.all()
    own = next((archive for archive in every if archive.id == timeline), None)
    if own is None or own.first_ns is None:
        return []
    found: list[Finding] = []
    for other in every:
        if other.host.id != own.host.id or other.deleted_ns is not None or other.trouble is not None:
            continue
        if other.first_ns is not None and other.first_ns < own.first_ns:
            try:
                with store.reading(other.id, check, allowance) as reader:
                    found += incidents_of(reader, memory)
            except Cancelled:
                raise
            except DatabaseDamaged as why:
                log.warning("an archive of the past cannot be judged", archive=str(other.id), reason=str(why))
            except DatabaseUnavailable:
                raise
            except Exception as why:
                log.warning("an archive of the past cannot be judged", archive=str(other.id), exc_info=why)
    return found


def incidents_of(reader: Reader, memory: SpanCache) -> list[Finding]:
    """What was found over all of a timeline; it is left out of what is usual."""
    extent = reader.extent
    if extent.first_ns is None or extent.last_ns is None:
        return []
    window = Window(extent.first_ns, extent.last_ns + 1)
    return list(diagnose_timeline(reader, window, memory).diagnosis.findings)


@dataclass(frozen=True, slots=True)
class _Row:
    """A response measure over bins, less what more work explains, beside its band."""

    key: SeriesKey
    floor: float
    values: FloatArray
    middle: FloatArray
    high: FloatArray
    normal: Normal
    first_hour_ns: int

    def rests_on(self, at_ns: int) -> tuple[int, int]:
        """On how many weeks, or else days, its band rests at a time."""
        at = min(max((at_ns - self.first_hour_ns) // HOUR_NS, 0), len(self.normal.weeks) - 1)
        return int(self.normal.weeks[at]), int(self.normal.days[at])


@dataclass(frozen=True, slots=True)
class _Held:
    edges_ns: IntArray
    rows: list[_Row]


def _held(reader: Reader, window: Window, width: int, incidents: Sequence[Finding]) -> _Held:
    """What tells how long work took or what failed, of which there is a past, beside its band."""
    kept = kept_series(reader.known, reader.scope.facts)
    demands = [key for key in kept if key.device is None and key.measure.name in DEMANDS]
    responses = [key for key in kept if _is_response(key)]
    past = past_of(reader, window, [key.name for key in (*demands, *responses)], incidents)
    keys = [key for key in (*demands, *responses) if key.name in past.keys]
    if not keys or not past.values.shape[1]:
        return _Held(even_edges(window.start_ns, window.end_ns, window.end_ns - window.start_ns), [])
    found = binned(reader, keys, window, width)
    places, first_ns = _places(found.edges_ns, window), int(hours_of_window(window)[0])
    more_work = np.ones(len(found.edges_ns) - 1)
    rows = []
    for key, part in zip(keys, found.series, strict=True):
        normal, meaning = past.usual(key, window), meaning_of(key.measure)
        if normal is None or part is None or meaning is None:
            continue
        middle = normal.middle[places]
        if key in demands:
            grown = part.mean / np.maximum(middle, meaning.floor)
            more_work = np.fmax(more_work, grown)
            continue
        rows.append(_Row(key, meaning.floor, part.mean / more_work, middle, normal.high[places], normal, first_ns))
    return _Held(found.edges_ns, rows)


def _last_days(window: Window) -> Window:
    return Window(max(window.start_ns, window.end_ns - MOST_DAYS * DAY_NS), window.end_ns)


def _is_response(key: SeriesKey) -> bool:
    meaning = meaning_of(key.measure)
    return meaning is not None and meaning.role in UNUSUAL_ROLES


def _places(edges_ns: IntArray, window: Window) -> IntArray:
    """The hour of the window that each bin's middle lies in."""
    hours = hours_of_window(window)
    middle_ns = edges_ns[:-1] + np.diff(edges_ns) // 2
    places: IntArray = np.clip((middle_ns - hours[0]) // HOUR_NS, 0, len(hours) - 1)
    return places
