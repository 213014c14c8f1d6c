"""A simulated machine's processors: who runs, waiting, and what the counters make of it."""

from dataclasses import dataclass

import numpy as np

from reditus.core.filters import damped
from reditus.core.kernel_columns import (
    CPU_MODES,
    TICKS_PER_S,
    cpu_time,
    kernel_column,
    load_average,
    run_delay,
    run_time,
)
from reditus.core.schema import Column
from reditus.core.types import FloatArray, IntArray
from reditus.simulator.counting import Remainder, Tally, generator
from reditus.simulator.demand import Load
from reditus.simulator.scenario import Priority, Scenario
from reditus.simulator.troubles import Held

INTERRUPT_SHARE, SOFT_SHARE = 0.002, 0.008
STAYS_S = 8.0
"""How long work stays on its core; over longer ticks the unevenness averages out."""
IDLE_START = 4_000_000


@dataclass(slots=True)
class Running:
    """Who ran and who waited at each tick."""

    per_core: FloatArray
    """Shape (cores, ticks): busy share of each core, packets included."""
    busy: FloatArray
    """Cores."""
    low_share: FloatArray
    """Of that, low-priority work."""
    kernel_share: FloatArray
    soft: FloatArray
    """Shape (cores, ticks): share of each core that packets took."""
    granted: FloatArray
    """Share of the normal demand that got a core."""
    low_granted: FloatArray
    waiting: FloatArray
    """Mean number of tasks that waited for a core."""
    stall: FloatArray
    """Share of time in which at least one task waited."""
    runnable: FloatArray
    blocked: FloatArray
    iowait: FloatArray
    """Cores that were idle while a task waited for a disk."""
    stolen: FloatArray
    """Shape (cores, ticks): share of each core that the hypervisor gave away while there was work for it."""


class Processor:
    """A simulated machine's cores."""

    def __init__(self, scenario: Scenario) -> None:
        self._scenario, self._machine = scenario, scenario.machine
        self._tally = Tally()
        self._idle = Remainder()
        self._rng = generator(scenario.seed, "cores")
        self._state: dict[str, FloatArray] = {}

    def run(self, loads: list[Load], soft_cores: FloatArray, blocked: FloatArray, held: Held) -> Running:
        """Give out the cores: packets first, then bound work, then normal work evenly, then low-priority work what is
        left.
        """
        cores, ticks = self._machine.cores, len(soft_cores)
        soft = np.zeros((cores, ticks))
        if self._machine.packets_core is None:
            soft += soft_cores / cores
        else:
            soft[self._machine.packets_core] = soft_cores
        storm = held.kernel_cores
        normal, low, kernel = storm.copy(), np.zeros(ticks), storm.copy()
        pinned = np.zeros((cores, ticks))
        for load in loads:
            # A task that waits for a disk half of the time asks for a core half of the time.
            wanted = load.cpu * load.progress
            if load.work.core is not None:
                pinned[load.work.core] += wanted
            elif load.work.priority is Priority.LOW:
                low += wanted
            else:
                normal += wanted
            kernel += wanted * load.work.kernel_share
        total = normal + low + pinned.sum(axis=0)
        ours = 1.0 - held.stolen
        bound = np.minimum(pinned, np.maximum(ours - soft, 0.0))
        over_bound = (pinned - bound).sum(axis=0)
        taken = soft + bound
        room = np.maximum(cores * ours - taken.sum(axis=0), 0.0)
        ran = np.minimum(normal, room)
        ran_low = np.minimum(low, room - ran)
        excess = normal - ran + over_bound
        per_core = taken + self._spread(ran + ran_low, taken + held.stolen)
        busy = per_core.sum(axis=0)
        # Short chores meet a core that is taken the more often the fuller the machine is, and wait for a moment.
        brief = 0.10 * (busy / cores / ours) ** 4 * np.abs(self._rng.normal(1.0, 0.3, ticks))
        behind = np.clip(soft_cores - 0.5, 0.0, 0.5) * (self._machine.packets_core is not None)
        waiting = excess + brief * 0.3 + behind * 0.4
        stall = 1.0 - (1.0 - np.clip(excess, 0.0, 1.0)) * (1.0 - np.clip(brief + behind * 0.3, 0.0, 1.0))
        stolen = held.stolen / ours * per_core
        idle = np.maximum(cores - busy - stolen.sum(axis=0), 0.0)
        return Running(
            per_core=per_core,
            busy=busy,
            low_share=ran_low / np.maximum(busy, 1e-9),
            kernel_share=kernel / np.maximum(total, 1e-9),
            soft=soft,
            granted=(ran + bound.sum(axis=0)) / np.maximum(normal + pinned.sum(axis=0), 1e-9),
            low_granted=ran_low / np.maximum(low, 1e-9),
            waiting=waiting,
            stall=stall,
            runnable=busy - soft_cores + waiting,
            blocked=blocked,
            iowait=idle * (1.0 - np.exp(-np.minimum(blocked, idle) / np.maximum(idle, 1e-9) * 1.5)),
            stolen=stolen,
        )

    def _spread(self, wanted: FloatArray, taken: FloatArray) -> FloatArray:
        """Spread work over the room that is left, unevenly, and exactly `wanted` in sum."""
        room = 1.0 - taken
        cores, ticks = taken.shape
        block = max(round(STAYS_S / self._scenario.interval_s), 1)
        uneven = 0.35 * np.sqrt(min(STAYS_S / self._scenario.interval_s, 1.0))
        coarse = np.clip(self._rng.normal(1.0, uneven, (cores, -(-ticks // block))), 0.1, None)
        weight = room * np.repeat(coarse, block, axis=1)[:, :ticks]
        share: FloatArray = weight * (wanted / np.maximum(weight.sum(axis=0), 1e-12))
        np.minimum(share, room, out=share)
        # What did not fit on one core fills the others evenly.
        left = np.maximum(wanted - share.sum(axis=0), 0.0)
        free = room - share
        share += free * (left / np.maximum(free.sum(axis=0), 1e-12))
        return share

    def counters(self, running: Running, held: Held) -> dict[str, dict[Column, IntArray]]:
        """Counters of processor time, waits and load."""
        return {"cpu": self._stat(running, held), "run": self._waits(running), "load": self._loads(running, held)}

    def _stat(self, running: Running, held: Held) -> dict[Column, IntArray]:
        """What /proc/stat would show. Each core's modes add up to its time."""
        interval_s, ticks, cores = self._scenario.interval_s, len(running.busy), self._machine.cores
        in_ticks = interval_s * TICKS_PER_S
        worked = running.per_core - running.soft
        interrupt = worked * INTERRUPT_SHARE
        softirq = running.soft + worked * SOFT_SHARE
        rest = worked * (1 - INTERRUPT_SHARE - SOFT_SHARE)
        nice = rest * running.low_share
        system = (rest - nice) * running.kernel_share
        idle = np.maximum(1.0 - running.per_core - running.stolen, 0.0)
        grown = {
            "user": rest - nice - system,
            "nice": nice,
            "system": system,
            "iowait": idle * (running.iowait / np.maximum(idle.sum(axis=0), 1e-9)),
            "interrupt": interrupt,
            "softirq": softirq,
            "steal": running.stolen,
        }
        counted = {mode: self._tally(mode, part * in_ticks) for mode, part in grown.items()}
        elapsed = self._tally("elapsed", np.full(ticks, in_ticks))
        counted["idle"] = self._idle(elapsed, list(counted.values())) + IDLE_START
        nothing = np.zeros((cores, ticks), dtype=np.int64)
        machine: dict[Column, IntArray] = {}
        each: dict[Column, IntArray] = {}
        for mode in CPU_MODES:
            values = counted.get(mode, nothing)
            machine[cpu_time(mode)] = values.sum(axis=0)
            for core in range(cores):
                each[cpu_time(mode, str(core))] = values[core]
        growth = {
            "system.cpu.context_switches": (
                900 + 2_400 * running.busy + 600 * running.waiting + held.switches + 2 * held.forks,
                81_000_000,
            ),
            "system.cpu.interrupts": (600 + 450 * running.busy, 52_000_000),
            "system.cpu.soft_interrupts": (400 + 300 * running.busy, 40_000_000),
        }
        out = machine | each
        for name, (rate, start) in growth.items():
            out[kernel_column(name)] = self._tally(name, rate * interval_s, start)
        born = self._rng.poisson((3.0 + held.forks) * interval_s, ticks).astype(np.float64)
        out[kernel_column("system.process.created")] = self._tally("created", born, 310_000)
        # The recorder itself runs while it looks.
        out[kernel_column("system.process.runnable")] = np.round(running.runnable + 1).astype(np.int64)
        out[kernel_column("system.process.blocked")] = self._rng.poisson(running.blocked).astype(np.int64)
        started_s = self._scenario.begin_ns // 1_000_000_000 - UPTIME_S
        out[kernel_column("system.boot_time")] = np.full(ticks, started_s, dtype=np.int64)
        return out

    def _waits(self, running: Running) -> dict[Column, IntArray]:
        """What /proc/schedstat would show: waiting, waits for the cores that are fullest."""
        to_ns, cores = self._scenario.interval_s * 1e9, self._machine.cores
        ran = self._tally("ran", running.per_core * to_ns, 9_000_000_000_000)
        weight = running.per_core**4
        waited = weight * (running.waiting / np.maximum(weight.sum(axis=0), 1e-12))
        delay = self._tally("delay", waited * to_ns, 700_000_000_000)
        times = {run_time(str(core)): ran[core] for core in range(cores)}
        return times | {run_delay(str(core)): delay[core] for core in range(cores)}

    def _loads(self, running: Running, held: Held) -> dict[Column, IntArray]:
        """What /proc/loadavg would show: the kernel's damped counts of runnable and blocked tasks."""
        tasks = running.runnable + running.blocked + held.hung
        out: dict[Column, IntArray] = {}
        for span, minutes in (("1m", 1), ("5m", 5), ("15m", 15)):
            kept = np.exp(-self._scenario.interval_s / (60.0 * minutes))
            state = self._state.get(span, tasks[:1] * kept)
            load, self._state[span] = damped(tasks, kept, gain=1 - kept, state=state)
            out[load_average(span)] = np.round(load * 100).astype(np.int64)
        out[kernel_column("system.process.count")] = np.round(320 + running.runnable * 3).astype(np.int64)
        return out


UPTIME_S = 9 * 86_400
"""The machine started so long before the recording begins."""
