"""What is odd about the data and not about the machine: gaps, restarts, counters that were set to zero."""

from collections.abc import Iterator

import numpy as np

from reditus.core.counters import DISK as DEVICE
from reditus.core.counters import DISK_DIRECTION, INTERFACE, NETWORK_DIRECTION
from reditus.core.diagnosis.finding import Kind, RuledOut
from reditus.core.diagnosis.inputs import Readings
from reditus.core.diagnosis.parameters import Parameters
from reditus.core.diagnosis.rule import Context, Judgement, Rule
from reditus.core.durations import spell_duration
from reditus.core.errors import UnknownCounter
from reditus.core.frame import Series, Timebase
from reditus.core.measures import Resource
from reditus.core.types import NS_PER_S

NEEDS = ("cpu.busy", "disk.read.rate", "net.receive.rate")
MOST_REPORTED = 50

GAP = Kind(
    "data.gap",
    "Gap in the recording",
    is_problem=False,
    meaning="Ticks are missing. What happened there is not known; it is neither quiet nor trouble.",
    evidence=("cpu.busy",),
    look_alikes="A quiet time, which has ticks that show it.",
)
RESET = Kind(
    "data.reset",
    "Counter reset",
    is_problem=False,
    meaning="The machine restarted, or a device's counters were set to zero: no rate leads across it, and a huge or "
    "negative one would be false.",
    evidence=("cpu.busy",),
    look_alikes="A spike.",
)
KINDS = (GAP, RESET)


def judge_recording(context: Context) -> Judgement:
    """Judge the recording itself: gaps and counter resets."""
    readings, rules = context.readings, context.parameters
    busy = readings.sampled("cpu.busy")
    if busy is None or len(busy) < 2:
        return [], []
    return [], [*_gaps(busy.timebase, rules), *_restarts(busy.timebase), *_resets(readings)]


def _described(
    kind: Kind, start_ns: int, end_ns: int, explanation: str, resource: Resource, device: str | None = None
) -> RuledOut:
    return RuledOut(kind.id, kind.title, resource, start_ns, end_ns, (), explanation, device)


def _gaps(base: Timebase, rules: Parameters) -> list[RuledOut]:
    missing_ns = np.zeros(len(base), dtype=np.int64)
    missing_ns[1:] = np.diff(base.monotonic_ns)
    same = np.concatenate([[False], np.diff(base.epoch) == 0])
    gaps = np.flatnonzero(~base.follows & same & (missing_ns >= rules.gap_ticks * base.interval_ns))
    # Of very many, the longest.
    gaps = np.sort(gaps[np.argsort(-missing_ns[gaps], kind="stable")][:MOST_REPORTED])
    return [
        _described(
            GAP,
            int(base.wall_ns[at - 1]),
            int(base.start_ns[at]),
            f"Nothing was recorded for "
            f"{spell_duration((int(base.start_ns[at]) - int(base.wall_ns[at - 1])) / NS_PER_S)}. Averages leave "
            "it out, and nothing is judged across it.",
            Resource.PROCESSOR,
        )
        for at in gaps.tolist()
    ]


def _restarts(base: Timebase) -> list[RuledOut]:
    return [
        _described(
            RESET,
            int(base.wall_ns[at - 1]),
            int(base.wall_ns[at]),
            "The machine restarted here: all counters began at zero, and no rate leads across.",
            Resource.PROCESSOR,
        )
        for at in np.flatnonzero(np.diff(base.epoch, prepend=base.epoch[:1]) != 0).tolist()[:MOST_REPORTED]
    ]


def _resets(readings: Readings) -> Iterator[RuledOut]:
    """Disks and interfaces whose counters fell while the machine went on."""
    candidates = [
        ("system.disk.io", DEVICE, DISK_DIRECTION, "read", Resource.DISK),
        ("system.network.io", INTERFACE, NETWORK_DIRECTION, "receive", Resource.NETWORK),
    ]
    for counter, by, way, direction, resource in candidates:
        for name in readings.frame.values_of(counter, by):
            attributes = {by: name, way: direction}
            try:
                raw, grown = readings.frame.level(counter, attributes), readings.frame.delta(counter, attributes)
            except UnknownCounter:
                continue
            for at in _fell(raw, grown)[:MOST_REPORTED]:
                yield _described(
                    RESET,
                    int(raw.timebase.wall_ns[at - 1]),
                    int(raw.timebase.wall_ns[at]),
                    f"The counters of {name} fell: they were set to zero, or the device was taken out and put back. "
                    f"The interval "
                    "is unknown.",
                    resource,
                    name,
                )


def _fell(raw: Series, grown: Series) -> list[int]:
    values = raw.values
    fell = np.zeros(len(values), dtype=bool)
    fell[1:] = np.isnan(grown.values[1:]) & (np.diff(values) < 0) & raw.timebase.follows[1:]
    return [int(at) for at in np.flatnonzero(fell)]


RULE = Rule(
    id="recording",
    kinds=KINDS,
    needs=NEEDS,
    judge=judge_recording,
)
