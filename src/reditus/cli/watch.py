"""Measures as columns of text, of this machine or of the past, in the same form."""

import threading
from collections.abc import Iterator, Sequence
from datetime import UTC, datetime
from itertools import islice
from typing import Any

import numpy as np

from reditus.cli.markers import labelled
from reditus.core.errors import UnknownCounter
from reditus.core.frame import BlockSlice, Frame
from reditus.core.frame_builder import assemble
from reditus.core.measures import Measure, measure_named
from reditus.core.measures.raw import is_counter
from reditus.core.measures.selection import ColumnSet, StoredColumn, parse_series_keys
from reditus.core.types import NS_PER_MS
from reditus.recorder.host import boot_id, host_facts
from reditus.recorder.sampler import Reading, Sampler
from reditus.recorder.schedule import Schedule
from reditus.recorder.sources import SOURCES

WIDTH = 14


def live_lines(names: Sequence[str], interval_ns: int, count: int | None) -> Iterator[str]:
    """Read this machine's counters here and now; a line per interval, the first after one interval.

    Raise UnknownMeasure for a name that is none.
    """
    for name in names:
        measure_named(name if is_counter(name) else name.partition("@")[0])
    # Everything at every tick: the values are watched live.
    sampler = Sampler(interval_ns=interval_ns, every_ns={source.group: interval_ns for source in SOURCES})
    try:
        yield from islice(_with_heads(_live_rows(sampler, names, interval_ns)), None if count is None else count + 1)
    finally:
        sampler.close()


def past_lines(series_set: dict[str, Any], count: int | None, names: dict[str, dict[str, str]]) -> Iterator[str]:
    """The API's series in the same form. Series of other times than the first one's are reported by the nearest of
    theirs.
    """
    series = series_set["series"]
    titles = [
        _title(sery["measure"], labelled(names, sery["measure"], sery["device"]), sery["unit"]) for sery in series
    ]
    present = next((sery for sery in series if not sery["missing"]), None)
    times = np.array(series_set["times_ms"][present["times"]] if present else [])
    columns = [_on(times, np.array(series_set["times_ms"][sery["times"]]), sery) for sery in series]
    rows = [(float(at), titles, [column[index] for column in columns]) for index, at in enumerate(times)]
    return islice(_with_heads(iter(rows)), None if count is None else count + 1)


Row = tuple[float, list[str], list[float | None]]


def _on(times: "np.ndarray[Any, Any]", own: "np.ndarray[Any, Any]", series: dict[str, Any]) -> list[float | None]:
    if series["missing"] or not len(own):
        return [None] * len(times)
    places = np.clip(np.searchsorted(own, times - 500), 0, len(own) - 1)
    return [series["mean"][place] for place in places]


def _live_rows(sampler: Sampler, names: Sequence[str], interval_ns: int) -> Iterator[Row]:
    facts, boot = host_facts(), boot_id().bytes
    before: list[Reading] | None = None
    for _ in Schedule(interval_ns, threading.Event()):
        now = sampler.tick()
        if before is not None:
            frame = Frame(assemble(_pieces([before, now], boot, interval_ns)), facts)
            known = _columns_of(frame)
            wanted = [found for name in names for found in parse_series_keys(name, known)]
            titles = [_title(key.measure.name, key.device, key.measure.unit.value) for key in wanted]
            yield now[0].wall_ns / NS_PER_MS, titles, [_last(frame, key.measure, key.device) for key in wanted]
        before = now


def _pieces(ticks: list[list[Reading]], boot: bytes, interval_ns: int) -> Iterator[BlockSlice]:
    for tick in ticks:
        for reading in tick:
            yield BlockSlice(
                reading.group,
                boot,
                interval_ns,
                np.array([reading.wall_ns]),
                np.array([reading.monotonic_ns]),
                dict(zip(reading.columns, reading.values.reshape(-1, 1), strict=True)),
            )


def _columns_of(frame: Frame) -> ColumnSet:
    return ColumnSet(
        [
            StoredColumn(0, group.name, position, column)
            for group in frame.groups
            for position, column in enumerate(group.series)
        ]
    )


def _last(frame: Frame, measure: Measure, device: str | None) -> float | None:
    try:
        value = float(measure.derive(frame, device).values[-1])
    except UnknownCounter:
        return None
    return None if np.isnan(value) else value


def _title(measure: str, device: str | None, unit: str) -> str:
    return f"{measure}{'@' + device if device else ''} {unit}"


def _with_heads(rows: Iterator[Row]) -> Iterator[str]:
    """Column heads first, and again when the columns change; then a line a row."""
    shown: list[str] = []
    for at_ms, titles, values in rows:
        widths = [max(WIDTH, len(title)) for title in titles]
        if titles != shown:
            shown = titles
            yield f"{'time (UTC)':<12}" + "".join(
                f"  {title:>{width}}" for title, width in zip(titles, widths, strict=True)
            )
        clock = datetime.fromtimestamp(at_ms / 1000, UTC).strftime("%H:%M:%S.%f")[:-3]
        yield f"{clock:<12}" + "".join(
            f"  {_spell(value):>{width}}" for value, width in zip(values, widths, strict=True)
        )


def _spell(value: float | None) -> str:
    return "-" if value is None else f"{value:.6g}"
