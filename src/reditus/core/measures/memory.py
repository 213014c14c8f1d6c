"""Memory and swap measures: where memory is, in parts that add up, and who lost time for lack of it."""

from collections.abc import Callable
from functools import partial

import numpy as np

from reditus.core.counters import DISK, FAULT_TYPE, MEMORY_FIELD, PAGING_DIRECTION, PAGING_EVENT, PAGING_STATE
from reditus.core.errors import UnknownCounter
from reditus.core.frame import Frame, Series
from reditus.core.measures.measure import Measure, Need, Per, Reach, Resource, Unit, add
from reditus.core.measures.processor import stall_need, stalled
from reditus.core.types import FloatArray

BYTES = "system.memory.linux.bytes"
EVENTS = "system.paging.linux.events"
FAULTS = "system.paging.faults"
SWAP_TRAFFIC = "system.paging.operations"
SWAP_SPACE = "system.paging.usage"

REQUIRED = ("MemTotal", "MemFree", "AnonPages", "Buffers", "Cached")
# Fields that older kernels lack, or that are 0 on most machines, count as 0 where they are missing.
SOMETIMES = (
    "SwapCached", "Shmem", "Slab", "SReclaimable", "SUnreclaim", "KernelStack", "PageTables", "SecPageTables", "Percpu",
    "Hugetlb", "Active(file)", "Inactive(file)", "MemAvailable",
)  # fmt: skip
KERNEL = ("Slab", "KernelStack", "PageTables", "SecPageTables", "Percpu")

Parts = dict[str, FloatArray]


def field(frame: Frame, name: str) -> FloatArray:
    """A field in bytes; 0 where the kernel does not tell it."""
    attributes = {MEMORY_FIELD: name}
    if name in SOMETIMES and not frame.has(BYTES, attributes):
        return np.zeros(len(frame.level(BYTES, {MEMORY_FIELD: "MemTotal"})))
    return frame.level(BYTES, attributes).values


def parts(frame: Frame) -> Parts:
    """Where memory is, in bytes, in parts that add up to the total.

    Cached holds the shared pages, so they are taken out of the file cache. What the kernel accounts nowhere (driver
    pages and the like) is `other`; page counts are read one after the other while memory moves, so where the named
    parts exceed the total by a little, the cache gives way.
    """
    total = field(frame, "MemTotal")
    shared = field(frame, "Shmem")
    free = field(frame, "MemFree")
    programs = field(frame, "AnonPages")
    huge = field(frame, "Hugetlb")
    kernel = np.sum([field(frame, name) for name in KERNEL], axis=0)
    cache = np.maximum(field(frame, "Cached") + field(frame, "Buffers") + field(frame, "SwapCached") - shared, 0.0)
    rest = total - (free + programs + shared + kernel + huge + cache)
    return {
        "programs": programs,
        "shared": shared,
        "huge": huge,
        "kernel": kernel,
        "cache": np.maximum(cache + np.minimum(rest, 0.0), 0.0),
        "other": np.maximum(rest, 0.0),
        "free": free,
    }


PART_HELP = {
    "programs": (
        "Programs",
        "Anonymous memory: what programs allocated themselves. Under pressure it goes to swap.",
    ),
    "shared": ("Shared", "Shared memory and files in memory. It cannot be dropped, only swapped."),
    "huge": ("Huge pages", "Memory set aside as huge pages, used or not."),
    "kernel": ("Kernel", "The kernel's own structures: slab, page tables, stacks, per-core data."),
    "cache": (
        "File cache",
        "Pages of files kept at hand. Most of it can be dropped when programs need memory.",
    ),
    "other": ("Other", "What the kernel accounts nowhere, mostly driver pages."),
    "free": (
        "Free",
        "Not used for anything. It is nearly always small on a healthy machine: look at available.",
    ),
}


def _timebase(frame: Frame, values: FloatArray) -> Series:
    return Series(frame.level(BYTES, {MEMORY_FIELD: "MemTotal"}).timebase, values)


def _part(frame: Frame, _: str | None, *, name: str) -> Series:
    return _timebase(frame, parts(frame)[name])


def _used(frame: Frame, _: str | None) -> Series:
    return _timebase(frame, field(frame, "MemTotal") - frame.level(BYTES, {MEMORY_FIELD: "MemAvailable"}).values)


def _field(frame: Frame, _: str | None, *, name: str) -> Series:
    return frame.level(BYTES, {MEMORY_FIELD: name})


def _field_need(name: str) -> Need:
    return Need(BYTES, ((MEMORY_FIELD, name),), optional=name in SOMETIMES)


def _size(name: str, title: str, source: str, text: str, resource: Resource = Resource.MEMORY) -> Measure:
    need = Need(BYTES, ((MEMORY_FIELD, source),))
    return Measure(name, title, Unit.BYTES, resource, text, source, (need,), partial(_field, name=source))


def _rate(
    name: str, title: str, text: str, needs: tuple[Need, ...], resource: Resource = Resource.MEMORY,
    unit: Unit = Unit.PER_S, total: Unit = Unit.COUNT,
) -> Measure:  # fmt: skip
    return Measure(name, title, unit, resource, text, "Δ / Δt", needs, _summed_rates(needs), total=total)


def _summed_rates(needs: tuple[Need, ...]) -> Callable[[Frame, str | None], Series]:
    def derive(frame: Frame, _: str | None) -> Series:
        there = [need for need in needs if not need.optional or frame.has(need.counter, dict(need.fixed))]
        rates = [frame.rate(need.counter, dict(need.fixed)) for need in there or needs[:1]]
        return Series(rates[0].timebase, np.sum([rate.values for rate in rates], axis=0))

    return derive


def _event(*names: str) -> tuple[Need, ...]:
    return tuple(Need(EVENTS, ((PAGING_EVENT, name),), optional=len(names) > 1) for name in names)


def _stall(scope: str, text: str) -> Measure:
    return Measure(
        f"stall.memory.{scope}", f"Stalled on memory ({scope})", Unit.SHARE, Resource.MEMORY, text,
        "Δtotal / Δt of the memory's pressure file",
        (stall_need("memory", scope),), partial(stalled, resource="memory", scope=scope), total=Unit.SECONDS,
    )  # fmt: skip


_PART_NEEDS = tuple(_field_need(name) for name in (*REQUIRED, *SOMETIMES))

MEMORY = [
    _size(
        "memory.available",
        "Available memory",
        "MemAvailable",
        "What programs can still get without swapping, by the kernel's own estimate. Free plus what can be dropped.",
    ),
    Measure(
        "memory.used",
        "Used memory",
        Unit.BYTES,
        Resource.MEMORY,
        "What programs could not get: total − available.",
        "MemTotal − MemAvailable",
        (_field_need("MemTotal"), Need(BYTES, ((MEMORY_FIELD, "MemAvailable"),))),
        _used,
    ),
    _size("memory.total", "Total memory", "MemTotal", "Main memory that the kernel manages."),
    *(
        Measure(
            f"memory.{name}",
            title,
            Unit.BYTES,
            Resource.MEMORY,
            text,
            "one of the parts that add up to the total",
            _PART_NEEDS,
            partial(_part, name=name),
        )
        for name, (title, text) in PART_HELP.items()
    ),
    *(
        _size(f"memory.{name}", title, source, text)
        for name, title, source, text in (
            ("active.programs", "Programs, active", "Active(anon)", "Memory of programs that was used of late."),
            (
                "inactive.programs",
                "Programs, inactive",
                "Inactive(anon)",
                "Memory of programs that was not used for a while: under pressure it is the first to go to swap.",
            ),
            ("active.cache", "File cache, active", "Active(file)", "Pages of files that were used more than once."),
            (
                "inactive.cache",
                "File cache, inactive",
                "Inactive(file)",
                "Pages of files that were used once, or not of late: they are dropped first.",
            ),
            ("unevictable", "Unevictable", "Unevictable", "Locked in memory: neither dropped nor swapped."),
            (
                "slab.reclaimable",
                "Slab, reclaimable",
                "SReclaimable",
                "The kernel's caches of names and inodes, which it gives up under pressure.",
            ),
            (
                "slab.fixed",
                "Slab, fixed",
                "SUnreclaim",
                "The kernel's objects that it cannot give up. Growth without end is a leak in the kernel.",
            ),
            (
                "huge.transparent",
                "Huge pages of programs",
                "AnonHugePages",
                "Memory of programs that the kernel put into huge pages by itself.",
            ),
        )
    ),
    _size("memory.dirty", "Dirty", "Dirty", "Changed in memory and still owed to disk."),
    _size("memory.writeback", "Writeback", "Writeback", "On its way to disk at this moment."),
    _stall("some", "Share of time in which at least one task was held up for lack of memory."),
    _stall("full", "Share of time in which every task that had work was held up for lack of memory."),
    _rate(
        "memory.faults.major",
        "Major faults",
        "Faults that had to read from disk or swap.",
        (Need(FAULTS, ((FAULT_TYPE, "major"),)),),
    ),
    _rate(
        "memory.reclaim.direct",
        "Direct reclaim",
        "Pages that tasks had to search through themselves to get memory. By itself it is not pressure: streaming big "
        "files does it too.",
        _event("pgscan_direct"),
    ),
    _rate(
        "memory.reclaim.background",
        "Background reclaim",
        "Pages searched by the kernel's own thread.",
        _event("pgscan_kswapd"),
    ),
    _rate(
        "memory.refaults",
        "Refaults",
        "Pages read again soon after they were dropped: the cache is too small for them.",
        _event("workingset_refault_file", "workingset_refault_anon", "workingset_refault"),
    ),
    _rate("memory.oom_kills", "Out-of-memory kills", "Processes killed for lack of memory.", _event("oom_kill")),
]


def _swap_held(frame: Frame, _: str | None) -> Series:
    total = frame.level(BYTES, {MEMORY_FIELD: "SwapTotal"})
    return Series(total.timebase, total.values - frame.level(BYTES, {MEMORY_FIELD: "SwapFree"}).values)


def _device_used(frame: Frame, device: str | None) -> Series:
    names = [device] if device is not None else frame.values_of(SWAP_SPACE, DISK)
    if not names:
        raise UnknownCounter(SWAP_SPACE)
    return add(frame.level(SWAP_SPACE, {DISK: name, PAGING_STATE: "used"}) for name in names)


def _traffic(direction: str, title: str, text: str) -> Measure:
    need = Need(SWAP_TRAFFIC, ((PAGING_DIRECTION, direction),))
    return _rate(f"swap.{direction}", title, text, (need,), Resource.SWAP, Unit.BYTES_PER_S, Unit.BYTES)


SWAP = [
    _traffic("in", "Swapped in", "Read back from swap. Sustained, it means that the working set does not fit."),
    _traffic("out", "Swapped out", "Written to swap. A short burst is housekeeping."),
    Measure(
        "swap.held", "Swap used", Unit.BYTES, Resource.SWAP,
        "Occupied swap: idle pages parked there. Not a problem by itself; look at the traffic.",
        "SwapTotal − SwapFree",
        (Need(BYTES, ((MEMORY_FIELD, "SwapTotal"),)), Need(BYTES, ((MEMORY_FIELD, "SwapFree"),))), _swap_held,
    ),
    _size("swap.total", "Swap total", "SwapTotal", "Swap that is switched on.", Resource.SWAP),
    Measure(
        "swap.device.used", "Swap used, by device", Unit.BYTES, Resource.SWAP,
        "Occupied swap of each device or file; of the machine, all together.", "used, as /proc/swaps tells it",
        tuple(Need(SWAP_SPACE, ((PAGING_STATE, "used"),), reach) for reach in (Reach.THIS, Reach.WHOLE)),
        _device_used, per=Per.DISK,
    ),
]  # fmt: skip
