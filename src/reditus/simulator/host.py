"""A simulated host's counters over a stretch of time."""

from dataclasses import dataclass
from uuid import UUID, uuid5

import numpy as np

from reditus.core.frame import Frame, Piece, assemble
from reditus.core.layout import Column
from reditus.core.types import NS_PER_S, IntArray
from reditus.simulator import processor, storage
from reditus.simulator.load import load_of
from reditus.simulator.scenario import Scenario

FIRST_MONOTONIC_NS = 9 * 86_400 * NS_PER_S


@dataclass(frozen=True)
class SimulatedHost:
    """Counters by group, each with one integer a tick."""

    scenario: Scenario
    wall_ns: IntArray
    monotonic_ns: IntArray
    groups: dict[str, dict[Column, IntArray]]

    @property
    def boot(self) -> UUID:
        return uuid5(self.scenario.archive, "boot")

    def pieces(self) -> list[Piece]:
        """The counters as blocks decoded would give them."""
        interval_ns = round(self.scenario.interval_s * NS_PER_S)
        return [
            Piece(group, self.boot.bytes, interval_ns, self.wall_ns, self.monotonic_ns, columns)
            for group, columns in self.groups.items()
        ]

    def frame(self) -> Frame:
        """The counters as the store would hand them out."""
        return Frame(assemble(self.pieces()), self.scenario.machine.facts)


def simulate(scenario: Scenario) -> SimulatedHost:
    """Compute a host's counters. The same scenario gives the same counters, to the last bit."""
    rng = np.random.default_rng(scenario.seed)
    ticks = int(scenario.length_s / scenario.interval_s) + 1
    at_s = np.arange(ticks) * np.float64(scenario.interval_s)
    load = load_of(scenario, at_s, rng)
    running = processor.run(load, scenario.machine.cores, rng)
    disk, io_stall = storage.disk_counters(scenario, load)
    cpu = processor.cpu_counters(scenario, load, running, rng)
    groups = {
        "cpu": cpu | storage.boot_time(scenario.begin_ns, ticks),
        "run": processor.waiting_counters(scenario, running),
        "load": processor.load_counters(scenario, running),
        "memory": storage.memory_counters(scenario, load),
        "paging": storage.paging_counters(scenario, load, rng),
        "disk": disk,
        "network": storage.network_counters(scenario, load),
        "protocols": storage.protocol_counters(scenario, load, rng),
        "backlog": storage.backlog_counters(scenario, load),
        "stall": storage.stall_counters(scenario, running, io_stall),
    }
    elapsed_ns = (at_s * NS_PER_S).astype(np.int64)
    return SimulatedHost(scenario, scenario.begin_ns + elapsed_ns, FIRST_MONOTONIC_NS + elapsed_ns, groups)
