"""The heaviest processes at an instant, and what is left beside them."""

from collections.abc import Mapping
from dataclasses import dataclass

from reditus.analysis.windows import around
from reditus.core.errors import UnknownCounter
from reditus.core.frame import Frame
from reditus.core.identities import Identity
from reditus.core.measures import measure_named
from reditus.core.measures.selection import SeriesKey, needed_columns
from reditus.core.processes import GROUP, THREAD_GROUP, ProcessAt, ProcessesAt, ThreadAt, processes_at, threads_at
from reditus.store.read.reader import Reader

BUSY = SeriesKey(measure_named("cpu.busy"), None)
Names = Mapping[tuple[int, int], Identity]
"""Identities by process (or thread) number and start."""


@dataclass(frozen=True, slots=True)
class ProcessTable:
    """The processes of one tick, heaviest first, and their threads where those were recorded."""

    found: ProcessesAt
    processes: list[ProcessAt]
    threads: list[ThreadAt]
    names: Names
    ended_cores: float | None
    """Processor use that no process of the tick accounts for: processes that ended before it, and interrupts."""


def has_processes(reader: Reader) -> bool:
    """Whether processes were recorded at all."""
    return any(column.group in (GROUP, THREAD_GROUP) for column in reader.known)


def read_processes(reader: Reader, at_ns: int) -> ProcessTable | None:
    """None where no tick with processes describes the instant."""
    columns = tuple(column for column in reader.known if column.group in (GROUP, THREAD_GROUP))
    frame = reader.frame((*columns, *needed_columns(reader.known, (BUSY,))), around(reader, at_ns))
    found = processes_at(frame, at_ns)
    if found is None:
        return None
    threads = threads_at(frame, found.at_ns)
    keys = [(process.pid, process.start) for process in found.heaviest]
    keys += [(thread.tid, thread.start) for thread in threads]
    return ProcessTable(
        found,
        sorted(
            found.heaviest, key=lambda process: (process.usage.cpu_cores or 0, process.usage.memory_bytes), reverse=True
        ),
        sorted(threads, key=lambda thread: thread.usage.cpu_cores or 0, reverse=True),
        reader.identities(found.at_ns, keys),
        _ended_cores(frame, found),
    )


def _ended_cores(frame: Frame, found: ProcessesAt) -> float | None:
    try:
        busy = BUSY.measure.derive(frame, None)
    except UnknownCounter:
        return None
    at = busy.timebase.index_at(found.at_ns)
    total = found.total.cpu_cores
    if at is None or total is None or busy.values[at] != busy.values[at]:
        return None
    return max(float(busy.values[at]) - total, 0.0)
