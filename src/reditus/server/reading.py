"""Read measures of an archive: which columns they need, one query for all, derived in the core."""

from collections.abc import Sequence
from dataclasses import dataclass
from functools import lru_cache
from uuid import UUID

import numpy as np

from reditus.core.bins import Summary, Window, bin_edges, bin_sampled, points, summarise
from reditus.core.errors import UnknownCounter
from reditus.core.frame import Frame, Sampled
from reditus.core.measures import MEASURES, Measure, measure_named
from reditus.core.measures.raw import expanded, is_counter
from reditus.core.types import NS_PER_S, FloatArray, IntArray
from reditus.store import Store
from reditus.store.known import KnownColumns
from reditus.store.records import KnownColumn

EVERY_DEVICE = "*"
REMEMBERED = 64
"""Archives for which it is remembered what they can give; that changes only when a device comes or goes."""


@dataclass(frozen=True, slots=True)
class Wanted:
    """A measure, of a device or of the machine."""

    measure: Measure
    device: str | None


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


def parse_wanted(text: str, known: KnownColumns) -> list[Wanted]:
    """`NAME`, `NAME@DEVICE`, `NAME@*` for every device, or a counter, which alone stands for all that it has. Raise UnknownMeasure for a name that is none."""
    if is_counter(text):
        columns = [one.column for one in known.by_counter.get(text, ())]
        return [Wanted(measure_named(each), None) for each in expanded(text, columns)]
    name, _, device = text.partition("@")
    measure = measure_named(name)
    if device == EVERY_DEVICE:
        return [Wanted(measure, each) for each in _devices(known, measure)]
    return [Wanted(measure, device or None)]


@lru_cache(maxsize=REMEMBERED)
def available(known: KnownColumns) -> tuple[tuple[Measure, tuple[str, ...]], ...]:
    """The measures that these columns can give, each with its devices."""
    counters = known.by_counter.keys()
    out = []
    for measure in MEASURES.values():
        required = {need.counter for need in measure.needs if not need.optional}
        optional = {need.counter for need in measure.needs}
        if required <= counters and optional & counters:
            out.append((measure, _devices(known, measure)))
    return tuple(out)


@lru_cache(maxsize=16 * REMEMBERED)
def _devices(known: KnownColumns, measure: Measure) -> tuple[str, ...]:
    asked = {need.counter for need in measure.needs}
    return tuple(measure.devices(one.column for counter in asked for one in known.by_counter.get(counter, ())))


def read(store: Store, archive: UUID, wanted: Sequence[Wanted], window: Window | None) -> tuple[Frame, list[Read]]:
    """Fetch only the columns that are needed, and derive. A measure that the host cannot give says why."""
    frame = store.frame(archive, needed_columns(store.columns(archive), tuple(wanted)), window)
    return frame, [_derived(frame, one) for one in wanted]


@lru_cache(maxsize=4 * REMEMBERED)
def needed_columns(known: KnownColumns, wanted: tuple[Wanted, ...]) -> tuple[KnownColumn, ...]:
    """The columns that the measures read, each once."""
    found = {
        column: None
        for one in wanted
        for need in one.measure.needs
        for column in known.by_counter.get(need.counter, ())
        if need.matches(column.column, one.device)
    }
    return tuple(found)


def draw(reads: Sequence[Read], window: Window, width: int) -> list[Drawn]:
    """Ticks where the window holds at most `width` of them, else bins that carry mean, lowest and highest."""
    edges_ns = bin_edges(window, width)
    return [_drawn(one, window, edges_ns, width) for one in reads]


def _drawn(one: Read, window: Window, edges_ns: IntArray, width: int) -> Drawn:
    if one.sampled is None:
        nothing = np.zeros(0)
        return Drawn(one, np.zeros(0, dtype=np.int64), nothing, None, None, None, None)
    summary = summarise(one.sampled, window)
    inside_ns = one.sampled.timebase.wall_ns
    if ((inside_ns >= window.start_ns) & (inside_ns <= window.end_ns)).sum() <= width:
        times_ns, values = points(one.sampled, window)
        return Drawn(one, times_ns, values, None, None, None, summary)
    binned = bin_sampled(one.sampled, edges_ns)
    middle_ns = edges_ns[:-1] + np.diff(edges_ns) // 2
    return Drawn(
        one, middle_ns, binned.mean, binned.low, binned.high, float(edges_ns[1] - edges_ns[0]) / NS_PER_S, summary
    )


def _derived(frame: Frame, one: Wanted) -> Read:
    try:
        return Read(one, one.measure.derive(frame, one.device), None)
    except UnknownCounter:
        of = f" of {one.device}" if one.device else ""
        return Read(one, None, f"{one.measure.name}{of}: this archive lacks the counters for it in this window")
