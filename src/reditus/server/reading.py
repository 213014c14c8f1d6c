"""Read measures of an archive: which columns they need, one query for all, derived in the core."""

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from reditus.core.bins import Sheet, Summary, Window, bin_edges, points
from reditus.core.errors import UnknownCounter
from reditus.core.frame import Frame, Sampled
from reditus.core.measures import measure_named
from reditus.core.measures.raw import expanded, is_counter
from reditus.core.types import NS_PER_S, FloatArray, IntArray
from reditus.server.times import parse_window
from reditus.store.known import KnownColumns
from reditus.store.reader import Reader
from reditus.store.wanted import Wanted, devices_of, needed_columns

EVERY_DEVICE = "*"


@dataclass(frozen=True, slots=True)
class Read:
    """A measure as read: its values, or why there are none."""

    wanted: Wanted
    sampled: Sampled | None
    missing: str | None


@dataclass(frozen=True, slots=True)
class Drawn:
    """A series ready for a chart: ticks where they fit the width, bins where they do not."""

    read: Read
    times_ns: IntArray
    mean: FloatArray
    low: FloatArray | None
    high: FloatArray | None
    bin_s: float | None
    summary: Summary | None


def asked_window(reader: Reader, start: str | None, end: str | None) -> Window:
    """The window that was asked for; what is left out is the timeline's own beginning or end."""
    if start and end:
        return parse_window(start, end, (None, None))
    return parse_window(start, end, (reader.extent.first_ns, reader.extent.last_ns))


def parse_wanted(text: str, known: KnownColumns) -> list[Wanted]:
    """`NAME`, `NAME@DEVICE`, `NAME@*` for every device, or a counter, which alone stands for all that it has. Raise UnknownMeasure for a name that is none."""
    if is_counter(text):
        columns = [one.column for one in known.by_counter.get(text, ())]
        return [Wanted(measure_named(each), None) for each in expanded(text, columns)]
    name, _, device = text.partition("@")
    measure = measure_named(name)
    if device == EVERY_DEVICE:
        return [Wanted(measure, each) for each in devices_of(known, measure)]
    return [Wanted(measure, device or None)]


def read(reader: Reader, wanted: Sequence[Wanted], window: Window | None) -> tuple[Frame, list[Read]]:
    """Fetch only the columns that are needed, and derive. A measure that the host cannot give says why."""
    frame = reader.frame(needed_columns(reader.known, tuple(wanted)), window)
    return frame, [_derived(frame, one) for one in wanted]


def draw(reads: Sequence[Read], window: Window, width: int) -> list[Drawn]:
    """Ticks where the window holds at most `width` of them, else bins that carry mean, lowest and highest."""
    sheet = Sheet(window, bin_edges(window, width))
    return [_drawn(one, sheet, width) for one in reads]


def _drawn(one: Read, sheet: Sheet, width: int) -> Drawn:
    if one.sampled is None:
        nothing = np.zeros(0)
        return Drawn(one, np.zeros(0, dtype=np.int64), nothing, None, None, None, None)
    if sheet.ticks(one.sampled) <= width:
        times_ns, values = points(one.sampled, sheet.window)
        return Drawn(one, times_ns, values, None, None, None, sheet.summary(one.sampled))
    binned = sheet.binned(one.sampled)
    edges_ns = binned.edges_ns
    middle_ns = edges_ns[:-1] + np.diff(edges_ns) // 2
    bin_s = float(edges_ns[1] - edges_ns[0]) / NS_PER_S
    return Drawn(one, middle_ns, binned.mean, binned.low, binned.high, bin_s, sheet.summary(one.sampled))


def _derived(frame: Frame, one: Wanted) -> Read:
    try:
        return Read(one, one.measure.derive(frame, one.device), None)
    except UnknownCounter:
        of = f" of {one.device}" if one.device else ""
        return Read(one, None, f"{one.measure.name}{of}: this archive lacks the counters for it in this window")
