"""A simulated host's counters over a stretch of time, and the blocks a recorder would have made of them."""

from collections.abc import Iterator
from dataclasses import dataclass
from uuid import UUID, uuid5

import numpy as np

from reditus.core.blocks import Block, Stretch, encode_block
from reditus.core.frame import Frame, Piece, assemble
from reditus.core.layout import Column, Layout, split_columns
from reditus.core.types import NS_PER_S, IntArray
from reditus.simulator import processor, storage
from reditus.simulator.load import load_of
from reditus.simulator.scenario import Scenario

BLOCK_TICKS = 3_600
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

    def layouts(self) -> list[Layout]:
        return [layout for group, columns in self.groups.items() for layout in split_columns(group, columns)]

    def blocks(self) -> Iterator[Block]:
        """Sealed blocks, group by group."""
        for layout in self.layouts():
            values = np.stack([self.groups[layout.group][column] for column in layout.columns], axis=1)
            for start in range(0, len(values), BLOCK_TICKS):
                part = slice(start, start + BLOCK_TICKS)
                yield encode_block(
                    Stretch(self.wall_ns[part], self.monotonic_ns[part], values[part]),
                    archive=self.scenario.archive,
                    boot=self.boot,
                    layout=layout.digest,
                    interval_ns=round(self.scenario.interval_s * NS_PER_S),
                )

    def frame(self) -> Frame:
        """The counters as the store would hand them out."""
        interval_ns = round(self.scenario.interval_s * NS_PER_S)
        pieces = [
            Piece(group, self.boot.bytes, interval_ns, self.wall_ns, self.monotonic_ns, columns)
            for group, columns in self.groups.items()
        ]
        return Frame(assemble(pieces), self.scenario.machine.facts)


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
        "stall": storage.stall_counters(scenario, running, io_stall),
    }
    elapsed_ns = (at_s * NS_PER_S).astype(np.int64)
    return SimulatedHost(scenario, scenario.begin_ns + elapsed_ns, FIRST_MONOTONIC_NS + elapsed_ns, groups)
