"""Made-up hosts as recordings, so that they are loaded the way any other recording is."""

from reditus.exchange.recording import Recording
from reditus.simulator import SimulatedHost


def as_recording(host: SimulatedHost) -> Recording:
    scenario = host.scenario
    return Recording(
        host=scenario.machine.id,
        host_name=scenario.machine.name,
        archive=scenario.archive,
        name=scenario.name,
        source="made up",
        facts=scenario.machine.facts,
        pieces=host.pieces(),
    )
