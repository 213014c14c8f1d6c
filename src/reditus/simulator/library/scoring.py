"""How well a diagnosis tells what is true of a case: found, missed and made up, kind by kind; onsets; one
cause each.
"""

from collections import Counter
from dataclasses import dataclass, field

from reditus.core.diagnosis.finding import Diagnosis, Finding, RuledOut
from reditus.core.types import NS_PER_S
from reditus.simulator.library.cases import Case, Truth

SLACK_S, SLACK_TICKS = 60.0, 6
FOLLOWS_S = 300.0
"""A symptom may outlast its cause by so long."""
# What is false to rule out while the other is true.
CONTRADICTS = {
    "memory.free_low": {"memory.pressure"},
    "swap.occupied": {"swap.thrashing"},
    "io.iowait_harmless": {"disk.saturated", "disk.slow", "io.limited", "io.stalled"},
    "disk.busy_steady": {"disk.saturated", "disk.slow"},
    "load.blocked": {"cpu.saturated"},
    "cpu.busy_unwaited": {"cpu.saturated"},
    "memory.cache_growth": {"memory.leak"},
}
MUST_BE_TRUE = {"data.gap", "data.reset", "spike"}
"""Ruled out only where the library put one."""


@dataclass
class Score:
    """Of many cases together."""

    found: Counter[str] = field(default_factory=Counter)
    missed: Counter[str] = field(default_factory=Counter)
    simulated: Counter[str] = field(default_factory=Counter)
    onsets_good: int = 0
    onsets: int = 0
    single: int = 0
    causes: int = 0
    remarks: list[str] = field(default_factory=list)
    """What was missed or made up, and where."""

    def precision(self, kind: str) -> float | None:
        """Share of the findings of a kind that are true; None without findings."""
        reported = self.found[kind] + self.simulated[kind]
        return self.found[kind] / reported if reported else None

    def recall(self, kind: str) -> float | None:
        """Share of the true causes of a kind that were found; None without causes."""
        true = self.found[kind] + self.missed[kind]
        return self.found[kind] / true if true else None


def score(case: Case, diagnosis: Diagnosis, into: Score) -> None:
    """Add a case to the score."""
    begin_ns = case.window.start_ns
    slack_s = max(SLACK_S, SLACK_TICKS * case.interval_s)
    for truth in case.truths:
        _look_for(case, truth, diagnosis, into, begin_ns)
    problems = [truth for truth in case.truths if _is_problem(truth)]
    for finding in diagnosis.findings:
        if not any(_explains(truth, finding, begin_ns, slack_s) for truth in problems):
            into.simulated[finding.kind] += 1
            into.remarks.append(f"{case.name}: made up {_described(finding, begin_ns)}")
    for excluded in diagnosis.ruled_out:
        if _is_false(case, excluded, begin_ns, slack_s):
            into.simulated[excluded.kind] += 1
            into.remarks.append(f"{case.name}: falsely ruled out {_described(excluded, begin_ns)}")
    for truth in problems:
        roots = [
            finding
            for finding in diagnosis.findings
            if not finding.caused_by
            and _explains(truth, finding, begin_ns, slack_s)
            # What another trouble explains better is that one's.
            and not any(
                other is not truth and other.trouble.kind == finding.kind and _overlaps(other, finding, begin_ns, 0.0)
                for other in problems
            )
        ]
        into.causes += 1
        into.single += len(roots) == 1
        if len(roots) > 1:
            into.remarks.append(
                f"{case.name}: {len(roots)} causes given for one: "
                f"{', '.join(_described(root, begin_ns) for root in roots)}"
            )


def _look_for(case: Case, truth: Truth, diagnosis: Diagnosis, into: Score, begin_ns: int) -> None:
    kind = truth.trouble.kind
    every: list[Finding | RuledOut] = [*diagnosis.findings, *diagnosis.ruled_out]
    reported = [
        entry
        for entry in every
        if entry.kind == kind
        and (truth.trouble.device is None or _same_device(truth.trouble.device, entry))
        and _overlaps(truth, entry, begin_ns, 2 * case.interval_s)
    ]
    period_s = truth.trouble.period_s
    if period_s is not None:
        kind = "periodic"
        reported = [
            entry
            for entry in reported
            if isinstance(entry, Finding)
            and entry.pattern.period_s
            and abs(entry.pattern.period_s / period_s - 1) < 0.1
        ]
    if not reported:
        into.missed[kind] += 1
        into.remarks.append(
            f"{case.name}: missed {kind} {truth.trouble.device or ''} {truth.start_s:.0f}-{truth.end_s:.0f} s"
        )
        return
    into.found[kind] += 1
    first = min(reported, key=lambda item: item.start_ns)
    if isinstance(first, Finding) and truth.trouble.steady and period_s is None:
        apart_s = abs((first.onset.at_ns - begin_ns) / NS_PER_S - truth.start_s)
        into.onsets += 1
        if apart_s <= max(2 * case.interval_s, 2.0) + 1e-6:
            into.onsets_good += 1
        else:
            into.remarks.append(f"{case.name}: onset of {kind} off by {apart_s:.1f} s")


def _is_problem(truth: Truth) -> bool:
    return truth.trouble.kind not in CONTRADICTS and truth.trouble.kind not in MUST_BE_TRUE


def _same_device(device: str, item: Finding | RuledOut) -> bool:
    return item.device == device or device in item.explanation


def _overlaps(truth: Truth, item: Finding | RuledOut, begin_ns: int, slack_s: float) -> bool:
    start_s, end_s = (item.start_ns - begin_ns) / NS_PER_S, (item.end_ns - begin_ns) / NS_PER_S
    return start_s < truth.end_s + slack_s and end_s > truth.start_s - slack_s


def _explains(truth: Truth, finding: Finding, begin_ns: int, slack_s: float) -> bool:
    trouble = truth.trouble
    right = finding.kind == trouble.kind and (trouble.device is None or _same_device(trouble.device, finding))
    after_s = FOLLOWS_S if finding.kind in trouble.allowed else slack_s
    return (right or finding.kind in trouble.allowed) and _overlaps(truth, finding, begin_ns, after_s)


def _is_false(case: Case, excluded: RuledOut, begin_ns: int, slack_s: float) -> bool:
    if excluded.kind in MUST_BE_TRUE:
        return not any(
            truth.trouble.kind == excluded.kind and _overlaps(truth, excluded, begin_ns, slack_s)
            for truth in case.truths
        )
    against = CONTRADICTS.get(excluded.kind, set())
    return any(
        truth.trouble.kind in against
        and (truth.trouble.device is None or excluded.device in (None, truth.trouble.device))
        and _mostly_within(truth, excluded, begin_ns)
        for truth in case.truths
    )


def _mostly_within(truth: Truth, excluded: RuledOut, begin_ns: int) -> bool:
    """Whether more than half of what is ruled out lies in the trouble."""
    start_s, end_s = (excluded.start_ns - begin_ns) / NS_PER_S, (excluded.end_ns - begin_ns) / NS_PER_S
    shared_s = min(end_s, truth.end_s) - max(start_s, truth.start_s)
    return shared_s > 0.5 * (end_s - start_s)


def _described(item: Finding | RuledOut, begin_ns: int) -> str:
    start_s, end_s = (item.start_ns - begin_ns) / NS_PER_S, (item.end_ns - begin_ns) / NS_PER_S
    return f"{item.kind} {item.device or ''} {start_s:.0f}-{end_s:.0f} s"
