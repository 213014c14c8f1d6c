"""Cause and effect: findings that a mechanism links, that follow each other, overlap, and whose numbers agree.

Memory shortage → swap traffic → the disk that carries swap is saturated; memory shortage → a process is killed.
"""

from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace

import numpy as np

from reditus.core.binning import summarise
from reditus.core.diagnosis.finding import Finding
from reditus.core.diagnosis.inputs import Readings
from reditus.core.diagnosis.parameters import Parameters
from reditus.core.kernel_columns import PAGE_BYTES
from reditus.core.types import NS_PER_S
from reditus.core.window import Window

_Number = Callable[[Readings, Finding, Parameters], str | None]


OVER_RECORDING = ("disk.read.rate", "disk.write.rate", "memory.refaults", "swap.in", "swap.out")
"""Measures that the numbers of links are made of."""


@dataclass(frozen=True, slots=True)
class Link:
    """A mechanism by which one kind brings another about. `number` says in words what supports it; None breaks the
    link.
    """

    cause: str
    effect: str
    number: _Number


def _swap_share(readings: Readings, effect: Finding, rules: Parameters) -> str | None:
    """How much of the disk's bytes was swap."""
    window = Window(effect.start_ns, effect.end_ns)

    def total(measure: str, device: str | None = None) -> float:
        sampled = readings.over_all(measure, device)
        return (summarise(sampled, window).total or 0.0) if sampled is not None else 0.0

    moved = total("disk.read.rate", effect.device) + total("disk.write.rate", effect.device)
    swapped = total("swap.in") + total("swap.out")
    share = min(swapped / moved, 1.0) if moved > 0 else 0.0
    return f"{share:.0%} of what {effect.device} moved was swap." if share >= rules.chain_swap_share else None


def _reread_share(readings: Readings, effect: Finding, rules: Parameters) -> str | None:
    """How much of what the disk read had been in memory a moment before; files do not come from a disk that carries
    swap.
    """
    if _swap_share(readings, effect, rules):
        return None
    window = Window(effect.start_ns, effect.end_ns)
    read, again = readings.over_all("disk.read.rate", effect.device), readings.over_all("memory.refaults")
    if read is None or again is None:
        return None
    total, refaulted = summarise(read, window).total or 0.0, (summarise(again, window).total or 0.0) * PAGE_BYTES
    swapped = readings.over_all("swap.in")
    # Pages that come back from swap are refaults too, and not of files.
    files = refaulted - (0.0 if swapped is None else summarise(swapped, window).total or 0.0)
    share = min(max(files, 0.0) / total, 1.0) if total > 0 else 0.0
    sentence = f"{share:.0%} of what {effect.device} read had been in memory shortly before."
    return sentence if share >= rules.chain_swap_share else None


def _same_device(words: str) -> _Number:
    return lambda *_: words


SAME_DEVICE = {
    ("disk.writeback", "disk.saturated"),
    ("disk.writeback", "disk.slow"),
    ("disk.writeback", "disk.hot"),
    ("disk.hot", "disk.saturated"),
}
"""Links that hold only where cause and effect are of one device."""
LINKS = (
    Link(
        "memory.pressure", "swap.thrashing", lambda *_: "What did not fit into memory went to swap and was read back."
    ),
    Link("swap.thrashing", "disk.saturated", _swap_share),
    Link("swap.thrashing", "disk.slow", _swap_share),
    Link("memory.pressure", "memory.oom_kill", lambda *_: "No memory could be had any more."),
    Link("memory.leak", "memory.pressure", lambda *_: "Programs grew until hardly any memory was left."),
    Link("memory.leak", "swap.full", lambda *_: "What kept growing filled the swap."),
    Link("memory.leak", "memory.cache_thrash", lambda *_: "Programs grew into the memory that files had."),
    Link("memory.pressure", "memory.cache_thrash", lambda *_: "Programs took the memory that files had."),
    Link("memory.cache_thrash", "disk.saturated", _reread_share),
    Link("memory.pressure", "swap.full", lambda *_: "What did not fit into memory filled the swap."),
    Link("swap.thrashing", "io.stalled", lambda *_: "Tasks waited for pages that had gone to swap."),
    Link("memory.cache_thrash", "io.stalled", lambda *_: "Tasks waited for files that had been dropped from memory."),
    Link("disk.hot", "io.stalled", lambda *_: "Tasks waited for the one disk that carries most of the work."),
    Link("disk.writeback", "disk.hot", _same_device("What was owed to it came all at once.")),
    Link("disk.writeback", "disk.saturated", _same_device("What was owed to it came all at once.")),
    Link("disk.hot", "disk.saturated", _same_device("It got several times the requests of its peers.")),
    Link("disk.writeback", "disk.slow", _same_device("What was owed to it came all at once.")),
    Link("cpu.interrupts", "net.backlog", lambda *_: "The one core that took all packets could not keep up."),
    Link("cpu.interrupts", "net.loss", lambda *_: "The one core that took all packets could not keep up."),
    Link("net.saturated", "net.loss", lambda *_: "A full link drops what its queue cannot hold."),
    Link("net.backlog", "net.loss", lambda *_: "Packets that were thrown away had to be sent again."),
    Link("cpu.churn", "cpu.saturated", lambda *_: "The kernel's starting and switching of tasks took the cores."),
    Link("cpu.packets", "cpu.saturated", lambda *_: "The kernel's handling of packets took the cores."),
    Link("cpu.packets", "net.backlog", lambda *_: "More packets came than the cores could take."),
    Link("cpu.packets", "net.udp_overflow", lambda *_: "More packets came than the program could read."),
    Link("cpu.thermal", "cpu.saturated", lambda *_: "Slower cores take longer for the same work."),
    Link("cpu.steal", "cpu.saturated", lambda *_: "The hypervisor left fewer cores than the machine shows."),
    Link("memory.leak", "memory.oom_kill", lambda *_: "Programs grew until no memory could be had."),
)


def chained(findings: Sequence[Finding], readings: Readings, rules: Parameters) -> list[Finding]:
    """The findings, each with the ids of what brought it about and of what it brought about."""
    causes: dict[str, list[tuple[str, str]]] = {finding.id: [] for finding in findings}
    symptoms: dict[str, list[str]] = {finding.id: [] for finding in findings}
    for link in LINKS:
        for effect in (finding for finding in findings if finding.kind == link.effect):
            own = (link.cause, link.effect) in SAME_DEVICE
            fitting = [
                finding
                for finding in findings
                if finding.kind == link.cause
                and _leads_to(finding, effect, rules)
                and (not own or finding.device == effect.device)
            ]
            sentence = link.number(readings, effect, rules) if fitting else None
            if sentence is None:
                continue
            # Of several the one that overlaps it most.
            cause = max(fitting, key=lambda item: _overlap_ns(item, effect))
            causes[effect.id].append((cause.id, sentence))
    nearest = {item: _nearest(sentence, causes) for item, sentence in causes.items()}
    for effect_id, explained in nearest.items():
        for cause_id, _ in explained:
            symptoms[cause_id].append(effect_id)
    return [
        replace(
            finding,
            caused_by=tuple(cause for cause, _ in nearest[finding.id]),
            symptoms=tuple(symptoms[finding.id]),
            explanation=" ".join([finding.explanation, *(sentence for _, sentence in nearest[finding.id])]),
        )
        for finding in findings
    ]


def _nearest(sentence: list[tuple[str, str]], causes: dict[str, list[tuple[str, str]]]) -> list[tuple[str, str]]:
    """Without the causes of causes: what came of a leak by way of a shortage came of the shortage."""
    further = {above for entry, _ in sentence for above in _all_above(entry, causes)}
    return [each for each in sentence if each[0] not in further] or sentence


def _all_above(finding: str, causes: dict[str, list[tuple[str, str]]]) -> set[str]:
    above: set[str] = set()
    open_ = [cause for cause, _ in causes[finding]]
    while open_:
        one = open_.pop()
        if one not in above:
            above.add(one)
            open_ += [cause for cause, _ in causes[one]]
    return above


def follows(effect: Finding, others: Sequence[Finding], rules: Parameters) -> bool:
    """Whether some mechanism could have brought it about from one of the others, by kind and time alone."""
    causes = {link.cause for link in LINKS if link.effect == effect.kind}
    return any(other.kind in causes and _leads_to(other, effect, rules) for other in others)


def _leads_to(cause: Finding, effect: Finding, rules: Parameters) -> bool:
    """In order, and overlapping or nearly so."""
    slack_ns = int(rules.chain_slack_s * NS_PER_S)
    in_order = cause.start_ns <= effect.start_ns + slack_ns
    return in_order and effect.start_ns <= cause.end_ns + slack_ns


def _overlap_ns(cause: Finding, effect: Finding) -> int:
    return int(np.minimum(cause.end_ns, effect.end_ns) - np.maximum(cause.start_ns, effect.start_ns))
