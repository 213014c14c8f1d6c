"""The heaviest processes at the needle, and what is left beside them."""

from dataclasses import asdict
from typing import Annotated
from uuid import UUID

from fastapi import APIRouter, Query, Request

from reditus.core.errors import UnknownCounter
from reditus.core.frame import Frame
from reditus.core.measures import measure_named
from reditus.core.measures.selection import SeriesKey, needed_columns
from reditus.core.processes import GROUP, THREAD_GROUP, ProcessesAt, processes_at, threads_at
from reditus.core.window import Window
from reditus.server.cancellation import CancelToken, run_until_disconnect
from reditus.server.context import Context, ContextDep
from reditus.server.schemas import Moment, ProcessesOut, ProcessOut, ThreadOut, UsageOut
from reditus.server.times import parse_time, to_ms
from reditus.store.read.reader import Reader

router = APIRouter(prefix="/archives/{archive_id}", tags=["processes"])

REACH_INTERVALS = 3
BUSY = SeriesKey(measure_named("cpu.busy"), None)


@router.get("/processes")
async def read_processes(
    archive_id: UUID, request: Request, context: ContextDep, at: Annotated[Moment, Query(description="RFC 3339.")]
) -> ProcessesOut:
    """The heaviest processes by processor, memory, I/O and blocked time at the tick that describes the moment."""
    at_ns = parse_time(at)
    return await run_until_disconnect(
        request, lambda patience: _processes(context, archive_id, at_ns, patience), context.lanes.charts
    )


def _processes(context: Context, archive_id: UUID, at_ns: int, patience: CancelToken) -> ProcessesOut:
    with context.store.reading(archive_id, patience.check, context.budget) as reader:
        reach_ns = REACH_INTERVALS * (reader.extent.interval_ns or 0) + 1
        columns = tuple(item for item in reader.known if item.group in (GROUP, THREAD_GROUP))
        if not columns:
            return _nothing(recorded=False)
        frame = reader.frame(
            (*columns, *needed_columns(reader.known, (BUSY,))), Window(at_ns - reach_ns, at_ns + reach_ns)
        )
        found = processes_at(frame, at_ns)
        if found is None:
            return _nothing(recorded=True)
        return _told(reader, frame, found)


def _nothing(*, recorded: bool) -> ProcessesOut:
    return ProcessesOut(
        recorded=recorded, tick_ms=None, processes=[], threads=[], total=None, states={}, ended_cores=None
    )


def _told(reader: Reader, frame: Frame, found: ProcessesAt) -> ProcessesOut:
    at_work = threads_at(frame, found.at_ns)
    keys = [(item.pid, item.start) for item in found.heaviest] + [(item.tid, item.start) for item in at_work]
    names = reader.identities(found.at_ns, keys)
    processes = []
    for entry in sorted(
        found.heaviest, key=lambda item: (item.usage.cpu_cores or 0, item.usage.memory_bytes), reverse=True
    ):
        who = names.get((entry.pid, entry.start))
        processes.append(
            ProcessOut(
                pid=entry.pid,
                start=entry.start,
                name=who.name if who else None,
                user=who.user if who else None,
                group=who.group if who else None,
                parent=who.parent if who else None,
                arguments=who.arguments if who else None,
                state=entry.state,
                core=entry.core,
                usage=UsageOut(**asdict(entry.usage)),
            )
        )
    return ProcessesOut(
        recorded=True,
        tick_ms=to_ms(found.at_ns),
        processes=processes,
        threads=[
            ThreadOut(
                tid=item.tid,
                pid=item.pid,
                start=item.start,
                name=names[item.tid, item.start].name if (item.tid, item.start) in names else None,
                state=item.state,
                core=item.core,
                usage=UsageOut(**asdict(item.usage)),
            )
            for item in sorted(at_work, key=lambda entry: entry.usage.cpu_cores or 0, reverse=True)
        ],
        total=UsageOut(**asdict(found.together)),
        states=found.states,
        ended_cores=_ended(frame, found),
    )


def _ended(frame: Frame, found: ProcessesAt) -> float | None:
    """Processor use that no process of the tick had: of those that ended before it, and of interrupts."""
    try:
        busy = BUSY.measure.derive(frame, None)
    except UnknownCounter:
        return None
    at = busy.timebase.index_at(found.at_ns)
    together = found.together.cpu_cores
    if at is None or together is None or busy.values[at] != busy.values[at]:
        return None
    return max(float(busy.values[at]) - together, 0.0)
