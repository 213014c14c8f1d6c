"""All rules over one frame."""

from collections.abc import Iterable, Mapping, Sequence

import numpy as np

from reditus.core.binning import summarise
from reditus.core.diagnosis import (
    blocked_tasks,
    chains,
    core_rules,
    disk,
    growth,
    io_wait,
    memory,
    network,
    packet_load,
    packets,
    patterns,
    peer_disks,
    processor,
    recording,
)
from reditus.core.diagnosis.chains import chained, follows
from reditus.core.diagnosis.finding import Diagnosis, Finding, Kind, RuledOut
from reditus.core.diagnosis.inputs import Readings, WholeReadings
from reditus.core.diagnosis.parameters import Parameters
from reditus.core.diagnosis.patterns import as_spike, collapse_recurring, merge_days
from reditus.core.diagnosis.rule import Context, Rule
from reditus.core.diagnosis.spans import RuleOutput, merge_spans
from reditus.core.diagnosis.unjudged import unjudged
from reditus.core.frame import Frame, Series
from reditus.core.measures import Measure, measure_named
from reditus.core.types import NS_PER_S
from reditus.core.window import Window

RULES_VERSION = 1
"""Counts up whenever the same ticks may lead to other findings than before: exhibits say by which they were judged."""
RULES: tuple[Rule, ...] = (
    processor.RULE,
    packet_load.RULE,
    core_rules.RULE,
    memory.RULE,
    disk.RULE,
    network.RULE,
    packets.RULE,
    peer_disks.RULE,
    growth.RULE,
    blocked_tasks.RULE,
    io_wait.RULE,  # looks at what disks and memory are blamed for
    recording.RULE,
)
"""In the order in which they are run; each sees what those before it found."""
KINDS: tuple[Kind, ...] = (
    *processor.KINDS,
    *core_rules.KINDS,
    *packet_load.KINDS,
    *memory.KINDS,
    *growth.KINDS,
    *disk.KINDS,
    *peer_disks.KINDS,
    *io_wait.KINDS,
    *blocked_tasks.KINDS,
    *network.KINDS,
    *packets.KINDS,
    *patterns.KINDS,
    *recording.KINDS,
)
"""In the order of the docs."""
COVERAGE_OF = "cpu.busy"
"""The measure whose observed time stands for the archive's: it is recorded by every plan."""


def needed_measures() -> list[Measure]:
    """Every measure that some rule reads, for fetching them in one go."""
    needed = [need for rule in RULES for need in rule.needs]
    names = sorted({COVERAGE_OF, *(need for need in needed if isinstance(need, str))})
    return [*(measure_named(name) for name in names), *(need for need in needed if not isinstance(need, str))]


def measures_of_recording() -> list[str]:
    """The measures that are read over the whole of a long recording: normals of disks, growth, and the numbers of
    chains.
    """
    names = {COVERAGE_OF, *chains.OVER_RECORDING, *(name for rule in RULES for name in rule.over_recording)}
    return sorted(names)


def diagnose(
    frame: Frame,
    window: Window,
    rules: Parameters | None = None,
    past: Mapping[tuple[str, str | None], Series] | None = None,
) -> Diagnosis:
    """Judge a frame. Findings that lie outside the window are left out; those that reach into it are kept whole. `past`
    is what is known of the host's disks from the weeks before.
    """
    readings = Readings(frame, past=past)
    return build_diagnosis(judge(readings, rules), readings, window, rules)


def judge(readings: Readings, rules: Parameters | None = None) -> RuleOutput:
    """What the rules find in a frame, one after the other."""
    findings: list[Finding] = []
    ruled_out: list[RuledOut] = []
    for rule in RULES:
        found, excluded = rule.judge(Context(readings, rules or Parameters(), tuple(findings)))
        findings += found
        ruled_out += excluded
    return RuleOutput(
        tuple(finding for finding in findings if not _is_superseded(finding, findings)),
        tuple(ruled_out),
        unjudged(readings, KINDS, rules or Parameters()),
    )


def _is_superseded(finding: Finding, others: Sequence[Finding]) -> bool:
    """A disk that is slow by itself has the longest queue among its equals for that reason."""
    return finding.kind == "disk.hot" and any(
        other.kind == "disk.slow"
        and other.device == finding.device
        and other.start_ns < finding.end_ns
        and finding.start_ns < other.end_ns
        for other in others
    )


def build_diagnosis(
    judged: RuleOutput, readings: Readings, window: Window, rules: Parameters | None = None
) -> Diagnosis:
    """What the rules said, put in order: what comes again, what was a moment only, and what came of what."""
    given = rules or Parameters()
    seen = readings.over_all(COVERAGE_OF)
    findings, spikes = collapse_recurring(
        judged.findings, readings.recorded_s() or _length_s(window), _tick_s(readings.sampled(COVERAGE_OF)), given
    )
    # A moment of what a longer trouble brings about is that trouble's.
    ruled_out = [*judged.ruled_out, *(as_spike(spike) for spike in spikes if not follows(spike, findings, given))]
    findings = merge_days(chained(findings, readings, given))
    return Diagnosis(
        window=window,
        coverage=summarise(seen, window).coverage if seen is not None and len(seen) else 0.0,
        findings=tuple(
            # What others came of first, then the most time lost.
            sorted(
                (finding for finding in findings if _touches(finding, window)),
                key=lambda item: (bool(item.caused_by), -item.time_lost_s, item.start_ns),
            )
        ),
        ruled_out=tuple(sorted((item for item in ruled_out if _touches(item, window)), key=lambda item: item.start_ns)),
        unjudged=judged.unjudged,
    )


def diagnose_spans(
    spans: Iterable[RuleOutput], whole: WholeReadings, window: Window, tick_ns: int, rules: Parameters | None = None
) -> Diagnosis:
    """A long recording whose spans were judged one by one (with `Readings.whole` set), as one."""
    given = rules or Parameters()
    # No longer a pause than parts two findings within a span.
    pause_ns = max(int(given.merge_break_s * NS_PER_S), 2 * tick_ns)
    together = merge_spans(spans, pause_ns)
    context = Context(whole, given)
    grown = [finding for rule in RULES if rule.judge_recording for finding in rule.judge_recording(context)]
    return build_diagnosis(
        RuleOutput((*together.findings, *grown), together.ruled_out, together.unjudged), whole, window, given
    )


def _length_s(window: Window) -> float:
    return (window.end_ns - window.start_ns) / NS_PER_S


def _tick_s(seen: Series | None) -> float:
    return float(np.median(seen.timebase.interval_ns)) / NS_PER_S if seen is not None and len(seen) else 0.0


def _touches(item: Finding | RuledOut, window: Window) -> bool:
    return item.start_ns < window.end_ns and item.end_ns > window.start_ns
