"""A simulated machine's processors: who runs, who waits, and what the counters make of it."""

from dataclasses import dataclass

import numpy as np
from scipy.signal import lfilter

from reditus.core.kernel_columns import (
    CPU_MODES,
    TICKS_PER_S,
    cpu_time,
    kernel_column,
    load_average,
    run_delay,
    run_time,
)
from reditus.core.layout import Column
from reditus.core.types import FloatArray, IntArray
from reditus.simulator.counting import counted, remainder
from reditus.simulator.load import Load
from reditus.simulator.scenario import Scenario


@dataclass(frozen=True, slots=True)
class Running:
    """Who ran and who waited at each tick."""

    per_core: FloatArray
    """Shape (cores, ticks): busy share of each core."""
    low: FloatArray
    """Cores that low-priority work got."""
    waiting: FloatArray
    """Mean number of tasks that waited for a core."""
    stall: FloatArray
    """Share of time in which at least one task waited."""
    runnable: FloatArray


def run(load: Load, cores: int, rng: np.random.Generator) -> Running:
    """Give out the cores: bound work first, then normal work evenly, then low-priority work what is left."""
    ticks = load.normal.shape[0]
    pinned = np.minimum(load.pinned, 1.0)
    room = cores - pinned.sum(axis=0)
    normal = np.minimum(load.normal, room)
    low = np.minimum(load.low, room - normal)
    excess = load.normal - normal + np.maximum(load.pinned - 1.0, 0.0).sum(axis=0)
    spread = _spread(normal + low, pinned, rng)
    busy = (pinned + spread).sum(axis=0)
    # Short chores meet a core that is taken the more often the fuller the machine is, and wait for a moment.
    crowded = (busy / cores) ** 4
    brief = 0.10 * crowded * np.abs(rng.normal(1.0, 0.3, ticks))
    waiting = excess + brief * 0.3
    stall = np.clip(1.0 - (1.0 - np.clip(excess, 0.0, 1.0)) * (1.0 - np.clip(brief, 0.0, 1.0)), 0.0, 1.0)
    return Running(pinned + spread, low, waiting, stall, busy + excess)


def _spread(wanted: FloatArray, pinned: FloatArray, rng: np.random.Generator) -> FloatArray:
    """Spread work over the room that bound work leaves, unevenly, and exactly `wanted` in sum."""
    room = 1.0 - pinned
    weight = room * np.clip(rng.normal(1.0, 0.35, pinned.shape), 0.1, None)
    share = np.zeros_like(pinned)
    left = wanted.copy()
    # What does not fit on one core goes to the others; a few rounds settle it, the last one fills evenly.
    for _ in range(6):
        open_weight = np.where(share < room, weight, 0.0)
        total = open_weight.sum(axis=0)
        share = np.minimum(share + np.where(total > 0, open_weight * left / np.maximum(total, 1e-12), 0.0), room)
        left = np.maximum(wanted - share.sum(axis=0), 0.0)
    free = room - share
    full: FloatArray = share + free * left / np.maximum(free.sum(axis=0), 1e-12)
    return full


def cpu_counters(scenario: Scenario, load: Load, running: Running, rng: np.random.Generator) -> dict[Column, IntArray]:
    """What /proc/stat would show. Each core's modes add up to its time."""
    interval_s, ticks = scenario.interval_s, len(load.normal)
    out: dict[Column, IntArray] = {}
    sums: dict[str, IntArray] = {mode: np.zeros(ticks, dtype=np.int64) for mode in CPU_MODES}
    elapsed = counted(np.full(ticks, interval_s * TICKS_PER_S))
    busy_all = running.per_core.sum(axis=0)
    low_share = running.low / np.maximum(busy_all, 1e-9)
    waits_for_disk = np.clip((load.read + load.write) / 400e6, 0.0, 0.4)
    for core, busy in enumerate(running.per_core):
        part = busy * interval_s * TICKS_PER_S
        soft = part * 0.01 + load.receive / 1e9 * (core == 0) * interval_s * TICKS_PER_S
        interrupt, softirq = part * 0.002, np.minimum(soft, part * 0.3)
        rest = part - interrupt - softirq
        nice = rest * low_share
        system = (rest - nice) * load.kernel_share
        modes = {
            "user": rest - nice - system,
            "nice": nice,
            "system": system,
            "interrupt": interrupt,
            "softirq": softirq,
            "iowait": (1 - busy) * waits_for_disk * interval_s * TICKS_PER_S * (core % 4 == 1),
        }
        begun = {mode: int(rng.integers(1_000, 90_000)) for mode in modes}
        own = {mode: counted(growth) for mode, growth in modes.items()}
        own["idle"] = remainder(elapsed, list(own.values()))
        own |= {mode: np.zeros(ticks, dtype=np.int64) for mode in ("steal", "guest", "guest_nice")}
        for mode in CPU_MODES:
            values = own[mode] + begun.get(mode, 4_000_000 if mode == "idle" else 0)
            out[cpu_time(mode, str(core))] = values
            sums[mode] += values
    machine = {cpu_time(mode): sums[mode] for mode in CPU_MODES}
    switches = (900 + 2_400 * busy_all + 600 * running.waiting) * interval_s
    others = {
        kernel_column("system.cpu.context_switches"): counted(switches, 81_000_000),
        kernel_column("system.cpu.interrupts"): counted((600 + 450 * busy_all) * interval_s, 52_000_000),
        kernel_column("system.cpu.soft_interrupts"): counted((400 + 300 * busy_all) * interval_s, 40_000_000),
        kernel_column("system.process.created"): counted(rng.poisson(3.0, ticks) * np.float64(interval_s), 310_000),
        # The recorder itself runs while it looks.
        kernel_column("system.process.runnable"): np.round(running.runnable + 1).astype(np.int64),
        kernel_column("system.process.blocked"): rng.poisson(np.clip(waits_for_disk, 0, None)),
    }
    return machine | out | others


def waiting_counters(scenario: Scenario, running: Running) -> dict[Column, IntArray]:
    """What /proc/schedstat would show."""
    to_ns = scenario.interval_s * 1e9
    out: dict[Column, IntArray] = {}
    cores = len(running.per_core)
    for core, busy in enumerate(running.per_core):
        out[run_time(str(core))] = counted(busy * to_ns, 9_000_000_000_000)
        out[run_delay(str(core))] = counted(running.waiting / cores * to_ns, 700_000_000_000)
    return out


def load_counters(scenario: Scenario, running: Running) -> dict[Column, IntArray]:
    """What /proc/loadavg would show: the kernel's damped counts of the tasks of the moment."""
    out: dict[Column, IntArray] = {}
    for span, minutes in (("1m", 1), ("5m", 5), ("15m", 15)):
        kept = np.exp(-scenario.interval_s / (60.0 * minutes))
        start = running.runnable[:1] * kept
        damped, _ = lfilter([1 - kept], [1.0, -kept], running.runnable, zi=start)
        out[load_average(span)] = np.round(damped * 100).astype(np.int64)
    out[kernel_column("system.process.count")] = np.round(320 + running.runnable * 3).astype(np.int64)
    return out
