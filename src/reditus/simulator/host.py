"""A simulated host's counters over a stretch of time, in parts, so that weeks fit into memory."""

from collections.abc import Iterator
from dataclasses import dataclass
from functools import cached_property
from uuid import UUID, uuid5

import numpy as np

from reditus.core.frame import BlockSlice, Frame
from reditus.core.frame_builder import assemble
from reditus.core.identities import Identity
from reditus.core.kernel_columns import kernel_column, stall_total
from reditus.core.markers import Marker
from reditus.core.schema import Column
from reditus.core.types import NS_PER_S, BoolArray, FloatArray, IntArray
from reditus.simulator.counting import Tally
from reditus.simulator.demand import Demand, Load
from reditus.simulator.disks import Disks, Served
from reditus.simulator.filesystems import Filesystems
from reditus.simulator.logs import logged
from reditus.simulator.memory import Memory, swap_space
from reditus.simulator.network import Network
from reditus.simulator.processes import FIRST_PID, Processes
from reditus.simulator.processor import UPTIME_S, Processor, Running
from reditus.simulator.scenario import FaultKind, Scenario
from reditus.simulator.sensors import Sensors
from reditus.simulator.troubles import Held, Troubles

FIRST_MONOTONIC_NS = UPTIME_S * NS_PER_S
PART_TICKS = 3_600
MOST_ASLEEP = 0.9

Groups = dict[str, dict[Column, IntArray]]


@dataclass(frozen=True)
class Part:
    """Some ticks of a host: counters by group, each with one integer a tick."""

    wall_ns: IntArray
    monotonic_ns: IntArray
    groups: Groups
    identities: list[Identity]

    def only(self, kept: BoolArray) -> "Part":
        """Those ticks of the part that are kept."""
        return Part(
            self.wall_ns[kept],
            self.monotonic_ns[kept],
            {
                group: {column: values[kept] for column, values in columns.items()}
                for group, columns in self.groups.items()
            },
            self.identities,
        )


@dataclass(frozen=True)
class SimulatedHost:
    """A whole host in memory."""

    scenario: Scenario
    wall_ns: IntArray
    monotonic_ns: IntArray
    groups: Groups
    identities: tuple[Identity, ...]

    @property
    def boot(self) -> UUID:
        """The boot's id."""
        return boot_of(self.scenario)

    def pieces(self) -> list[BlockSlice]:
        """The counters as blocks decoded would give them."""
        return pieces_of(self.scenario, Part(self.wall_ns, self.monotonic_ns, self.groups, []))

    def frame(self) -> Frame:
        """The counters as the store would hand them out."""
        return Frame(assemble(self.pieces()), self.scenario.machine.facts)

    @cached_property
    def markers(self) -> list[Marker]:
        """Log lines as markers."""
        return markers_of(self.scenario)


def boot_of(scenario: Scenario) -> UUID:
    """A boot id of the machine and the beginning: each recording from there on sees the same one, and counters that
    begin at nothing at another time are of another boot.
    """
    return uuid5(scenario.machine.id, f"boot at {scenario.begin_ns}")


def pieces_of(scenario: Scenario, part: Part, by: int = 1) -> list[BlockSlice]:
    """A part's counters as blocks decoded would give them; `by` says every how many ticks were recorded."""
    interval_ns = round(scenario.interval_s * by * NS_PER_S)
    return [
        BlockSlice(group, boot_of(scenario).bytes, interval_ns, part.wall_ns, part.monotonic_ns, columns)
        for group, columns in part.groups.items()
    ]


def parts(scenario: Scenario, part_ticks: int = PART_TICKS) -> Iterator[Part]:
    """Compute a host's counters. The same scenario in parts of the same length gives the same, to the last bit."""
    engine = _Engine(scenario)
    for first in range(0, scenario.ticks, part_ticks):
        at_s = np.arange(first, min(first + part_ticks, scenario.ticks)) * np.float64(scenario.interval_s)
        groups = engine.step(at_s)
        elapsed_ns = np.round(at_s * NS_PER_S).astype(np.int64)
        part = Part(scenario.begin_ns + elapsed_ns, FIRST_MONOTONIC_NS + elapsed_ns, groups, list(engine.processes.new))
        kept = observed(scenario, at_s)
        if kept.all():
            yield part
        elif kept.any():
            yield part.only(kept)


def simulate(scenario: Scenario) -> SimulatedHost:
    """A whole host at once."""
    every = list(parts(scenario))
    groups = {
        group: {column: np.concatenate([part.groups[group][column] for part in every]) for column in columns}
        for group, columns in every[0].groups.items()
    }
    return SimulatedHost(
        scenario,
        np.concatenate([part.wall_ns for part in every]),
        np.concatenate([part.monotonic_ns for part in every]),
        groups,
        tuple(identity for part in every for identity in part.identities),
    )


def markers_of(scenario: Scenario) -> list[Marker]:
    """What the host logged, and what the kernel said when it ended a program for lack of memory."""
    lines = [(line.at_s, line.severity, line.source, line.text) for line in scenario.lines]
    killed = Memory(scenario).killed
    if killed is not None:
        work, at_s = killed
        slots = [(at, number) for at, item in enumerate(Demand(scenario).works) for number in range(item.process_count)]
        place = next(slot for slot, (at, _) in enumerate(slots) if Demand(scenario).works[at] is work)
        name = work.name.replace(" ", "-")[:15]
        lines.append((at_s, "error", "kernel", f"Out of memory: Killed process {FIRST_PID + place * 17} ({name})"))
    logs = {habit.source: habit.log for habit in scenario.habits}
    return [
        Marker(
            f"line/{number}/{round(at_s)}",
            scenario.begin_ns + round(at_s * NS_PER_S),
            "log",
            text,
            source,
            severity,
            log=logs.get(source, ""),
        )
        for number, (at_s, severity, source, text) in enumerate(sorted(lines))
    ] + logged(scenario)


def observed(scenario: Scenario, at_s: FloatArray) -> BoolArray:
    """Whether anything was recorded at these times."""
    kept = np.ones(len(at_s), dtype=bool)
    for fault in scenario.faults:
        if fault.kind is FaultKind.UNOBSERVED:
            kept &= (at_s < fault.start_s) | (at_s > fault.end_s)
    return kept


class _Engine:
    """Everything that has a state from part to part."""

    def __init__(self, scenario: Scenario) -> None:
        self._scenario = scenario
        self._demand = Demand(scenario)
        self._memory, self._disks = Memory(scenario), Disks(scenario)
        self._network, self._processor = Network(scenario), Processor(scenario)
        self._troubles = Troubles(scenario)
        self._filesystems, self._sensors = Filesystems(scenario), Sensors(scenario)
        self.processes = Processes(scenario, self._demand.works)
        self._tally = Tally()

    def step(self, at_s: FloatArray) -> Groups:
        loads = self._demand(at_s)
        held = self._troubles.hold_back(at_s, loads)
        wants = self._memory.wants(at_s, loads)
        group_swaps = self._troubles.level(FaultKind.GROUP_SWAPS, at_s)
        wants.swap_in += group_swaps
        wants.swap_out += group_swaps
        served = self._disks.step(at_s, loads, wants.swap_in, wants.swap_out, wants.missed)
        if wants.swap_in.any():
            # A task that waits for a page of its own memory uses no disk meanwhile, so the disks have less to do.
            self._slow_down(loads, served)
            served = self._disks.step(at_s, loads, wants.swap_in, wants.swap_out, wants.missed)
        carried = self._network.step(at_s, loads)
        blocked = sum((disk.blocked for disk in served.values()), held.io_tasks)
        running = self._processor.run(loads, carried.soft_cores, blocked, held)
        self._memory.note(at_s, loads, wants.missed, self._troubles.level(FaultKind.KILLS, at_s))
        moved = sum((disk.read_bytes + disk.write_bytes for disk in served.values()), np.zeros(len(at_s)))
        memory = self._memory.counters(
            at_s, loads, wants, self._disks.swapped, np.maximum(moved - sum(self._disks.swapped), 0.0)
        )
        cpu = self._processor.counters(running, held)
        bottom = {at: self._disks.bottom(request.work.disk) for at, request in enumerate(loads)}
        return {
            **cpu,
            "uptime": {
                kernel_column("system.uptime", scale=(1, 100)): np.round((UPTIME_S + at_s) * 100).astype(np.int64)
            },
            **memory,
            "swap": swap_space(self._scenario, memory["memory"]),
            "disk": self._disks.counters(served),
            **self._network.counters(at_s, carried),
            **self._stalls(running, served, held),
            **self._filesystems.counters(len(at_s), served),
            **self._sensors.counters(at_s, running.per_core),
            **self._troubles.counters(at_s, held),
            "process": self.processes.counters(at_s, loads, cpu["cpu"], running, served, wants, bottom, held.hung),
        }

    def _slow_down(self, loads: list[Load], served: dict[str, Served]) -> None:
        ticks = len(loads[0].on)
        swapping = sum((disk.reading_swap for disk in served.values()), np.zeros(ticks))
        workers = sum((load.on * load.work.workers for load in loads), np.zeros(ticks))
        awake = 1.0 - np.minimum(swapping / np.maximum(workers, 1.0), MOST_ASLEEP)
        for item in loads:
            for what in (item.cpu, item.read, item.write, item.reread, item.receive, item.send):
                np.multiply(what, awake, out=what)

    def _stalls(self, running: Running, served: dict[str, Served], held: Held) -> Groups:
        """What the pressure files would show: time lost follows from who waited."""
        in_us = self._scenario.interval_s * 1e6
        cores = self._scenario.machine.cores
        someone_runs = 1.0 - (1.0 - np.minimum(running.busy / cores, 1.0)) ** cores
        # A task that waits for a page that was in memory a moment ago, its own or a file's, waits for lack of memory.
        lacking = sum((disk.reading_swap + disk.rereading for disk in served.values()), np.zeros(len(running.busy)))
        stopped = 1.0 - (1.0 - running.stall) * (1.0 - held.quota_stall)
        io = 1.0 - np.exp(-2.0 * running.blocked)
        memory = 1.0 - np.exp(-1.5 * lacking)
        shares = {
            ("cpu", "some"): stopped,
            ("cpu", "full"): stopped * 0.0,
            ("memory", "some"): memory,
            ("memory", "full"): memory * (1.0 - someone_runs),
            ("io", "some"): io,
            ("io", "full"): io * (1.0 - someone_runs * 0.9),
        }
        groups: Groups = {}
        for (resource, scope), share in shares.items():
            column = stall_total(resource, scope)
            counted = self._tally(column, np.clip(share, 0.0, 1.0) * in_us, 5_000_000)
            groups.setdefault(f"stall.{resource}", {})[column] = counted
        return groups
