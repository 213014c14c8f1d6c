"""How each kind of trouble, and each look-alike, is made on a machine: works and faults between two times.

`allowed` are kinds that may rightly be reported beside it, because they follow from it; anything else is a false alarm.
"""

from collections.abc import Callable
from dataclasses import dataclass, replace

import numpy as np

from reditus.simulator.demand import BACKGROUND, MEMORY_FILLS_S
from reditus.simulator.memory import LEAST_FILES, RESERVE, SHARED_BYTES
from reditus.simulator.scenario import Disk, Fault, FaultKind, Machine, Priority, Work, over_network
from reditus.simulator.troubles import FILESYSTEM_BYTES, USED_AT_FIRST


@dataclass(frozen=True, slots=True)
class Trouble:
    """What is done, and the truth about it."""

    kind: str
    works: tuple[Work, ...] = ()
    faults: tuple[Fault, ...] = ()
    device: str | None = None
    allowed: frozenset[str] = frozenset()
    begins_s: float | None = None
    """When it begins to hurt, where that is later than the work that causes it."""
    machine: Machine | None = None
    """The machine that it needs, changed from the one given."""
    period_s: float | None = None
    steady: bool = True
    """Whether it has a beginning that may be looked for; what grows slowly begins to hurt at no one time."""


@dataclass(frozen=True, slots=True)
class When:
    """When a trouble happens, and the generator for what is random about it."""

    start_s: float
    end_s: float
    length_s: float
    """Of the whole recording."""
    rng: np.random.Generator

    def between(self, low: float, high: float) -> float:
        """A random number of a range."""
        return float(self.rng.uniform(low, high))


Recipe = Callable[[Machine, tuple[Work, ...], When], Trouble]

MEMORY_SIGNS = frozenset(
    {"memory.pressure", "swap.thrashing", "memory.cache_thrash", "disk.saturated", "disk.slow", "swap.full",
    "io.stalled"}
)  # fmt: skip


def _fault(kind: FaultKind, when: When, factor: float, device: str = "") -> Fault:
    return Fault(kind, when.start_s, when.end_s, device, factor)


def _job(when: When, name: str = "job", **more: object) -> Work:
    return replace(Work(name, when.start_s, when.end_s), **more)  # type: ignore[arg-type]


def cpu_saturated(machine: Machine, _: tuple[Work, ...], when: When) -> Trouble:
    """More work than cores."""
    workers = int(machine.cores * when.between(1.3, 2.5)) + 1
    return Trouble("cpu.saturated", (_job(when, workers=workers, kernel_share=when.between(0.03, 0.2)),))


def cpu_one_core(machine: Machine, _: tuple[Work, ...], when: When) -> Trouble:
    """One thread fills one core."""
    core = int(when.rng.integers(machine.cores))
    return Trouble("cpu.one_core", (_job(when, workers=1, core=core),), device=str(core))


def cpu_steal(machine: Machine, _: tuple[Work, ...], when: When) -> Trouble:
    """The hypervisor takes time away."""
    work = _job(when, workers=machine.cores, intensity=when.between(0.3, 0.6))
    taken = _fault(FaultKind.STEAL, when, when.between(0.25, 0.6))
    return Trouble("cpu.steal", (work,), (taken,), allowed=frozenset({"cpu.saturated"}))


def cpu_quota(machine: Machine, _: tuple[Work, ...], when: When) -> Trouble:
    """A group is throttled by its quota."""
    workers = max(int(machine.cores * when.between(0.4, 0.7)), 1)
    limit = _fault(FaultKind.QUOTA, when, workers * when.between(0.15, 0.4), "job")
    return Trouble("cpu.quota", (_job(when, workers=workers),), (limit,))


def cpu_interrupts(machine: Machine, _: tuple[Work, ...], when: When) -> Trouble:
    """One core is full of packet handling."""
    packets = when.between(0.75, 0.9) / machine.packet_cost_s
    work = _job(
        when, workers=1, intensity=0.2, receive_bytes_per_s=packets * 90, packet_bytes=90, link=machine.links[0].name
    )
    allowed = frozenset({"net.backlog", "net.loss"})
    return Trouble("cpu.interrupts", (work,), device=str(machine.packets_core), allowed=allowed)


def cpu_packets(machine: Machine, _: tuple[Work, ...], when: When) -> Trouble:
    """Very many small packets, taken in by all cores, and a program that hands each to the kernel."""
    spread = replace(machine, packets_core=None)
    packets = machine.cores * when.between(0.2, 0.35) / machine.packet_cost_s
    work = _job(
        when, workers=machine.cores, intensity=when.between(0.3, 0.45), kernel_share=0.9,
        receive_bytes_per_s=packets * 90, packet_bytes=90, link=machine.links[0].name,
    )  # fmt: skip
    return Trouble("cpu.packets", (work,), machine=spread, allowed=frozenset({"cpu.saturated", "net.saturated"}))


def cpu_churn(machine: Machine, _: tuple[Work, ...], when: When) -> Trouble:
    """Forks and switches keep the kernel busy."""
    cores = machine.cores * when.between(0.35, 0.6)
    storm = (
        _fault(FaultKind.FORKS, when, cores / 0.0009)
        if when.rng.random() < 0.5
        else _fault(FaultKind.SWITCHES, when, cores / 4.5e-6)
    )
    return Trouble("cpu.churn", (), (storm,), allowed=frozenset({"cpu.saturated"}))


def cpu_thermal(machine: Machine, _: tuple[Work, ...], when: When) -> Trouble:
    """Heat slows the cores down."""
    work = _job(when, workers=machine.cores, intensity=0.6)
    heat = _fault(FaultKind.HEAT, when, when.between(0.5, 4))
    return Trouble("cpu.thermal", (work,), (heat,), allowed=frozenset({"cpu.saturated"}))


def memory_pressure(machine: Machine, base: tuple[Work, ...], when: When) -> Trouble:
    """A job that wants more than there is: swapping begins when it has filled what was left."""
    room = _room_bytes(machine, base)
    wanted = room + machine.swap_bytes * when.between(0.3, 0.6)
    job = _job(when, workers=2, intensity=0.4, memory_bytes=int(wanted))
    begins_s = when.start_s + MEMORY_FILLS_S * room / wanted
    return Trouble("memory.pressure", (job,), allowed=MEMORY_SIGNS, begins_s=begins_s, steady=False)


def swap_thrashing(machine: Machine, base: tuple[Work, ...], when: When) -> Trouble:
    """Programs' own pages go to swap and come back."""
    swaps = _fault(FaultKind.GROUP_SWAPS, when, when.between(0.8e6, 3e6))
    return Trouble("swap.thrashing", (), (swaps,), allowed=MEMORY_SIGNS)


def cache_thrash(machine: Machine, base: tuple[Work, ...], when: When) -> Trouble:
    """Files that are read again and again, and do not fit any more."""
    room = machine.memory_bytes * (1 - RESERVE) - machine.kernel_bytes - SHARED_BYTES - _held_bytes(machine, base)
    search = _job(
        when, "search", workers=4, intensity=0.2, files_bytes=int(room * when.between(1.15, 1.5)),
        reread_bytes_per_s=when.between(120e6, 200e6), read_size=32 * 1024, waits=0.9, depth=4,
    )  # fmt: skip
    allowed = frozenset({"memory.pressure", "disk.saturated", "io.stalled"})
    return Trouble("memory.cache_thrash", (search,), allowed=allowed)


def memory_leak(machine: Machine, base: tuple[Work, ...], when: When) -> Trouble:
    """A program takes ever more memory."""
    room = _room_bytes(machine, base)
    leak = _job(when, "forgetful", workers=1, intensity=0.1, leak_bytes_per_s=room * when.between(0.15,
    0.6) / (when.end_s - when.start_s))  # fmt: skip
    return Trouble("memory.leak", (leak,))


def memory_oom_kill(machine: Machine, base: tuple[Work, ...], when: When) -> Trouble:
    """The kernel kills for lack of memory."""
    return Trouble("memory.oom_kill", (), (_fault(FaultKind.KILLS, when, float(when.rng.integers(1, 4))),))


def swap_full(machine: Machine, base: tuple[Work, ...], when: When) -> Trouble:
    """Grows until swap is full, and a little later it is over."""
    wanted = _room_bytes(machine, base) + 0.995 * (machine.swap_bytes - machine.parked_bytes)
    grower = _job(when, "grower", workers=1, intensity=0.1, memory_bytes=int(wanted))
    begins_s = when.start_s + MEMORY_FILLS_S
    return Trouble("swap.full", (grower,), allowed=MEMORY_SIGNS, begins_s=begins_s, steady=False)


def disk_saturated(machine: Machine, _: tuple[Work, ...], when: When) -> Trouble:
    """More requests than a disk can serve."""
    disk = _some_disk(machine, when)
    depth = int(when.rng.integers(12, 48)) * (disk.parallel if disk.parallel > 1 else 1)
    work = _job(
        when, workers=8, intensity=0.1, disk=disk.name, read_bytes_per_s=4e9, read_size=32 * 1024, depth=depth,
        waits=when.between(0.2, 0.9),
    )  # fmt: skip
    return Trouble("disk.saturated", (work,), device=disk.name, allowed=frozenset({"disk.hot"}))


def disk_slow(machine: Machine, _: tuple[Work, ...], when: When) -> Trouble:
    """One disk takes longer than its peers."""
    disk = machine.disks[int(when.rng.integers(1, len(machine.disks)))]
    work = Work("reader", disk=disk.name, workers=2, intensity=0.05, read_bytes_per_s=0.6e6, read_size=64 * 1024,
    depth=2, waits=0.9)  # fmt: skip
    return Trouble(
        "disk.slow", (work,), (_fault(FaultKind.SLOW_DISK, when, when.between(8, 20), disk.name),), device=disk.name
    )


def disk_hot(machine: Machine, _: tuple[Work, ...], when: When) -> Trouble:
    """One of several disks carries most of the work."""
    disk = _one_by_one(machine)
    work = _job(when, workers=4, intensity=0.05, disk=disk.name, read_bytes_per_s=30e6, read_size=16 * 1024, depth=3,
    waits=0.9)  # fmt: skip
    return Trouble("disk.hot", (work,), device=disk.name, allowed=frozenset({"disk.saturated", "io.stalled"}))


def disk_writeback(machine: Machine, _: tuple[Work, ...], when: When) -> Trouble:
    """Writes pile up faster than the disk takes them."""
    disk = machine.disks[1]
    work = _job(
        when, "ingest", workers=2, intensity=0.3, disk=disk.name, write_bytes_per_s=machine.memory_bytes * 0.02,
        write_size=512 * 1024, depth=int(when.rng.integers(16, 64)), waits=0.4,
    )  # fmt: skip
    allowed = frozenset({"disk.saturated", "disk.slow", "disk.hot"})
    return Trouble("disk.writeback", (work,), device=disk.name, allowed=allowed)


def io_limited(machine: Machine, _: tuple[Work, ...], when: When) -> Trouble:
    """A group's I/O is limited above the device."""
    work = _job(
        when, "limited", workers=3, intensity=0.1, read_bytes_per_s=when.between(30e6, 80e6), depth=4, waits=0.5
    )
    return Trouble("io.limited", (work,), (_fault(FaultKind.IO_LIMIT, when, when.between(0.5e6, 2e6), "limited"),))


def io_stalled(machine: Machine, _: tuple[Work, ...], when: When) -> Trouble:
    """Tasks wait for a disk that is not full."""
    disk = _one_by_one(machine)
    work = _job(when, workers=4, intensity=0.05, disk=disk.name, read_bytes_per_s=60e6, read_size=32 * 1024, depth=3,
    waits=1.0)  # fmt: skip
    return Trouble("io.stalled", (work,), allowed=frozenset({"disk.hot", "disk.saturated"}))


def tasks_blocked(machine: Machine, _: tuple[Work, ...], when: When) -> Trouble:
    """Tasks hang without I/O."""
    least = 0.5 * machine.cores
    return Trouble(
        "tasks.blocked", (), (_fault(FaultKind.HUNG_TASKS, when, round(max(least, 4) + when.between(0, 10))),)
    )


def fs_filling(machine: Machine, _: tuple[Work, ...], when: When) -> Trouble:
    """A filesystem fills up."""
    grown = FILESYSTEM_BYTES * (1 - USED_AT_FIRST) * when.between(0.3, 0.8)
    return Trouble(
        "fs.filling", (), (_fault(FaultKind.FILLING, when, grown / (when.end_s - when.start_s), "/srv"),),
        device="/srv", steady=False,
    )  # fmt: skip


def net_saturated(machine: Machine, _: tuple[Work, ...], when: When) -> Trouble:
    """A link carries all that it can."""
    link = machine.links[-1]
    requested = link.bits_per_s / 8 * 1.3
    receive, send = (requested, 0.0) if when.rng.random() < 0.5 else (0.0, requested)
    work = _job(
        when, workers=1, intensity=0.2, link=link.name, packet_bytes=8_000, receive_bytes_per_s=receive,
        send_bytes_per_s=send
    )  # fmt: skip
    return Trouble("net.saturated", (work,), device=link.name, allowed=frozenset({"net.loss"}))


def net_loss(machine: Machine, _: tuple[Work, ...], when: When) -> Trouble:
    """Segments are lost on the way."""
    return Trouble("net.loss", (), (_fault(FaultKind.LOSSY_LINE, when, when.between(0.02, 0.08)),))


def net_errors(machine: Machine, _: tuple[Work, ...], when: When) -> Trouble:
    """Packets arrive damaged."""
    link = machine.links[0].name
    return Trouble("net.errors", (), (_fault(FaultKind.DAMAGE, when, when.between(1, 40), link),), device=link)


def net_listen_overflow(machine: Machine, _: tuple[Work, ...], when: When) -> Trouble:
    """A program accepts too slowly."""
    return Trouble("net.listen_overflow", (), (_fault(FaultKind.LISTEN_QUEUE, when, when.between(1, 50)),))


def net_udp_overflow(machine: Machine, _: tuple[Work, ...], when: When) -> Trouble:
    """A program reads its datagrams too slowly."""
    return Trouble("net.udp_overflow", (), (_fault(FaultKind.DATAGRAMS, when, when.between(5, 500)),))


def net_backlog(machine: Machine, _: tuple[Work, ...], when: When) -> Trouble:
    """More packets than one core can take."""
    packets = when.between(1.1, 1.6) / machine.packet_cost_s
    work = _job(
        when, workers=1, intensity=0.2, receive_bytes_per_s=packets * 90, packet_bytes=90, link=machine.links[0].name
    )
    return Trouble("net.backlog", (work,), allowed=frozenset({"cpu.interrupts", "net.loss"}))


def periodic(machine: Machine, _: tuple[Work, ...], when: When) -> Trouble:
    """All cores full for a while, again and again."""
    every_s = when.length_s / float(when.rng.integers(7, 11))
    job = Work(
        "timer", 0.3 * every_s, 0.3 * every_s + max(0.2 * every_s, 12.0), workers=2 * machine.cores, every_s=every_s
    )
    return Trouble("cpu.saturated", (job,), period_s=every_s)


PROBLEMS: tuple[Recipe, ...] = (
    cpu_saturated, cpu_one_core, cpu_steal, cpu_quota, cpu_interrupts, cpu_churn, cpu_packets, cpu_thermal,
    memory_pressure, swap_thrashing,
    cache_thrash, memory_leak, memory_oom_kill, swap_full, disk_saturated, disk_slow, disk_hot, disk_writeback,
    io_limited,
    io_stalled, tasks_blocked, fs_filling, net_saturated, net_loss, net_errors, net_listen_overflow, net_udp_overflow,
    net_backlog, periodic,
)  # fmt: skip
NEEDS_EQUALS: tuple[Recipe, ...] = (disk_hot,)
"""Recipes that want several disks alike."""


def memory_free_low(machine: Machine, base: tuple[Work, ...], when: When) -> Trouble:
    """No problem: memory is full of cached files."""
    full = replace(machine, cache_bytes=machine.memory_bytes)
    return Trouble("memory.free_low", machine=full)


def swap_occupied(machine: Machine, _: tuple[Work, ...], when: When) -> Trouble:
    """No problem: pages lie in swap and stay there."""
    return Trouble(
        "swap.occupied", machine=replace(machine, parked_bytes=int(machine.swap_bytes * when.between(0.4, 0.9)))
    )


def iowait_harmless(machine: Machine, _: tuple[Work, ...], when: When) -> Trouble:
    """As many readers as make it look bad, each with a disk of its own that serves it as always."""
    slow = Disk("copy0", service_s=0.004, parallel=8, bytes_per_s=400e6)
    changed = replace(machine, disks=(*machine.disks, slow))
    work = _job(when, "copy", workers=1, intensity=0.05, disk="copy0", read_bytes_per_s=1e9, depth=1, waits=1.0)
    steady = Work("copy's own", disk="copy0", intensity=0.01, read_bytes_per_s=0.4e6, read_size=256 * 1024, depth=1)
    return Trouble("io.iowait_harmless", (work, steady), machine=changed)


def busy_steady(machine: Machine, _: tuple[Work, ...], when: When) -> Trouble:
    """No problem: a disk is busy with short waits."""
    disk = machine.disks[-1]
    work = _job(when, "scrub", workers=1, intensity=0.03, disk=disk.name, read_bytes_per_s=1e9, read_size=64 * 1024,
    depth=1, waits=1.0)  # fmt: skip
    return Trouble("disk.busy_steady", (work,), device=disk.name)


def load_blocked(machine: Machine, _: tuple[Work, ...], when: When) -> Trouble:
    """No problem of the cores: load from tasks that wait for the network."""
    changed = replace(machine, disks=(*machine.disks, over_network("store0")))
    work = _job(when, "backup", workers=8, intensity=0.03, disk="store0", read_bytes_per_s=1e9, read_size=32 * 1024,
    depth=8, waits=1.0)  # fmt: skip
    steady = Work("store's own", disk="store0", intensity=0.01, read_bytes_per_s=0.5e6, read_size=32 * 1024, depth=1)
    return Trouble("load.blocked", (work, steady), machine=changed)


def busy_unwaited(machine: Machine, _: tuple[Work, ...], when: When) -> Trouble:
    """No problem: cores are full of low-priority work."""
    work = _job(when, "thumbnails", workers=machine.cores + 1, priority=Priority.LOW)
    return Trouble("cpu.busy_unwaited", (work,))


def spike(machine: Machine, _: tuple[Work, ...], when: When) -> Trouble:
    """A short spike."""
    short = replace(when, end_s=when.start_s + when.between(8, 25))
    return Trouble("spike", (_job(short, workers=2 * machine.cores),))


def cache_growth(machine: Machine, base: tuple[Work, ...], when: When) -> Trouble:
    """As much as nearly half of a large and empty memory is read once, within minutes."""
    total = 8 * machine.memory_bytes
    empty = replace(
        machine, memory_bytes=total, cache_bytes=total // 20, disks=(Disk("fast0", bytes_per_s=6e9), *machine.disks[1:])
    )
    lasts_s = min(when.end_s - when.start_s, 300.0)
    work = _job(when, "reader", workers=1, intensity=0.2, read_bytes_per_s=total * 0.4 / lasts_s, depth=4, waits=0.1)
    work = replace(work, end_s=when.start_s + lasts_s)
    return Trouble("memory.cache_growth", (work,), machine=empty)


def data_gap(machine: Machine, _: tuple[Work, ...], when: When) -> Trouble:
    """Nothing is recorded for a while."""
    return Trouble("data.gap", (), (_fault(FaultKind.UNOBSERVED, when, 1.0),))


LOOK_ALIKES: tuple[Recipe, ...] = (
    memory_free_low, swap_occupied, iowait_harmless, busy_steady, load_blocked, busy_unwaited, spike, cache_growth,
    data_gap,
)  # fmt: skip


FEW_CORES: tuple[Recipe, ...] = (iowait_harmless, load_blocked, cpu_packets)
"""Recipes that show on machines with few cores only."""


def _held_bytes(machine: Machine, base: tuple[Work, ...]) -> float:
    return machine.programs_bytes + sum(work.memory_bytes for work in (*base, BACKGROUND))


def _room_bytes(machine: Machine, base: tuple[Work, ...]) -> float:
    """What programs may still take before some of it is swapped out."""
    kept = machine.kernel_bytes + SHARED_BYTES + machine.memory_bytes * (LEAST_FILES + RESERVE)
    return machine.memory_bytes - kept - _held_bytes(machine, base)


def _some_disk(machine: Machine, when: When) -> Disk:
    return machine.disks[int(when.rng.integers(len(machine.disks)))]


def _one_by_one(machine: Machine) -> Disk:
    """The last disk that serves one request after the other: a few at a time are already more than it keeps up with."""
    return next(disk for disk in reversed(machine.disks) if disk.parallel == 1)
