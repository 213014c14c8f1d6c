"""What goes wrong beside too much work: limits, heat, a hypervisor that takes cores away, storms, tasks that hang.

Each acts where the kernel would show it: a quota stops tasks without making them runnable, a limit on I/O holds them
above the disk, a hung task is counted in the load and nowhere else.
"""

from dataclasses import dataclass

import numpy as np

from reditus.core.counters import CGROUP, CPU_NUMBER, FILESYSTEM_STATE, MOUNT, THROTTLE
from reditus.core.kernel_columns import kernel_column
from reditus.core.schema import Column
from reditus.core.types import FloatArray, IntArray
from reditus.simulator.counting import Tally
from reditus.simulator.demand import Load
from reditus.simulator.scenario import FaultKind, Scenario

PERIODS_PER_S = 10.0
"""A quota is given out again every tenth of a second."""
FORK_S, SWITCH_S = 0.0009, 4.5e-6
"""What the kernel needs for a new task, and for a switch between two."""
SLOWED = 0.7
"""Of its speed, what a hot core keeps."""
FILESYSTEM_BYTES = 200 * 10**9
USED_AT_FIRST = 0.6


@dataclass(slots=True)
class Held:
    """Who is kept from working at each tick, and by what."""

    quota_stall: FloatArray
    """Share of time in which a task was stopped by a quota."""
    io_tasks: FloatArray
    """Tasks that wait for I/O which has not reached a disk yet."""
    hung: FloatArray
    """Tasks in uninterruptible sleep on something that is no I/O."""
    stolen: FloatArray
    """Share of every core that the hypervisor gives to others."""
    forks: FloatArray
    switches: FloatArray

    @property
    def kernel_cores(self) -> FloatArray:
        """Processor time that storms ask of the kernel, in cores."""
        out: FloatArray = self.forks * FORK_S + self.switches * SWITCH_S
        return out


class Troubles:
    """The faults of a scenario, part by part."""

    def __init__(self, scenario: Scenario) -> None:
        self._scenario = scenario
        self._tally = Tally()

    def level(self, kind: FaultKind, at_s: FloatArray, device: str | None = None) -> FloatArray:
        """The factor of a fault while it lasts, else 0; without a device that of all."""
        out = np.zeros(len(at_s))
        for fault in self._scenario.faults:
            if fault.kind is kind and device in (None, fault.device):
                out[(at_s > fault.start_s) & (at_s <= fault.end_s)] += fault.factor
        return out

    def hold_back(self, at_s: FloatArray, loads: list[Load]) -> Held:
        """Take from the works what limits keep from them, in place."""
        stall, io_tasks = np.zeros(len(at_s)), np.zeros(len(at_s))
        hot = self.level(FaultKind.HEAT, at_s) > 0
        for load in loads:
            load.cpu[hot] = np.minimum(load.cpu[hot] / SLOWED, (load.on * load.work.workers)[hot])
            stopped = self._stopped(at_s, load)
            load.cpu *= 1.0 - stopped
            stall = np.maximum(stall, stopped)
            io_tasks += self._limited(at_s, load)
        return Held(
            quota_stall=stall,
            io_tasks=io_tasks,
            hung=self.level(FaultKind.HUNG_TASKS, at_s),
            stolen=np.minimum(self.level(FaultKind.STEAL, at_s), 0.9),
            forks=self.level(FaultKind.FORKS, at_s),
            switches=self.level(FaultKind.SWITCHES, at_s),
        )

    def _stopped(self, at_s: FloatArray, load: Load) -> FloatArray:
        """Share of time for which its quota stops a work."""
        quota = self.level(FaultKind.QUOTA, at_s, load.work.name)
        short: FloatArray = np.where(quota > 0, np.clip(1.0 - quota / np.maximum(load.cpu, 1e-9), 0.0, 1.0), 0.0)
        return short

    def _limited(self, at_s: FloatArray, load: Load) -> FloatArray:
        """Tasks of the work that a limit on its I/O holds up."""
        limit = self.level(FaultKind.IO_LIMIT, at_s, load.work.name)
        wanted = load.read + load.write
        kept = np.where(limit > 0, np.minimum(limit / np.maximum(wanted, 1.0), 1.0), 1.0)
        load.read *= kept
        load.write *= kept
        load.cpu *= 0.2 + 0.8 * kept
        held: FloatArray = (1.0 - kept) * load.work.workers * load.on
        return held

    def counters(self, at_s: FloatArray, held: Held) -> dict[str, dict[Column, IntArray]]:
        """Of control groups, heat and filesystems: only where the scenario has a fault that they tell of."""
        kinds = {fault.kind for fault in self._scenario.faults}
        out: dict[str, dict[Column, IntArray]] = {}
        if FaultKind.QUOTA in kinds:
            out["cgroup.cpu"] = self._quotas(at_s, held)
        if FaultKind.HEAT in kinds:
            out["throttle"] = self._heat(at_s)
        if FaultKind.FILLING in kinds:
            out["filesystem"] = self._space(at_s)
        return out

    def _quotas(self, at_s: FloatArray, held: Held) -> dict[Column, IntArray]:
        interval_s = self._scenario.interval_s
        out: dict[Column, IntArray] = {}
        for name in sorted({fault.device for fault in self._scenario.faults if fault.kind is FaultKind.QUOTA}):
            on = self.level(FaultKind.QUOTA, at_s, name) > 0
            own = {CGROUP: f"/{name}"}
            periods: FloatArray = on * np.float64(PERIODS_PER_S * interval_s)
            throttled: FloatArray = periods * (held.quota_stall > 0.02)
            out[kernel_column("system.cgroup.cpu.periods", own)] = self._tally((name, "periods"), periods, 8_000)
            out[kernel_column("system.cgroup.cpu.throttled_periods", own)] = self._tally((name, "held"), throttled, 12)
        return out

    def _heat(self, at_s: FloatArray) -> dict[Column, IntArray]:
        often = self.level(FaultKind.HEAT, at_s) * self._scenario.interval_s
        counted = self._tally("heat", often, 40)
        return {
            kernel_column("system.cpu.linux.throttled", {CPU_NUMBER: str(core), THROTTLE: "core"}): counted
            for core in range(self._scenario.machine.cores)
        }

    def _space(self, at_s: FloatArray) -> dict[Column, IntArray]:
        out: dict[Column, IntArray] = {}
        for mount in sorted({fault.device for fault in self._scenario.faults if fault.kind is FaultKind.FILLING}):
            grown = self.level(FaultKind.FILLING, at_s, mount) * np.float64(self._scenario.interval_s)
            used = self._tally(mount, grown.astype(np.float64), int(USED_AT_FIRST * FILESYSTEM_BYTES))
            used = np.minimum(used, int(0.999 * FILESYSTEM_BYTES))
            for state, values in (("used", used), ("free", FILESYSTEM_BYTES - used)):
                out[kernel_column("system.filesystem.usage", {MOUNT: mount, FILESYSTEM_STATE: state})] = values
        return out
