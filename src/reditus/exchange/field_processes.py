"""Processes in a field capture: the heaviest ones as the field script followed them.

A capture has /proc/PID/stat and /proc/PID/io of some twenty processes a tick, and of no others. What all processes had
together is taken from the machine's own counters, so that a share stays one of the whole.
"""

import re
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, field

import numpy as np

from reditus.core.frame import BlockSlice
from reditus.core.identities import Identity
from reditus.core.kernel_columns import cpu_time, memory_size, page_faults, paging_event
from reditus.core.processes import AMOUNTS, GROUP, PLACES, SLOTS, slot_columns, whole_columns
from reditus.core.schema import Column
from reditus.core.types import FloatArray, IntArray
from reditus.exchange.field_clocks import paced
from reditus.recorder.top_slots import plain

PATH = re.compile(r"^/proc/(?P<pid>[1-9]\d{0,9})/(?P<file>stat|io)$")
_STAT = re.compile(rb"^(\d+) \((.*)\) (\S) ([-\d ]+)$", re.DOTALL)
_IO = re.compile(rb"^(read_bytes|write_bytes): (\d{1,20})$", re.MULTILINE)
# Places among the numbers after the state in /proc/PID/stat (proc(5) counts from 1 and the state is field 3).
_PARENT, _MINOR, _MAJOR, _USER, _SYSTEM, _THREADS, _START, _RSS, _CORE, _BLOCKED = (
    number - 4 for number in (4, 10, 12, 14, 15, 20, 22, 24, 39, 42)
)
_USED_PLACES = (_PARENT, _MINOR, _MAJOR, _USER, _SYSTEM, _THREADS, _START, _RSS, _CORE, _BLOCKED)
MOST = 1 << 53
"""No counter of a process comes near it, and sums of twenty of them still fit into 64 bits."""
# Places among AMOUNTS.
_USED, _KERNEL, _HELD, _READ, _WRITTEN, _MAJOR_AT, _MINOR_AT, _HELD_UP, _THREADS_AT = range(len(AMOUNTS) - 1)
# Waiting for a core would have to be read of each thread, which the field script does not.
KIB, PAGE_KIB = 1_024, 4


@dataclass(frozen=True, slots=True)
class ProcessText:
    """One process's file, read once."""

    pid: int
    file: str
    """`stat` or `io`."""
    at_ns: int
    text: bytes


@dataclass(slots=True)
class _Process:
    """A process at one tick; totals since it began."""

    pid: int
    start: int
    name: str
    state: int
    core: int
    parent: int
    totals: dict[int, int]
    """By place among AMOUNTS: what grows."""
    levels: dict[int, int]


@dataclass(slots=True)
class _Tick:
    at_ns: int
    processes: list[_Process] = field(default_factory=list)


def process_pieces(
    texts: Iterable[ProcessText], pieces: Sequence[BlockSlice], boots: Sequence[tuple[int, bytes]], interval_ns: int
) -> tuple[list[BlockSlice], tuple[Identity, ...]]:
    """The slots of each tick, a piece a boot, and who was in them.

    `pieces` are the machine's own counters; `boots` says from when on which boot was. What is no text of the kernel's
    is left out.
    """
    ticks = _ticks(texts)
    out: list[BlockSlice] = []
    known: dict[tuple[int, int], Identity] = {}
    for boot, within in _by_boot(ticks, boots):
        at_ns = np.array([tick.at_ns for tick in within], dtype=np.int64)
        slots = _slots(within, known)
        columns: dict[Column, IntArray] = {}
        for number in range(SLOTS):
            columns |= dict(zip(slot_columns(number), slots[number], strict=True))
        columns |= dict(zip(whole_columns(), _whole(slots, pieces, boot, at_ns), strict=False))
        for part, pace_ns in paced(at_ns, interval_ns):
            own = {column: values[part] for column, values in columns.items()}
            out.append(BlockSlice(GROUP, boot, pace_ns, at_ns[part], at_ns[part], own))
    return out, tuple(known.values())


def _ticks(texts: Iterable[ProcessText]) -> list[_Tick]:
    """Files that were read at the same time are of one tick."""
    by_time: dict[int, dict[int, dict[str, bytes]]] = {}
    for item in texts:
        by_time.setdefault(item.at_ns, {}).setdefault(item.pid, {})[item.file] = item.text
    out = []
    for at_ns in sorted(by_time):
        tick = _Tick(at_ns)
        for pid, files in by_time[at_ns].items():
            process = _parsed(pid, files.get("stat", b""), files.get("io", b""))
            if process is not None and len(tick.processes) < SLOTS:
                tick.processes.append(process)
        out.append(tick)
    return out


def _parsed(pid: int, stat: bytes, io: bytes) -> _Process | None:
    """None for what is cut off, or no such text."""
    found = _STAT.match(stat.rstrip(b"\n"))
    if found is None or int(found[1]) != pid:
        return None
    numbers = found[4].split()
    if len(numbers) <= _BLOCKED or any(len(number) > 20 for number in numbers):
        return None
    values = [int(number) for number in numbers[: _BLOCKED + 1]]
    moved = {word: int(number) for word, number in _IO.findall(io)}
    if not all(0 <= number <= MOST for number in (*(values[place] for place in _USED_PLACES), *moved.values())):
        return None
    return _Process(
        pid=pid,
        start=values[_START],
        name=plain(found[2]),
        state=ord(found[3][:1]),
        core=values[_CORE],
        parent=values[_PARENT],
        totals={
            _USED: values[_USER],
            _KERNEL: values[_SYSTEM],
            _READ: moved.get(b"read_bytes", 0),
            _WRITTEN: moved.get(b"write_bytes", 0),
            _MAJOR_AT: values[_MAJOR],
            _MINOR_AT: values[_MINOR],
            _HELD_UP: values[_BLOCKED],
        },
        levels={_HELD: values[_RSS], _THREADS_AT: values[_THREADS]},
    )


def _by_boot(ticks: Sequence[_Tick], boots: Sequence[tuple[int, bytes]]) -> list[tuple[bytes, list[_Tick]]]:
    out: list[tuple[bytes, list[_Tick]]] = []
    for tick in ticks:
        boot = next((name for since_ns, name in reversed(boots) if since_ns <= tick.at_ns), boots[0][1])
        if not out or out[-1][0] != boot:
            out.append((boot, []))
        out[-1][1].append(tick)
    return out


def _slots(ticks: Sequence[_Tick], known: dict[tuple[int, int], Identity]) -> IntArray:
    """Shape (slots, places and amounts, ticks). A process keeps its slot while it is followed."""
    out = np.zeros((SLOTS, len(PLACES) + len(AMOUNTS), len(ticks)), dtype=np.int64)
    slot_of: dict[tuple[int, int], int] = {}
    before: dict[tuple[int, int], dict[int, int]] = {}
    for at, tick in enumerate(ticks):
        here = {(process.pid, process.start): process for process in tick.processes}
        slot_of = {key: slot for key, slot in slot_of.items() if key in here}
        free = iter(sorted(set(range(SLOTS)) - set(slot_of.values())))
        for key, process in here.items():
            slot = slot_of.get(key)
            if slot is None:
                slot = slot_of[key] = next(free)
            out[slot, : len(PLACES), at] = (process.pid, process.start, process.state, process.core)
            # Of the tick's own interval: what it used before it was followed belongs to no tick.
            earlier = before.get(key, process.totals)
            for place, total in process.totals.items():
                out[slot, len(PLACES) + place, at] = max(total - earlier.get(place, total), 0)
            for place, level in process.levels.items():
                out[slot, len(PLACES) + place, at] = level
            known.setdefault(key, Identity(process.pid, process.start, process.name, "", "", process.parent))
        before = {key: process.totals for key, process in here.items()}
    return out


def _whole(slots: IntArray, pieces: Sequence[BlockSlice], boot: bytes, at_ns: IntArray) -> IntArray:
    """What all processes had, shape (amounts, ticks): by the machine's counters, and never less than the followed
    ones.
    """
    followed: IntArray = slots[:, len(PLACES) :].sum(axis=0)
    machine = {
        _USED: _grown(pieces, boot, at_ns, {cpu_time("user"): 1, cpu_time("nice"): 1}),
        _KERNEL: _grown(pieces, boot, at_ns, {cpu_time("system"): 1}),
        _HELD: _level(pieces, boot, at_ns, {memory_size(name): 1 / PAGE_KIB for name in ("AnonPages", "Shmem")}),
        _READ: _grown(pieces, boot, at_ns, {paging_event("pgpgin"): KIB}),
        _WRITTEN: _grown(pieces, boot, at_ns, {paging_event("pgpgout"): KIB}),
        _MAJOR_AT: _grown(pieces, boot, at_ns, {page_faults("major"): 1}),
        _MINOR_AT: _grown(pieces, boot, at_ns, {page_faults("all"): 1, page_faults("major"): -1}),
    }
    for place, values in machine.items():
        if values is not None:
            followed[place] = np.maximum(followed[place], values)
    return followed


def _level(
    pieces: Sequence[BlockSlice], boot: bytes, at_ns: IntArray, columns: Mapping[Column, float]
) -> FloatArray | None:
    """The machine's counters at the processes' own ticks, added up; None where one of them was not captured."""
    total = np.zeros(len(at_ns))
    for column, weight in columns.items():
        parts = [piece for piece in pieces if piece.boot == boot and column in piece.columns]
        if not parts:
            return None
        times = np.concatenate([piece.wall_ns for piece in parts])
        values = np.concatenate([np.asarray(piece.columns[column]) for piece in parts])
        order = np.argsort(times, kind="stable")
        # A double has too few digits for nanoseconds since 1970; times and values are counted from the first.
        first_ns, first = times[order[0]], values[order[0]]
        moved = np.interp(
            (at_ns - first_ns).astype(np.float64),
            (times[order] - first_ns).astype(np.float64),
            (values[order] - first).astype(np.float64),
        )
        total += (moved + float(first)) * weight
    return total


def _grown(
    pieces: Sequence[BlockSlice], boot: bytes, at_ns: IntArray, columns: Mapping[Column, float]
) -> FloatArray | None:
    level = _level(pieces, boot, at_ns, columns)
    return None if level is None else np.maximum(np.diff(level, prepend=level[:1]), 0.0)
