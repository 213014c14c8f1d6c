"""Long recordings: judged span by span, so that memory is bounded and what is over need not be judged again.

Spans overlap by a margin, so that what happens at a border is seen whole by one of them. What several spans tell of the
same trouble is put together here; what a device's normal is, and what grows over days, is reported by the whole, a
minute or so a value.
"""

from collections.abc import Iterable, Sequence
from dataclasses import dataclass, replace
from typing import TypeVar

from reditus.core.diagnosis.finding import Evidence, Finding, RuledOut, Unjudged, summed_harm
from reditus.core.diagnosis.unjudged import combined
from reditus.core.durations import spell_duration
from reditus.core.types import NS_PER_S
from reditus.core.window import Window

T = TypeVar("T", Finding, RuledOut)
SPAN_TICKS, MARGIN_TICKS = 21_600, 900


@dataclass(frozen=True, slots=True)
class RuleOutput:
    """What the rules said of one span, or of a whole frame, before anything is put together."""

    findings: tuple[Finding, ...]
    ruled_out: tuple[RuledOut, ...]
    unjudged: tuple[Unjudged, ...] = ()


def spans_of(window: Window, interval_ns: int, span_ticks: int = SPAN_TICKS) -> list[Window]:
    """Spans that begin at fixed times whatever the window, so that the same ones are met again when it has grown; the
    first and the last are cut to it.
    """
    length_ns = span_ticks * interval_ns
    first = window.start_ns // length_ns
    after = -(-window.end_ns // length_ns)
    spans = [
        Window(max(at * length_ns, window.start_ns), min((at + 1) * length_ns, window.end_ns))
        for at in range(first, after)
    ]
    return [span for span in spans if span.end_ns > span.start_ns]


def with_margin(span: Window, interval_ns: int) -> Window:
    """The span, and the ticks beside it that rules need for context."""
    return Window(span.start_ns - MARGIN_TICKS * interval_ns, span.end_ns + MARGIN_TICKS * interval_ns)


def merge_spans(parts: Iterable[RuleOutput], pause_ns: int) -> RuleOutput:
    """One of each trouble: parts of the same kind and device that overlap, or follow each other within the pause."""
    every = list(parts)
    return RuleOutput(
        tuple(
            _one_finding(group) for group in _groups([finding for part in every for finding in part.findings], pause_ns)
        ),
        tuple(
            _one_ruled_out(group) for group in _groups([item for part in every for item in part.ruled_out], pause_ns)
        ),
        combined(part.unjudged for part in every),
    )


def _groups(parts: Sequence[T], pause_ns: int) -> list[list[T]]:
    groups: list[list[T]] = []
    for key in dict.fromkeys((part.kind, part.device) for part in parts):
        alike = sorted((part for part in parts if (part.kind, part.device) == key), key=lambda item: item.start_ns)
        end_ns = None
        for entry in alike:
            if end_ns is not None and entry.start_ns <= end_ns + pause_ns:
                groups[-1].append(entry)
                end_ns = max(end_ns, entry.end_ns)
            else:
                groups.append([entry])
                end_ns = entry.end_ns
    return groups


def _one_finding(group: Sequence[Finding]) -> Finding:
    if len(group) == 1:
        return group[0]
    longest, first = max(group, key=lambda item: item.length_s), group[0]
    start_ns, end_ns = first.start_ns, max(item.end_ns for item in group)
    weights = _weights(group)
    lost_s = sum(item.time_lost_s * weight for item, weight in zip(group, weights, strict=True))
    length_s = (end_ns - start_ns) / NS_PER_S
    explanation = longest.explanation
    if longest.length_s < 0.95 * length_s:
        explanation = (
            f"It went on for {spell_duration(length_s)}. The longest stretch that was looked at in one: {explanation}"
        )
    return replace(
        longest,
        start_ns=start_ns,
        end_ns=end_ns,
        onset=first.onset,
        severity=min(lost_s / length_s, 1.0) if length_s else 0.0,
        time_lost_s=lost_s,
        harm=summed_harm(group, weights),
        confidence=min(item.confidence for item in group),
        evidence=_evidence(longest.evidence, group, weights),
        explanation=explanation,
    )


def _one_ruled_out(group: Sequence[RuledOut]) -> RuledOut:
    longest = max(group, key=lambda item: item.end_ns - item.start_ns)
    return replace(longest, start_ns=group[0].start_ns, end_ns=max(item.end_ns for item in group))


def _weights(group: Sequence[Finding]) -> list[float]:
    """Fraction of each part that no earlier part covers."""
    covered_ns = group[0].start_ns
    out = []
    for item in group:
        new_ns = max(item.end_ns - max(item.start_ns, covered_ns), 0)
        out.append(new_ns / max(item.end_ns - item.start_ns, 1))
        covered_ns = max(covered_ns, item.end_ns)
    return out


def _evidence(
    shown: Sequence[Evidence], group: Sequence[Finding], weights: Sequence[float]
) -> tuple[Evidence, ...]:  # fmt: skip
    """Means over all parts."""
    out = []
    for item in shown:
        values = [
            (other.value, part.length_s * weight)
            for part, weight in zip(group, weights, strict=True)
            for other in part.evidence
            if (other.measure, other.device) == (item.measure, item.device)
        ]
        total = sum(weight for _, weight in values)
        mean = sum(value * weight for value, weight in values) / total if total else item.value
        out.append(replace(item, value=mean))
    return tuple(out)
