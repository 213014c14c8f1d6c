"""Made-up hosts as recordings, so that they are loaded the way any other recording is; streamed, for they
may be long.
"""

from collections.abc import Iterator
from dataclasses import dataclass
from uuid import UUID, uuid5

import numpy as np

from reditus.core.blocks import Block
from reditus.core.identities import Identities
from reditus.core.markers import Marker
from reditus.core.schema import Schema, split_columns
from reditus.core.types import Json
from reditus.exchange.recording import Recording, blocks_of
from reditus.simulator import SimulatedHost
from reditus.simulator.fernhold import DemoArchive
from reditus.simulator.host import PART_TICKS, Part, boot_of, markers_of, observed, parts, pieces_of
from reditus.simulator.scenario import Scenario
from reditus.simulator.thinning import thinned

SECONDS = {1.0: "every second", 5.0: "every 5 s"}


@dataclass(frozen=True)
class SimulatedArchive:
    """A made-up archive that is computed while it is sent."""

    scenario: Scenario
    by: int = 1
    """Every how many of the scenario's ticks it holds."""

    @classmethod
    def of(cls, demo_archive: DemoArchive) -> "SimulatedArchive":
        """One of the demo's archives."""
        return cls(demo_archive.scenario, demo_archive.by)

    @property
    def interval_s(self) -> float:
        """The tick interval, in seconds."""
        return self.scenario.interval_s * self.by

    @property
    def archive(self) -> UUID:
        """The archive's id; thinned archives have ids of their own."""
        return self.scenario.archive if self.by == 1 else uuid5(self.scenario.archive, f"by {self.by}")

    @property
    def registration(self) -> Json:
        """What registers it, as the API has it."""
        machine, pace = self.scenario.machine, SECONDS.get(self.interval_s, f"every {self.interval_s:g} s")
        return {
            "host": {"id": str(machine.id), "name": machine.name},
            "name": f"{self.scenario.name}, {pace}",
            "source": "simulated",
            "facts": machine.facts.as_json(),
        }

    @property
    def ticks(self) -> int:
        """How many ticks were observed."""
        at_s = np.arange(0, self.scenario.ticks, self.by) * np.float64(self.scenario.interval_s)
        return int(observed(self.scenario, at_s).sum())

    def schemas(self) -> list[Schema]:
        """The schemas of all groups."""
        first = next(self._parts(8 * self.by))
        return [schema for group, columns in first.groups.items() for schema in split_columns(group, tuple(columns))]

    def batches(self) -> Iterator[tuple[list[Block], Identities]]:
        """Blocks, and who the processes in them are, part by part."""
        boot = boot_of(self.scenario)
        for part in self._parts(PART_TICKS * self.by):
            pieces = pieces_of(self.scenario, part, self.by)
            blocks = [block for piece in pieces for block in blocks_of(piece, archive=self.archive)]
            yield blocks, Identities(self.archive, boot, tuple(part.identities))

    def markers(self) -> list[Marker]:
        """What the machine logged."""
        return markers_of(self.scenario)

    def _parts(self, part_ticks: int) -> Iterator[Part]:
        every = parts(self.scenario, part_ticks)
        return thinned(every, self.by) if self.by > 1 else every


def as_recording(host: SimulatedHost) -> Recording:
    """A simulated host as a recording in memory."""
    scenario = host.scenario
    return Recording(
        host=scenario.machine.id,
        host_name=scenario.machine.name,
        archive=scenario.archive,
        name=scenario.name,
        source="simulated",
        facts=scenario.machine.facts,
        pieces=host.pieces(),
        identities=host.identities,
    )
