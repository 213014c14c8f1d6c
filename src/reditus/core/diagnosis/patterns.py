"""One-off or again and again: single short spikes are no finding, and many at a steady distance are one."""

from collections.abc import Sequence
from dataclasses import replace

import numpy as np

from reditus.core.diagnosis.finding import Finding, Kind, Occurrence, Onset, Pattern, RuledOut, summed_harm
from reditus.core.diagnosis.parameters import Parameters
from reditus.core.durations import spell_duration
from reditus.core.types import NS_PER_S, FloatArray

SPIKE = Kind(
    "spike",
    "Isolated spike",
    is_problem=False,
    meaning="Something was short for some seconds, once, in a long recording: it may be looked at, and explains no "
    "complaint about more.",
    evidence=("the kind that it would have been",),
    look_alikes="The same again and again at a steady distance, which is reported as periodic.",
)
KINDS = (SPIKE,)
COUNTED = ("memory.oom_kill", "net.errors", "net.listen_overflow", "net.udp_overflow", "net.backlog")
"""What is counted is reported however short it was."""
BINS_A_GAP = 24
MOST_BINS = 1 << 15
MOST_OCCURRENCES = 200
DAY_NS = 86_400 * NS_PER_S


def collapse_recurring(
    findings: Sequence[Finding], observed_s: float, tick_s: float, rules: Parameters
) -> tuple[list[Finding], list[Finding]]:
    """The findings with those that come again put together, and apart from them those that are no more than a spike.
    `observed_s` is how long the recording
    is, `tick_s` the distance of its ticks.
    """
    out: list[Finding] = []
    spikes: list[Finding] = []
    for key in dict.fromkeys((finding.kind, finding.device) for finding in findings):
        alike = sorted(
            (finding for finding in findings if (finding.kind, finding.device) == key), key=lambda item: item.start_ns
        )
        period_s = _period_s(alike, rules)
        if period_s is not None:
            out.append(_together(alike, period_s))
            continue
        pause_s = max(min(rules.join_pause_s, rules.join_pause_share * observed_s), rules.join_pause_ticks * tick_s)
        for entry in _joined(alike, pause_s):
            short = entry.length_s < min(rules.spike_s, rules.spike_share * observed_s)
            if short and entry.kind not in COUNTED:
                spikes.append(entry)
            else:
                out.append(entry)
    return out, spikes


def _joined(alike: Sequence[Finding], pause_s: float) -> list[Finding]:
    """Those that were interrupted for a moment only, put together: one trouble that goes on and off near a threshold is
    one.
    """
    groups: list[list[Finding]] = []
    for item in alike:
        if groups and (item.start_ns - groups[-1][-1].end_ns) / NS_PER_S <= pause_s:
            groups[-1].append(item)
        else:
            groups.append([item])
    return [group[0] if len(group) == 1 else _merge_intermittent(group) for group in groups]


def _merge_intermittent(group: Sequence[Finding]) -> Finding:
    worst = max(group, key=lambda item: (item.time_lost_s, item.length_s))
    lost_s, span_s = sum(item.time_lost_s for item in group), (group[-1].end_ns - group[0].start_ns) / NS_PER_S
    return replace(
        worst,
        start_ns=group[0].start_ns,
        end_ns=group[-1].end_ns,
        onset=group[0].onset,
        time_lost_s=lost_s,
        harm=summed_harm(group),
        severity=min(lost_s / span_s, 1.0),
        explanation=f"On and off, {len(group)} times in {spell_duration(span_s)}. The worst of them: "
        f"{worst.explanation}",
    )


def _period_s(alike: Sequence[Finding], rules: Parameters) -> float | None:
    """The distance at which they come again, by the autocorrelation of on and off; None where there is none."""
    if len(alike) < rules.periodic_times:
        return None
    starts_s = np.array([item.start_ns for item in alike], dtype=np.float64) / NS_PER_S
    gaps_s = np.diff(starts_s)
    usual_s = float(np.median(gaps_s))
    # A time or two that was missed leaves a distance of twice or three times as long.
    times = np.maximum(np.round(gaps_s / usual_s), 1.0)
    strays = np.abs(gaps_s - times * usual_s) / usual_s
    if float(np.mean(strays <= rules.periodic_stray)) < rules.periodic_share:
        return None
    bin_s = max(usual_s / BINS_A_GAP, (starts_s[-1] - starts_s[0]) / MOST_BINS)
    bins = int((starts_s[-1] - starts_s[0] + usual_s) / bin_s) + 1
    on = np.zeros(bins)
    for entry in alike:
        first = int((entry.start_ns / NS_PER_S - starts_s[0]) / bin_s)
        on[first : max(first + 1, int((entry.end_ns / NS_PER_S - starts_s[0]) / bin_s))] = 1.0
    lag = _best_lag(on, round(0.6 * usual_s / bin_s), round(1.4 * usual_s / bin_s))
    if lag is None:
        return None
    # The bins tell that it is periodic; the starts tell the period better.
    near = gaps_s[np.abs(gaps_s / times - lag * bin_s) <= rules.periodic_stray * usual_s * 2]
    return float(np.median(near)) if len(near) else lag * bin_s


def _best_lag(on: FloatArray, low: int, high: int) -> int | None:
    """The lag of the highest autocorrelation between two lags; None where even that is weak."""
    centred = on - on.mean()
    size = 1 << int(np.ceil(np.log2(2 * len(on))))
    power = np.abs(np.fft.rfft(centred, size)) ** 2
    correlation = np.fft.irfft(power, size)[: len(on)]
    if correlation[0] <= 0 or high <= low or low < 1:
        return None
    part = correlation[low : high + 1] / correlation[0]
    # With few repetitions the overlap shrinks with the lag; a quarter is still far above chance.
    return low + int(np.argmax(part)) if len(part) and part.max() >= 0.25 else None


def _together(alike: Sequence[Finding], period_s: float) -> Finding:
    worst = max(alike, key=lambda item: item.time_lost_s)
    lost_s, length_s = sum(item.time_lost_s for item in alike), sum(item.length_s for item in alike)
    return replace(
        worst,
        start_ns=alike[0].start_ns,
        end_ns=alike[-1].end_ns,
        onset=Onset(alike[0].onset.at_ns, alike[0].onset.uncertainty_s),
        time_lost_s=lost_s,
        harm=summed_harm(alike),
        severity=min(lost_s / length_s, 1.0) if length_s else 0.0,
        explanation=f"It came {len(alike)} times, every {spell_duration(period_s)}, for "
        f"{spell_duration(length_s / len(alike))} each. The worst of them: {worst.explanation}",
        next=("See what is started at that distance: a timer, a job, a check from outside.", *worst.next),
        pattern=Pattern("periodic", period_s),
        occurrences=occurrences_of(alike),
    )


def occurrences_of(alike: Sequence[Finding]) -> tuple[Occurrence, ...]:
    """The stretches of several findings, in order; of very many the first ones."""
    every = sorted(
        (item for finding in alike for item in finding.occurrences or (Occurrence(finding.start_ns, finding.end_ns),)),
        key=lambda item: item.start_ns,
    )
    return tuple(every[:MOST_OCCURRENCES])


def merge_days(findings: Sequence[Finding]) -> list[Finding]:
    """Findings of one kind and device on several days put together, after causes and effects are known: what says the
    same on Thursday and on Friday is said once, with its days.
    """
    ids: dict[str, str] = {}
    out: list[Finding] = []
    for key in dict.fromkeys((finding.kind, finding.device) for finding in findings):
        alike = sorted(
            (finding for finding in findings if (finding.kind, finding.device) == key), key=lambda item: item.start_ns
        )
        once = [finding for finding in alike if finding.pattern.kind == "once"]
        days = {finding.start_ns // DAY_NS for finding in once}
        if len(days) < 2:
            out += alike
            continue
        merged = _on_days(once, len(days))
        ids |= {finding.id: merged.id for finding in once}
        out += [merged, *(finding for finding in alike if finding.pattern.kind != "once")]

    def renamed(names: Sequence[str]) -> tuple[str, ...]:
        return tuple(dict.fromkeys(ids.get(name, name) for name in names))

    return [
        replace(finding, caused_by=renamed(finding.caused_by), symptoms=renamed(finding.symptoms)) for finding in out
    ]


def _on_days(alike: Sequence[Finding], days: int) -> Finding:
    worst = max(alike, key=lambda item: (item.harm.seconds, item.time_lost_s, item.length_s))
    lost_s, length_s = sum(item.time_lost_s for item in alike), sum(item.length_s for item in alike)
    times = f"{len(alike)} times on {days} days" if len(alike) > days else f"On {days} days"
    return replace(
        worst,
        start_ns=alike[0].start_ns,
        end_ns=alike[-1].end_ns,
        onset=alike[0].onset,
        time_lost_s=lost_s,
        harm=summed_harm(alike),
        severity=min(lost_s / length_s, 1.0) if length_s else 0.0,
        explanation=f"{times}, {spell_duration(length_s)} together. The worst: {worst.explanation}",
        pattern=Pattern("days"),
        occurrences=occurrences_of(alike),
        # An effect of another on one day, and not on the next, is not explained by it.
        caused_by=tuple(dict.fromkeys(name for item in alike for name in item.caused_by))
        if all(item.caused_by for item in alike)
        else (),
        symptoms=tuple(dict.fromkeys(name for item in alike for name in item.symptoms)),
    )


def as_spike(finding: Finding) -> RuledOut:
    """A finding that was a single short spike, as something ruled out."""
    return RuledOut(
        SPIKE.id,
        SPIKE.title,
        finding.resource,
        finding.start_ns,
        finding.end_ns,
        finding.evidence,
        f"{finding.title}, for {spell_duration(finding.length_s)} and once: a moment's work. {finding.explanation}",
        finding.device,
    )
