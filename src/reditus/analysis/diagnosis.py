"""Judge a timeline: short ones at once, long ones span by span, each of which is remembered until its ticks change."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from threading import Lock

import numpy as np
from cachetools import LRUCache

from reditus.analysis.hours import known_hours
from reditus.analysis.rollups import rolled
from reditus.analysis.series import cut_to_ticks
from reditus.core.binning import BinStats, even_edges
from reditus.core.counters import MOUNT
from reditus.core.diagnosis import diagnose, needed_measures
from reditus.core.diagnosis.contributors import NamedContributors, contributors_to, is_attributed, named_contributors
from reditus.core.diagnosis.engine import diagnose_spans, judge, measures_of_recording
from reditus.core.diagnosis.finding import Diagnosis, Finding, Occurrence
from reditus.core.diagnosis.growth import FILESYSTEMS
from reditus.core.diagnosis.inputs import Readings, WholeReadings
from reditus.core.diagnosis.spans import MARGIN_TICKS, SPAN_TICKS, RuleOutput, spans_of, with_margin
from reditus.core.errors import DamagedBlock
from reditus.core.frame import Series, Timebase
from reditus.core.measures import measure_named
from reditus.core.measures.selection import SeriesKey, StoredColumn, devices_of, needed_columns
from reditus.core.normal.hours import HOUR_NS, MIDDLE, WEEK_NS
from reditus.core.processes import GROUP
from reditus.core.timeline import merged
from reditus.core.types import NS_PER_S
from reditus.core.window import Window
from reditus.store.read.reader import Reader

WHOLE_LEVEL_S, LONG_LEVEL_S = 60, 3_600
LONG_S = 40 * 86_400
"""Of longer recordings an hour is one value of the whole."""
LONG_TICKS = 2 * SPAN_TICKS
"""Recordings of up to so many ticks are judged in one piece."""
LEAST_SPAN_TICKS = 1_800
"""Of hosts with very many columns. Less would be mostly margin."""
CACHED_SPANS = 256
CACHED_RESULTS = 64
MOST_ATTRIBUTED = 12
ATTRIBUTED_TICKS = 3_600
"""Processes are looked at over so much of a finding, from its beginning."""

ATTRIBUTED_LEAK_TICKS = 40_000
"""A leak shows over all of its time; of a longer one only the beginning is looked at."""

PAST_WEEKS, LEAST_PAST_HOURS = 8, 14 * 24
"""The weeks before a recording count from two on, and for two months."""

_Key = tuple[object, ...]
_Past = Mapping[tuple[str, str | None], Series]


@dataclass(frozen=True, slots=True)
class DiagnosisResult:
    """A diagnosis, and by finding who took part in it, with their names where those are known."""

    diagnosis: Diagnosis
    processes: dict[str, NamedContributors]


class SpanCache:
    """What was judged of spans, by what they consist of: a bounded LRU cache. Safe from several threads."""

    def __init__(self) -> None:
        self._results = LRUCache[_Key, DiagnosisResult](CACHED_RESULTS)
        self._spans = LRUCache[_Key, RuleOutput](CACHED_SPANS)
        self._lock = Lock()

    def get(self, key: _Key) -> RuleOutput | None:
        """What was judged of a span with these contents, if it is still cached."""
        with self._lock:
            return self._spans.get(key)

    def result(self, key: _Key) -> DiagnosisResult | None:
        """What was found in a window with these contents, if it is still cached."""
        with self._lock:
            return self._results.get(key)

    def put_result(self, key: _Key, result: DiagnosisResult) -> None:
        """Cache what was found in a window."""
        with self._lock:
            self._results[key] = result

    def put(self, key: _Key, output: RuleOutput) -> None:
        """Cache what was judged of a span."""
        with self._lock:
            self._spans[key] = output


def diagnose_timeline(reader: Reader, window: Window, memory: SpanCache) -> DiagnosisResult:
    """What ran out in a window of a timeline, and who took part. No more is read at once than the reader may, but for a
    span that cannot be made any shorter.
    """
    interval_ns = reader.extent.interval_ns or NS_PER_S
    wanted = tuple(SeriesKey(measure, None) for measure in needed_measures())
    columns = needed_columns(reader.known, wanted)
    inner = cut_to_ticks(reader, window)
    most_ticks = reader.most_ticks(len(columns))
    past = _past(reader, inner)
    of_past = _rough_waits(past or {})
    key = (reader.scope.host, reader.scope.archives, window, most_ticks, reader.contents(inner), of_past)
    if (known := memory.result(key)) is not None:
        return known
    if (inner.end_ns - inner.start_ns) / interval_ns <= min(LONG_TICKS, most_ticks):
        frame = reader.frame(columns, inner)
        reader.check()
        diagnosis = diagnose(frame, window, past=past)
    else:
        span_ticks = min(SPAN_TICKS, max(most_ticks - 2 * MARGIN_TICKS, LEAST_SPAN_TICKS))
        diagnosis = _long(reader, inner, window, interval_ns, span_ticks, columns, memory, past)
    result = DiagnosisResult(diagnosis, _attributed(reader, diagnosis, interval_ns))
    memory.put_result(key, result)
    return result


def _long(
    reader: Reader, inner: Window, window: Window, interval_ns: int, span_ticks: int,
    columns: tuple[StoredColumn, ...], memory: SpanCache, past: _Past | None,
) -> Diagnosis:  # fmt: skip
    # Only where there are ticks: recordings may lie years apart.
    islands = reader.islands(inner, span_ticks * interval_ns)
    whole = _whole(reader, islands or [inner], inner)
    normals = (*_fingerprint(whole), _rough_waits(past or {}))
    spans = []
    for island in islands:
        for span in spans_of(island, interval_ns, span_ticks):
            reader.check()
            around = with_margin(span, interval_ns)
            key = (reader.scope.host, reader.scope.archives, span, normals, reader.contents(around))
            judged = memory.get(key)
            if judged is None:
                judged = judge(Readings(reader.frame(columns, around), whole.whole, past))
                memory.put(key, judged)
            spans.append(judged)
    return diagnose_spans(spans, whole, window, interval_ns)


def _whole(reader: Reader, islands: Sequence[Window], inner: Window) -> WholeReadings:
    """The measures that tell of all of a recording, from rollups where those have been made."""
    seen_ns = sum(island.end_ns - island.start_ns for island in islands)
    level_s = LONG_LEVEL_S if seen_ns > LONG_S * NS_PER_S else WHOLE_LEVEL_S
    level_ns = level_s * NS_PER_S
    requested = [
        SeriesKey(measure_named(name), device)
        for name in measures_of_recording()
        for device in [None, *devices_of(reader.known, measure_named(name))]
        # Of cores only the machine is wanted: there may be many.
        if device is None or name.startswith("disk.")
    ]
    # Islands may share a bin.
    stretches = merged(
        (item.start_ns // level_ns * level_ns, -(-item.end_ns // level_ns) * level_ns) for item in islands
    )
    parts = [(edges_ns, rolled(reader, requested, edges_ns, level_s)) for edges_ns in stretches]
    base = _timebase(stretches, level_ns)
    spaces = [
        item for item in reader.known if item.column.attribute(MOUNT) is not None and item.column.counter in FILESYSTEMS
    ]
    frame = reader.frame(spaces, inner)
    together = [
        parts[0][1][at] if len(parts) == 1 else BinStats.concatenated([part[at] for _, part in parts])
        for at in range(len(requested))
    ]
    return WholeReadings(
        frame,
        {
            (request.measure.name, request.device): sampled
            for request, part in zip(requested, together, strict=True)
            if (sampled := _sampled(part, base)) is not None
        },
    )


def _timebase(stretches: Sequence[tuple[int, int]], level_ns: int) -> Timebase:
    ends_ns = np.concatenate([even_edges(begin_ns + level_ns, end_ns, level_ns) for begin_ns, end_ns in stretches])
    return Timebase(ends_ns, ends_ns, np.zeros(len(ends_ns), dtype=np.int64), np.full(len(ends_ns), level_ns))


def _sampled(part: BinStats, base: Timebase) -> Series | None:
    """The bins in which anything was observed, as ticks."""
    seen = part.observed_s > 0
    if not seen.any():
        return None
    if seen.all():
        return Series(base, part.mean)
    return Series(
        Timebase(base.wall_ns[seen], base.monotonic_ns[seen], base.epoch[seen], base.interval_ns[seen]), part.mean[seen]
    )


def _fingerprint(whole: WholeReadings) -> _Key:
    """What the whole tells a span, roughly: a normal that moves by a few per cent changes no judgement
    worth telling.
    """
    assert whole.whole is not None
    return _rough_waits(whole.whole)


def _past(reader: Reader, inner: Window) -> _Past | None:
    """The hours of the host's disks in the weeks before a window; None where there are too few, or they are damaged."""
    names = [
        SeriesKey(measure_named(name), device).name
        for name in measures_of_recording()
        if name.startswith("disk.")
        for device in devices_of(reader.known, measure_named(name))
    ]
    before = Window(inner.start_ns - PAST_WEEKS * WEEK_NS, inner.start_ns)
    try:
        keys, values, first_ns = known_hours(reader, before, names, of_host=True)
    except DamagedBlock:
        return None
    ends_ns = first_ns + HOUR_NS * np.arange(1, values.shape[1] + 1)
    kept = ends_ns <= inner.start_ns
    base = Timebase(
        ends_ns[kept], ends_ns[kept], np.zeros(int(kept.sum()), dtype=np.int64), np.full(int(kept.sum()), HOUR_NS)
    )
    known = ~np.isnan(values[:, kept, MIDDLE])
    if not len(keys) or int(known.any(axis=0).sum()) < LEAST_PAST_HOURS:
        return None
    return {
        (key.measure.name, key.device): Series(base, row[kept, MIDDLE]) for key, row in zip(keys, values, strict=True)
    }


def _rough_waits(readings: Mapping[tuple[str, str | None], Series]) -> _Key:
    """What the normals of disks are, roughly."""
    waits = sorted(
        (device or "", item.values)
        for (name, device), item in readings.items()
        if name == "disk.wait" and device and not np.isnan(item.values).all()
    )
    return tuple(
        (name, round(4 * float(np.log2(max(np.nanquantile(values, 0.2), 1e-6))))) for name, values in waits
    )  # fmt: skip


def _attributed(reader: Reader, diagnosis: Diagnosis, interval_ns: int) -> dict[str, NamedContributors]:
    columns = [item for item in reader.known if item.group == GROUP]
    requested = [finding for finding in diagnosis.findings if is_attributed(finding.kind)][:MOST_ATTRIBUTED]
    if not columns:
        return {}
    return {item.id: _contributors(reader, columns, item, interval_ns) for item in requested}


def _contributors(reader: Reader, columns: list[StoredColumn], finding: Finding, interval_ns: int) -> NamedContributors:
    reader.check()
    # Of what came several times, the longest.
    times = finding.occurrences or (Occurrence(finding.start_ns, finding.end_ns),)
    longest = max(times, key=lambda item: item.end_ns - item.start_ns)
    finding = replace(finding, start_ns=longest.start_ns, end_ns=longest.end_ns)
    ticks = min(ATTRIBUTED_TICKS, reader.most_ticks(len(columns)) // 2)
    end_ns = min(finding.end_ns, finding.start_ns + ticks * interval_ns)
    if finding.kind == "memory.leak" and (finding.end_ns - finding.start_ns) / interval_ns <= ATTRIBUTED_LEAK_TICKS:
        end_ns = finding.end_ns
    frame = reader.frame(columns, Window(finding.start_ns, end_ns))
    found = contributors_to(frame, finding)
    names = reader.identities(
        finding.start_ns + (end_ns - finding.start_ns) // 2, [(match.pid, match.start) for match in found.processes]
    )
    return named_contributors(found, {key: item.name for key, item in names.items()})
