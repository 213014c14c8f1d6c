"""All rules over one frame."""

from collections.abc import Callable

import numpy as np

from reditus.core.bins import Window, summarise
from reditus.core.diagnosis import (
    cores,
    disk,
    equals,
    growth,
    memory,
    network,
    packets,
    patterns,
    processor,
    recording,
    waits,
)
from reditus.core.diagnosis.chains import chained, follows
from reditus.core.diagnosis.finding import Diagnosis, Finding, Kind, RuledOut
from reditus.core.diagnosis.parameters import Parameters
from reditus.core.diagnosis.patterns import as_spike, patterned
from reditus.core.diagnosis.readings import Readings
from reditus.core.frame import Frame, Sampled
from reditus.core.measures import Measure, measure_named
from reditus.core.types import NS_PER_S

Rule = Callable[[Readings, Parameters], tuple[list[Finding], list[RuledOut]]]

# A rule and the measures it reads.
RULES: list[tuple[Rule, tuple[str | Measure, ...]]] = [
    (processor.judge_processor, processor.NEEDS),
    (cores.judge_cores, cores.NEEDS),
    (memory.judge_memory, memory.NEEDS),
    (disk.judge_disks, disk.NEEDS),
    (network.judge_network, network.NEEDS),
    (packets.judge_packets, packets.NEEDS),
    (equals.judge_equals, equals.NEEDS),
    (growth.judge_growth, growth.NEEDS),
    (waits.judge_waits, waits.NEEDS),
    (recording.judge_recording, recording.NEEDS),
]
KINDS: tuple[Kind, ...] = (
    *processor.KINDS, *cores.KINDS, *memory.KINDS, *growth.KINDS, *disk.KINDS, *equals.KINDS, *waits.KINDS, *network.KINDS,
    *packets.KINDS, *patterns.KINDS, *recording.KINDS,
)  # fmt: skip
COVERAGE_OF = "cpu.busy"
"""The measure whose observed time stands for the archive's: it is recorded by every plan."""


def needed_measures() -> list[Measure]:
    """Every measure that some rule reads, for fetching them in one go."""
    asked = [one for _, needs in RULES for one in needs]
    names = sorted({COVERAGE_OF, *(one for one in asked if isinstance(one, str))})
    return [*(measure_named(name) for name in names), *(one for one in asked if not isinstance(one, str))]


def diagnose(frame: Frame, window: Window, rules: Parameters | None = None) -> Diagnosis:
    """Judge a frame. Findings that lie outside the window are left out; those that reach into it are kept whole."""
    readings = Readings(frame)
    findings: list[Finding] = []
    ruled_out: list[RuledOut] = []
    for rule, _ in RULES:
        found, excluded = rule(readings, rules or Parameters())
        findings += found
        ruled_out += excluded
    seen = readings.sampled(COVERAGE_OF)
    findings, spikes = patterned(findings, _length_s(seen, window), _tick_s(seen), rules or Parameters())
    # A moment of what a longer trouble brings about is that trouble's.
    ruled_out += [as_spike(one) for one in spikes if not follows(one, findings, rules or Parameters())]
    findings = chained(findings, readings, rules or Parameters())
    return Diagnosis(
        window=window,
        coverage=summarise(seen, window).coverage if seen is not None and len(seen) else 0.0,
        findings=tuple(
            # What others came of first, then the most time lost.
            sorted(
                (one for one in findings if _touches(one, window)),
                key=lambda one: (bool(one.caused_by), -one.time_lost_s, one.start_ns),
            )
        ),
        ruled_out=tuple(sorted((one for one in ruled_out if _touches(one, window)), key=lambda one: one.start_ns)),
    )


def _length_s(seen: Sampled | None, window: Window) -> float:
    """How long the recording is that was looked at; it may reach beyond the window."""
    if seen is None or not len(seen):
        return (window.end_ns - window.start_ns) / NS_PER_S
    return float(seen.timebase.wall_ns[-1] - seen.timebase.wall_ns[0]) / NS_PER_S


def _tick_s(seen: Sampled | None) -> float:
    return float(np.median(seen.timebase.interval_ns)) / NS_PER_S if seen is not None and len(seen) else 0.0


def _touches(one: Finding | RuledOut, window: Window) -> bool:
    return one.start_ns < window.end_ns and one.end_ns > window.start_ns
