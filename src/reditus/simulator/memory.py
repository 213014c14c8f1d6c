"""Memory: parts that add up, files that come and go, swap traffic, reclaim that follows demand."""

from dataclasses import dataclass

import numpy as np

from reditus.core.counters import DISK, PAGING_STATE
from reditus.core.kernel_columns import KIBIBYTE, kernel_column, memory_size, page_faults, paging_event, swap_pages
from reditus.core.schema import Column
from reditus.core.types import FloatArray, IntArray
from reditus.simulator.counting import Tally, generator
from reditus.simulator.demand import Load, held_bytes
from reditus.simulator.scenario import Scenario, Work

KIB, PAGE = 1024, 4096
SHARED_BYTES = 140 * 2**20
BUFFERS_BYTES = 110 * 2**20
LEAST_FILES, RESERVE = 0.02, 0.012
"""Shares of all memory: files that the kernel never gives up, and what it keeps free."""
THRASH_POWER = 1.5
OOM_FALLS_S = 5.0


@dataclass(slots=True)
class Wants:
    """What memory asks of the swap disk, and how much of the rereads it cannot answer."""

    over: FloatArray
    swap_in: FloatArray
    swap_out: FloatArray
    missed: FloatArray


class Memory:
    """A simulated machine's memory and swap."""

    def __init__(self, scenario: Scenario) -> None:
        machine = scenario.machine
        self._scenario, self._machine = scenario, machine
        self._tally = Tally()
        self._rng = generator(scenario.seed, "faults")
        kept = machine.kernel_bytes + SHARED_BYTES + machine.memory_bytes * (LEAST_FILES + RESERVE)
        self.limit_bytes = machine.memory_bytes - kept
        """What programs may hold at most before some of it is swapped out."""
        self.killed = self._find_kill()
        """The work that the kernel ends for lack of memory, and when."""
        self._swapped = float(machine.parked_bytes)
        self._files: float | None = None
        self._group_kills = 0.0

    def _find_kill(self) -> tuple[Work, float] | None:
        leaks = [work for work in self._scenario.works if work.leak_bytes_per_s > 0]
        if not leaks:
            return None
        at_s: FloatArray = np.arange(self._scenario.ticks) * np.float64(self._scenario.interval_s)
        held: FloatArray = np.full(len(at_s), float(self._machine.programs_bytes))
        for work in self._scenario.works:
            held = held + held_bytes(work, at_s)
        full = held > self.limit_bytes + self._machine.swap_bytes - self._machine.parked_bytes
        return (leaks[0], float(at_s[np.argmax(full)])) if full.any() else None

    def wants(self, at_s: FloatArray, loads: list[Load]) -> Wants:
        """What programs take, and what that swaps in and out and misses."""
        programs = self._programs(at_s, loads)
        over = np.maximum(programs - self.limit_bytes, 0.0)
        swapped = np.minimum(self._machine.parked_bytes + over, self._machine.swap_bytes)
        grown = np.diff(swapped, prepend=self._swapped)
        # Of what is touched, the share that is not there; the hottest pages stay, so at first little is missed.
        missing = (over / np.maximum(programs, 1.0)) ** THRASH_POWER
        swap_in = self._machine.touch_bytes_per_s * missing
        room = np.maximum(self._machine.memory_bytes * (1 - RESERVE) - self._kept() - (programs - over), 0.0)
        files = sum((load.on * load.work.files_bytes for load in loads), np.zeros(len(at_s)))
        missed = np.clip(1.0 - room / np.maximum(files, 1.0), 0.0, 1.0) * (files > 0)
        return Wants(over, swap_in, swap_in + np.maximum(grown, 0.0) / self._scenario.interval_s, missed)

    def _programs(self, at_s: FloatArray, loads: list[Load]) -> FloatArray:
        total = np.full(len(at_s), float(self._machine.programs_bytes))
        for load in loads:
            if self.killed and load.work is self.killed[0]:
                alive = np.clip((self.killed[1] + OOM_FALLS_S - at_s) / OOM_FALLS_S, 0.0, 1.0)
                load.memory *= alive
                load.cpu *= alive
            total += load.memory
        return total

    def _kept(self) -> float:
        return self._machine.kernel_bytes + SHARED_BYTES

    def counters(
        self,
        at_s: FloatArray,
        loads: list[Load],
        wants: Wants,
        traffic: tuple[FloatArray, FloatArray],
        file_bytes: FloatArray,
    ) -> dict[str, dict[Column, IntArray]]:
        """What /proc/meminfo, /proc/vmstat and /proc/swaps would show. `traffic` are the bytes a second that were
        swapped in and out; `file_bytes`
        a second were read and written.
        """
        interval_s, total, ticks = self._scenario.interval_s, self._machine.memory_bytes, len(at_s)
        programs = sum((load.memory for load in loads), np.full(ticks, float(self._machine.programs_bytes)))
        resident = programs - wants.over
        swapped = np.minimum(self._machine.parked_bytes + wants.over, self._machine.swap_bytes)
        self._swapped = float(swapped[-1])
        room = total * (1 - RESERVE) - self._kept() - resident
        # Files grow by what is read and written until there is no room: a reflected sum.
        grown = np.cumsum(file_bytes * interval_s)
        before = float(min(self._machine.cache_bytes, room[0])) if self._files is None else self._files
        files = grown + np.minimum.accumulate(np.minimum(before, room - grown))
        evicted = np.maximum(np.concatenate([[before], files[:-1]]) + file_bytes * interval_s - files, 0.0)
        self._files = float(files[-1])
        free = total - self._kept() - resident - files
        sizes = self._sizes(
            ticks, free=free, files=files, resident=resident, swapped=swapped, writing=self._dirty(loads)
        )
        memory = {memory_size(name): np.round(size / KIB).astype(np.int64) for name, size in sizes.items()}
        paging = self._events(ticks, wants, traffic, evicted, resident)
        return {"memory": memory, "paging": paging}

    def _dirty(self, loads: list[Load]) -> FloatArray:
        writing = sum((load.write for load in loads), np.zeros(len(loads[0].on)))
        return np.minimum(writing * 12.0, 0.1 * self._machine.memory_bytes)

    def _sizes(
        self, ticks: int, *, free: FloatArray, files: FloatArray, resident: FloatArray, swapped: FloatArray,
        writing: FloatArray,
    ) -> dict[str, FloatArray]:  # fmt: skip
        total, kernel = self._machine.memory_bytes, float(self._machine.kernel_bytes)

        def level(size: float) -> FloatArray:
            return np.full(ticks, float(size))

        low = total * 0.004
        reclaimable = kernel * 0.5
        # si_mem_available(): free less the reserve, and of files and slab all but half, or the watermark.
        available = free - low + files - np.minimum(files / 2, low) + reclaimable - min(reclaimable / 2, low)
        return {
            "MemTotal": level(total),
            "MemFree": free,
            "MemAvailable": np.maximum(available, 0.0),
            "Buffers": level(BUFFERS_BYTES),
            "Cached": files - BUFFERS_BYTES + SHARED_BYTES,
            "SwapCached": level(0),
            "Active": resident * 0.7 + files * 0.4,
            "Inactive": resident * 0.3 + files * 0.6,
            "Active(anon)": resident * 0.7,
            "Inactive(anon)": resident * 0.3,
            "Active(file)": files * 0.4,
            "Inactive(file)": files * 0.6,
            "Unevictable": level(0),
            "AnonPages": resident,
            "AnonHugePages": resident * 0.2,
            "Shmem": level(SHARED_BYTES),
            "Slab": level(kernel * 0.8),
            "SReclaimable": level(reclaimable),
            "SUnreclaim": level(kernel * 0.3),
            "KernelStack": level(kernel * 0.05),
            "PageTables": level(kernel * 0.15),
            "Dirty": writing,
            "Writeback": writing * 0.04,
            "SwapTotal": level(self._machine.swap_bytes),
            "SwapFree": np.maximum(self._machine.swap_bytes - swapped, 0.0),
        }

    def _events(
        self,
        ticks: int,
        wants: Wants,
        traffic: tuple[FloatArray, FloatArray],
        evicted: FloatArray,
        resident: FloatArray,
    ) -> dict[Column, IntArray]:
        interval_s = self._scenario.interval_s
        pages_in = traffic[0] * interval_s / PAGE
        pages_out = traffic[1] * interval_s / PAGE
        stolen = evicted / PAGE + pages_out
        pressed = np.clip(wants.over / self._machine.memory_bytes * 8, 0.0, 1.0)
        direct = 0.02 + 0.5 * pressed
        yields = 0.95 - 0.6 * pressed
        soft = self._rng.poisson(1_500 * interval_s, ticks).astype(np.float64) + resident * 1e-7 * interval_s
        major = pages_in + self._rng.poisson(0.02 * interval_s, ticks)
        growth = {
            swap_pages("in"): (pages_in, 4_100),
            swap_pages("out"): (pages_out, 79_000),
            page_faults("all"): (soft + major, 210_000_000),
            page_faults("major"): (major, 8_400),
            paging_event("pgscan_kswapd"): (stolen * (1 - direct) / yields, 0),
            paging_event("pgscan_direct"): (stolen * direct / yields, 0),
            paging_event("pgsteal_kswapd"): (stolen * (1 - direct), 0),
            paging_event("pgsteal_direct"): (stolen * direct, 0),
            paging_event("allocstall_normal"): (stolen * direct / 32, 0),
            paging_event("workingset_refault_file"): (self._refaults, 0),
            paging_event("workingset_refault_anon"): (pages_in, 0),
            paging_event("oom_kill"): (self._kills, 0),
        }
        return {column: self._tally(column, grown, start) for column, (grown, start) in growth.items()}

    def note(self, at_s: FloatArray, loads: list[Load], missed: FloatArray, group_kills: FloatArray) -> None:
        """Keep what the events need beside swap: rereads that missed, and kills. Where `group_kills` begins to be above
        0, as many processes of a control group are killed.
        """
        interval_s = self._scenario.interval_s
        reread = sum((load.reread * np.asarray(load.progress) for load in loads), np.zeros(len(at_s)))
        self._refaults = reread * missed * interval_s / PAGE
        killed_s = self.killed[1] if self.killed else -1.0
        self._kills = ((at_s >= killed_s) & (at_s - interval_s < killed_s) & (killed_s >= 0)).astype(np.float64)
        self._kills += np.maximum(np.diff(group_kills, prepend=self._group_kills), 0.0)
        self._group_kills = float(group_kills[-1])


def swap_space(scenario: Scenario, memory: dict[Column, IntArray]) -> dict[Column, IntArray]:
    """What /proc/swaps would show, from the memory's own counters."""
    device = scenario.machine.swap_disk or scenario.machine.disks[0].name
    total, free = memory[memory_size("SwapTotal")], memory[memory_size("SwapFree")]

    def column(state: str) -> Column:
        return kernel_column("system.paging.usage", {DISK: device, PAGING_STATE: state}, scale=KIBIBYTE)

    return {column("total"): total, column("used"): total - free}
