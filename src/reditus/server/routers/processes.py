"""The heaviest processes at the needle, and what is left beside them."""

from dataclasses import asdict
from typing import Annotated
from uuid import UUID

from fastapi import APIRouter, Query, Request

from reditus.analysis import processes as analysis
from reditus.core.processes import ProcessAt, ThreadAt
from reditus.core.rfc3339 import parse_time
from reditus.server.cancellation import check_cancelled, run_until_disconnect
from reditus.server.context import Context, ContextDep
from reditus.server.schemas import Moment, ProcessesOut, ProcessOut, ThreadOut, UsageOut

router = APIRouter(prefix="/archives/{archive_id}", tags=["processes"])


@router.get("/processes")
async def read_processes(
    archive_id: UUID, request: Request, context: ContextDep, at: Annotated[Moment, Query(description="RFC 3339.")]
) -> ProcessesOut:
    """The heaviest processes by processor, memory, I/O and blocked time at the tick that describes the moment."""
    at_ns = parse_time(at)
    return await run_until_disconnect(request, lambda: _processes(context, archive_id, at_ns), context.lanes.charts)


def _processes(context: Context, archive_id: UUID, at_ns: int) -> ProcessesOut:
    with context.store.reading(archive_id, check_cancelled, context.budget) as reader:
        recorded = analysis.has_processes(reader)
        table = analysis.read_processes(reader, at_ns) if recorded else None
    if table is None:
        return ProcessesOut(
            recorded=recorded, tick=None, processes=[], threads=[], total=None, states={}, ended_cores=None
        )
    return ProcessesOut(
        recorded=True,
        tick=table.found.at_ns,
        processes=[_process(process, table.names) for process in table.processes],
        threads=[_thread(thread, table.names) for thread in table.threads],
        total=UsageOut(**asdict(table.found.total)),
        states=table.found.states,
        ended_cores=table.ended_cores,
    )


def _process(process: ProcessAt, names: analysis.Names) -> ProcessOut:
    identity = names.get((process.pid, process.start))
    return ProcessOut(
        pid=process.pid,
        start=process.start,
        name=identity.name if identity else None,
        user=identity.user if identity else None,
        group=identity.group if identity else None,
        parent=identity.parent if identity else None,
        arguments=identity.arguments if identity else None,
        state=process.state,
        core=process.core,
        usage=UsageOut(**asdict(process.usage)),
    )


def _thread(thread: ThreadAt, names: analysis.Names) -> ThreadOut:
    identity = names.get((thread.tid, thread.start))
    return ThreadOut(
        tid=thread.tid,
        pid=thread.pid,
        start=thread.start,
        name=identity.name if identity else None,
        state=thread.state,
        core=thread.core,
        usage=UsageOut(**asdict(thread.usage)),
    )
