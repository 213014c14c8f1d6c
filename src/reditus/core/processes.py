"""Processes in a recording: the heaviest of each tick in numbered slots, and what all of them had together.

A process keeps its slot while it is among the heaviest, so a slot's columns are mostly one process's; pid and start say
whose they are. Amounts are those of the tick's own interval, taken by the recorder from the kernel's totals, so that a
process counts from the first tick at which it is seen. What no slot holds is the difference to all; what processes
used that ended between two ticks is the difference between all and the machine.
"""

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass
from functools import cache

import numpy as np

from reditus.core import counters as name
from reditus.core.frame import Frame
from reditus.core.kernel_columns import PAGE_BYTES, TICKS_PER_S, kernel_column
from reditus.core.schema import Column
from reditus.core.types import NS_PER_S

GROUP = "process"
SLOTS = 20
ALL = "all"
"""In place of a slot's number: every process that was there at the tick."""

# Per slot and for all, in this order. Times are in clock ticks, but for waiting, which is in nanoseconds.
AMOUNTS: tuple[tuple[str, Mapping[str, str], tuple[int, int]], ...] = (
    ("process.linux.cpu.used", {name.CPU_MODE: "user"}, (1, TICKS_PER_S)),
    ("process.linux.cpu.used", {name.CPU_MODE: "system"}, (1, TICKS_PER_S)),
    ("process.memory.usage", {}, (PAGE_BYTES, 1)),
    ("process.linux.io.moved", {name.DISK_DIRECTION: "read"}, (1, 1)),
    ("process.linux.io.moved", {name.DISK_DIRECTION: "write"}, (1, 1)),
    ("process.linux.faults.taken", {name.FAULT_TYPE: "major"}, (1, 1)),
    ("process.linux.faults.taken", {name.FAULT_TYPE: "minor"}, (1, 1)),
    ("process.linux.blocked", {}, (1, TICKS_PER_S)),
    ("process.thread.count", {}, (1, 1)),
    ("process.linux.waited", {}, (1, NS_PER_S)),
)
WAITED = len(AMOUNTS) - 1
# Per slot only.
PLACES = ("process.pid", "process.linux.start", "process.linux.state", "process.linux.core")
THREAD_GROUP = "thread"
THREAD_SLOTS = 20
THREAD_PLACES = ("thread.id", *PLACES)
"""The thread, then the process that it belongs to; start, state and core are the thread's own."""
THREAD_AMOUNTS = tuple(
    at for at, (counter, _, _) in enumerate(AMOUNTS) if counter not in ("process.memory.usage", "process.thread.count")
)
"""Which of the amounts a thread has for itself."""
STATES = ("R", "S", "D", "T", "Z", "I")
"""Running or runnable, sleeping, uninterruptible, stopped, zombie, idle kernel thread. Others count as stopped."""


@cache
def slot_columns(slot: int) -> tuple[Column, ...]:
    """The columns of one process slot."""
    own = {name.PROCESS_SLOT: str(slot)}
    return _columns(own, PLACES, range(len(AMOUNTS)))


@cache
def thread_columns(slot: int) -> tuple[Column, ...]:
    """The columns of one thread slot."""
    return _columns({name.THREAD_SLOT: str(slot)}, THREAD_PLACES, THREAD_AMOUNTS)


def _columns(own: dict[str, str], places: Sequence[str], amounts: Iterable[int]) -> tuple[Column, ...]:
    return (
        *(
            kernel_column(counter, own, scale=(1, TICKS_PER_S) if counter.endswith("start") else (1, 1))
            for counter in places
        ),
        *(
            kernel_column(counter, own | dict(more), scale=scale)
            for counter, more, scale in (AMOUNTS[at] for at in amounts)
        ),
    )


@cache
def whole_columns() -> tuple[Column, ...]:
    """What all processes had together, how many there were, and how many in each state."""
    own = {name.PROCESS_SLOT: ALL}
    return (
        *(kernel_column(counter, own | dict(more), scale=scale) for counter, more, scale in AMOUNTS),
        *(kernel_column("process.linux.count", {name.PROCESS_STATE: state}) for state in STATES),
    )


@dataclass(frozen=True, slots=True)
class Usage:
    """What a process, or several together, had at a tick. Rates are per second; None where the interval is unknown."""

    cpu_cores: float | None
    system_cores: float | None
    memory_bytes: float
    read_bytes_per_s: float | None
    write_bytes_per_s: float | None
    major_faults_per_s: float | None
    minor_faults_per_s: float | None
    blocked_tasks: float | None
    threads: int
    waiting_tasks: float | None
    """Threads that were ready to run and had no core, on average."""


@dataclass(frozen=True, slots=True)
class ProcessAt:
    """A process at a tick."""

    pid: int
    start: int
    state: str
    core: int
    usage: Usage


@dataclass(frozen=True, slots=True)
class ThreadAt:
    """A thread at a tick."""

    tid: int
    pid: int
    """The process that it belongs to."""
    start: int
    state: str
    core: int
    usage: Usage


@dataclass(frozen=True, slots=True)
class ProcessesAt:
    """The processes of one tick."""

    at_ns: int
    boot_epoch: int
    heaviest: list[ProcessAt]
    total: Usage
    """Of every process that was there, those outside the slots too."""
    states: dict[str, int]


def processes_at(frame: Frame, at_ns: int) -> ProcessesAt | None:
    """The tick that describes the moment; None where there is none, or processes were not recorded."""
    found = _tick_of(frame, GROUP, at_ns)
    if found is None:
        return None
    heaviest = []
    for slot in range(SLOTS):
        pid, start, state, core, *amounts = found.read(slot_columns(slot))
        if pid:
            heaviest.append(ProcessAt(pid, start, chr(state), core, _usage(amounts, found.elapsed_s)))
    whole = found.read(whole_columns())
    return ProcessesAt(
        at_ns=found.at_ns,
        boot_epoch=found.boot_epoch,
        heaviest=heaviest,
        total=_usage(whole[: len(AMOUNTS)], found.elapsed_s),
        states=dict(zip(STATES, whole[len(AMOUNTS) :], strict=True)),
    )


def threads_at(frame: Frame, at_ns: int) -> list[ThreadAt]:
    """The heaviest threads of the tick that describes the moment; empty where threads were not recorded."""
    found = _tick_of(frame, THREAD_GROUP, at_ns)
    if found is None:
        return []
    threads = []
    for slot in range(THREAD_SLOTS):
        tid, pid, start, state, core, *own = found.read(thread_columns(slot))
        if tid:
            amounts = [0] * len(AMOUNTS)
            for at, amount in zip(THREAD_AMOUNTS, own, strict=True):
                amounts[at] = amount
            threads.append(ThreadAt(tid, pid, start, chr(state), core, _usage(amounts, found.elapsed_s)))
    return threads


@dataclass(frozen=True, slots=True)
class _Tick:
    at_ns: int
    boot_epoch: int
    elapsed_s: float
    raw: Mapping[tuple[str, tuple[tuple[str, str], ...]], int]

    def read(self, columns: Sequence[Column]) -> list[int]:
        return [self.raw.get((column.counter, column.attributes), 0) for column in columns]


def _tick_of(frame: Frame, group_name: str, at_ns: int) -> _Tick | None:
    group = next((item for item in frame.groups if item.name == group_name), None)
    if group is None or not len(group.timebase):
        return None
    base = group.timebase
    tick = base.index_at(at_ns)
    if tick is None:
        return None
    return _Tick(
        at_ns=int(base.wall_ns[tick]),
        boot_epoch=int(base.epoch[tick]),
        elapsed_s=float(base.elapsed_s[tick]),
        raw={
            (column.counter, column.attributes): int(series.values[tick])
            for column, series in group.series.items()
            if series.present is None or series.present[tick]
        },
    )


def _usage(amounts: list[int], elapsed_s: float) -> Usage:
    user, system, memory, read, write, major, minor, blocked, threads, waited = (
        raw * scale[0] / scale[1] for raw, (_, _, scale) in zip(amounts, AMOUNTS, strict=True)
    )
    known = not np.isnan(elapsed_s)

    def per_s(amount: float) -> float | None:
        return amount / elapsed_s if known else None

    return Usage(
        cpu_cores=per_s(user + system),
        system_cores=per_s(system),
        memory_bytes=memory,
        read_bytes_per_s=per_s(read),
        write_bytes_per_s=per_s(write),
        major_faults_per_s=per_s(major),
        minor_faults_per_s=per_s(minor),
        blocked_tasks=per_s(blocked),
        threads=int(threads),
        waiting_tasks=per_s(waited),
    )
