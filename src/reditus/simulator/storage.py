"""A simulated machine's memory, disk and network counters."""

import numpy as np

from reditus.core.kernel_columns import (
    backlog,
    disk_columns,
    interface_columns,
    kernel_column,
    memory_size,
    page_faults,
    paging_event,
    protocol_event,
    stall_total,
    swap_pages,
)
from reditus.core.layout import Column
from reditus.core.types import FloatArray, IntArray
from reditus.simulator.counting import counted
from reditus.simulator.load import Load
from reditus.simulator.processor import Running
from reditus.simulator.scenario import Scenario

KIB = 1024
READ_BYTES, WRITE_BYTES = 256 * KIB, 128 * KIB
"""Size of a request."""
PACKET_BYTES = 1_200
EVENTS = (
    "pgscan_kswapd", "pgscan_direct", "pgsteal_kswapd", "pgsteal_direct", "workingset_refault_file",
    "workingset_refault_anon", "oom_kill",
)  # fmt: skip


def memory_counters(scenario: Scenario, load: Load) -> dict[Column, IntArray]:
    """What /proc/meminfo would show; the parts add up to the total."""
    total = scenario.machine.memory_bytes
    ticks = len(load.normal)
    programs = 3.1 * 2**30 + load.memory_bytes
    kernel = np.full(ticks, 0.62 * 2**30)
    shared = np.full(ticks, 0.14 * 2**30)
    read_bytes = np.cumsum(load.read + load.write) * scenario.interval_s
    cache = np.minimum(6.5 * 2**30 + read_bytes, total - programs - kernel - shared - 0.4 * 2**30)
    free = total - programs - kernel - shared - cache
    dirty = np.minimum(load.write * 12.0, 1.5 * 2**30)
    sizes: dict[str, FloatArray] = {
        "MemTotal": np.full(ticks, float(total)),
        "MemFree": free,
        # The kernel's estimate: free, and half to nearly all of what can be dropped.
        "MemAvailable": free + 0.92 * cache + 0.4 * kernel * 0.5,
        "Buffers": np.full(ticks, 0.11 * 2**30),
        "Cached": cache - 0.11 * 2**30 + shared,
        "SwapCached": np.zeros(ticks),
        "Active(file)": cache * 0.4,
        "Inactive(file)": cache * 0.6,
        "AnonPages": programs,
        "Shmem": shared,
        "Slab": kernel * 0.8,
        "SReclaimable": kernel * 0.5,
        "SUnreclaim": kernel * 0.3,
        "KernelStack": kernel * 0.05,
        "PageTables": kernel * 0.15,
        "Dirty": dirty,
        "Writeback": dirty * 0.04,
        "SwapTotal": np.full(ticks, 4.0 * 2**30),
        "SwapFree": np.full(ticks, 3.7 * 2**30),
    }
    return {memory_size(name): np.round(values / KIB).astype(np.int64) for name, values in sizes.items()}


def paging_counters(scenario: Scenario, load: Load, rng: np.random.Generator) -> dict[Column, IntArray]:
    """What /proc/vmstat would show of a machine whose memory suffices."""
    ticks = len(load.normal)
    quiet = np.zeros(ticks)
    faults = rng.poisson((1_500 + 900 * load.normal) * scenario.interval_s).astype(np.float64)
    out = {
        swap_pages("in"): counted(quiet, 4_100),
        swap_pages("out"): counted(quiet, 79_000),
        page_faults("all"): counted(faults, 210_000_000),
        page_faults("major"): counted(rng.poisson(0.02, ticks).astype(np.float64), 8_400),
    }
    return out | {paging_event(event): counted(quiet, 0) for event in EVENTS}


def disk_counters(scenario: Scenario, load: Load) -> tuple[dict[Column, IntArray], FloatArray]:
    """What /proc/diskstats would show, and the share of time in which tasks were held up by the disk.

    queue = requests per second × wait (Little's law); the wait grows as the disk nears what it can serve.
    """
    machine, interval_s = scenario.machine, scenario.interval_s
    reads, writes = load.read / READ_BYTES, load.write / WRITE_BYTES
    use = np.clip((reads + writes) * machine.disk_service_s / machine.disk_parallel, 0.0, 0.97)
    wait_s = machine.disk_service_s / (1.0 - use)
    busy = 1.0 - np.exp(-(reads + writes) * wait_s)
    in_ms = interval_s * 1_000
    zero = np.zeros(len(reads))
    queue = (reads + writes) * wait_s
    growth = [
        reads * interval_s, reads * 0.1 * interval_s, load.read * interval_s / 512, reads * wait_s * in_ms,
        writes * interval_s, writes * 0.4 * interval_s, load.write * interval_s / 512, writes * wait_s * in_ms,
        None, busy * in_ms, queue * in_ms,
        zero, zero, zero, zero, zero, zero,
    ]  # fmt: skip
    columns = disk_columns(machine.disk)
    counters = {
        column: np.round(queue).astype(np.int64) if grown is None else counted(grown, 40_000)
        for column, grown in zip(columns, growth, strict=True)
    }
    return counters, np.clip(busy * 0.25, 0.0, 1.0)


def network_counters(scenario: Scenario, load: Load) -> dict[Column, IntArray]:
    """What /proc/net/dev would show of one interface."""
    interval_s = scenario.interval_s
    receive, send = load.receive * interval_s, load.send * interval_s
    zero = np.zeros(len(receive))
    growth = [
        receive, receive / PACKET_BYTES, zero, zero, zero, zero, zero, zero,
        send, send / PACKET_BYTES, zero, zero, zero, zero, zero, zero,
    ]  # fmt: skip
    columns = interface_columns(scenario.machine.interface)
    return {column: counted(grown, 9_000) for column, grown in zip(columns, growth, strict=True)}


def protocol_counters(scenario: Scenario, load: Load, rng: np.random.Generator) -> dict[Column, IntArray]:
    """What /proc/net/snmp and netstat would show on a line that loses hardly anything."""
    ticks = len(load.receive)
    sent = load.send / PACKET_BYTES * scenario.interval_s
    again = rng.poisson(sent * 0.0002).astype(np.float64)
    quiet = np.zeros(ticks)
    growth = {
        ("tcp", "OutSegs"): sent + again,
        ("tcp", "InSegs"): load.receive / PACKET_BYTES * scenario.interval_s,
        ("tcp", "RetransSegs"): again,
        ("tcp", "EstabResets"): rng.poisson(0.01, ticks).astype(np.float64),
        ("tcp", "AttemptFails"): rng.poisson(0.02, ticks).astype(np.float64),
        ("tcpext", "ListenOverflows"): quiet,
        ("udp", "RcvbufErrors"): quiet,
        ("udp", "NoPorts"): rng.poisson(0.05, ticks).astype(np.float64),
    }
    return {protocol_event(protocol, name): counted(grown, 2_000) for (protocol, name), grown in growth.items()}


def backlog_counters(scenario: Scenario, load: Load) -> dict[Column, IntArray]:
    """What /proc/net/softnet_stat would show: the first core takes the packets, and keeps up."""
    packets = load.receive / PACKET_BYTES * scenario.interval_s
    out: dict[Column, IntArray] = {}
    for core in range(scenario.machine.cores):
        taken = packets if core == 0 else np.zeros(len(packets))
        for word, grown in (("processed", taken), ("dropped", taken * 0), ("squeezed", taken * 1e-5)):
            out[backlog(word, str(core))] = counted(grown)
    return out


def stall_counters(scenario: Scenario, running: Running, io_stall: FloatArray) -> dict[Column, IntArray]:
    """What the pressure files would show: time lost follows from who waited."""
    in_us = scenario.interval_s * 1e6
    nothing = np.zeros(len(io_stall))
    shares = {
        ("cpu", "some"): running.stall,
        ("cpu", "full"): nothing,
        ("memory", "some"): nothing,
        ("memory", "full"): nothing,
        ("io", "some"): io_stall,
        ("io", "full"): io_stall * 0.6,
    }
    return {
        stall_total(resource, scope): counted(share * in_us, 5_000_000) for (resource, scope), share in shares.items()
    }


def boot_time(begin_ns: int, ticks: int) -> dict[Column, IntArray]:
    """The machine started nine days before the archive begins."""
    started_s = begin_ns // 1_000_000_000 - 9 * 86_400
    return {kernel_column("system.boot_time"): np.full(ticks, started_s, dtype=np.int64)}
