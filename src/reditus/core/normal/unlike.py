"""A finding that exists because a host's past is known: something took much longer than is usual for the hour."""

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from reditus.core.diagnosis.finding import Evidence, Finding, Harm, Kind, Onset
from reditus.core.durations import spell_duration
from reditus.core.measures import Resource
from reditus.core.measures.selection import SeriesKey
from reditus.core.normal.departures import Departure
from reditus.core.types import NS_PER_S

KIND = Kind(
    "unlike.usual",
    "Unlike usual",
    is_problem=True,
    meaning="Something waited, queued or was held up for half an hour and more beyond the band that is usual for this "
    "hour of this weekday on this machine. No rule says that anything ran out; it is only not as it always was. More "
    "work alone is never a reason.",
    evidence=("disk.wait", "disk.queue", "cpu.waiting", "stall.io.some"),
    look_alikes="A job that runs every other week; the first weeks after a change of the machine or its work, until "
    "they are usual themselves.",
    next_steps=(
        "Put the band of what is usual behind the strip, and see when it left it.",
        "Compare with the same hours a week before: more work, or slower work?",
    ),
    without="Without a past of the same host nothing of this kind can be found; with less than two weeks of it the "
    "same hour of other days stands in, at low confidence.",
)
LITTLE_PAST, SOME_PAST, MUCH_PAST = 0.3, 0.5, 0.6
MUCH_WEEKS = 4
COVERED = 0.5
"""Of a departure that much of which is explained by another finding of the resource, nothing more is said."""
MOST_NAMED = 3
_OF = {
    "cpu.iowait": Resource.DISK, "cpu.blocked": Resource.DISK, "stall.io": Resource.DISK,
    "stall.memory": Resource.MEMORY, "memory.refaults": Resource.MEMORY, "swap.": Resource.MEMORY,
}  # fmt: skip


@dataclass(frozen=True, slots=True)
class Unusual:
    """A departure of one measure, and how much past its band rests on."""

    key: SeriesKey
    departure: Departure
    bin_s: float
    weeks: int
    days: int
    floor: float
    """As much as is next to nothing."""

    @property
    def times(self) -> float:
        """How many times its band's upper edge it was."""
        return self.departure.mean / max(self.departure.high, self.floor)

    @property
    def resource(self) -> Resource:
        """Whose trouble it is: what waits for disks is counted among the processor's."""
        name = self.key.measure.name
        return next((of for part, of in _OF.items() if part in name), self.key.measure.resource)


def unlike_usual(unusual: Sequence[Unusual], others: Sequence[Finding]) -> list[Finding]:
    """One finding for what departed together of a resource, unless another finding of it tells of that time."""
    found = []
    for resource in Resource:
        own = sorted(
            (item for item in unusual if item.resource is resource),
            key=lambda item: item.departure.start_ns,
        )
        for together in _together(own):
            finding = _finding(resource, together)
            if _covered(finding, [other for other in others if other.resource is resource]) < COVERED:
                found.append(finding)
    return found


def _together(unusual: Sequence[Unusual]) -> list[list[Unusual]]:
    """What overlaps, in order of the start."""
    groups: list[list[Unusual]] = []
    until_ns = -(1 << 63)
    for item in unusual:
        if item.departure.start_ns >= until_ns:
            groups.append([])
        groups[-1].append(item)
        until_ns = max(until_ns, item.departure.end_ns)
    return groups


def _finding(resource: Resource, together: Sequence[Unusual]) -> Finding:
    worst = max(together, key=lambda item: item.times)
    start_ns = min(item.departure.start_ns for item in together)
    end_ns = max(item.departure.end_ns for item in together)
    devices = list(dict.fromkeys(item.key.device for item in together if item.key.device is not None))
    device = devices[0] if len(devices) == 1 else None
    rests = f"{worst.weeks} weeks" if worst.weeks else f"{worst.days} other days at the same hour"
    confidence = LITTLE_PAST if worst.weeks < 2 else MUCH_PAST if worst.weeks >= MUCH_WEEKS else SOME_PAST
    title = worst.key.measure.title
    of = f" of {worst.key.device}" if worst.key.device else ""
    where = f" It shows on {', '.join(devices[:MOST_NAMED])}" + (
        f" and {len(devices) - MOST_NAMED} more." if len(devices) > MOST_NAMED else "."
    )
    length_s = (end_ns - start_ns) / NS_PER_S
    first = min(together, key=lambda item: item.departure.start_ns)
    return Finding(
        kind=KIND.id,
        title=KIND.title,
        resource=resource,
        device=device,
        start_ns=start_ns,
        end_ns=end_ns,
        onset=Onset(start_ns, first.bin_s),
        severity=min(float(np.log2(max(worst.times, 1.0))) / 4, 1.0),
        time_lost_s=0.0,
        time_lost_estimated=True,
        harm=Harm(length_s, "beyond what is usual"),
        confidence=confidence,
        evidence=tuple(
            Evidence(
                item.key.measure.name, item.key.device, item.departure.mean, item.departure.high,
                item.key.measure.unit, "mean, usual up to",
            )
            for item in sorted(together, key=lambda item: -item.times)[:MOST_NAMED]
        ),
        explanation=f"{title}{of} was {_compared(worst)} for this hour, for {spell_duration(length_s)}. What is usual "
        f"was learnt from {rests}." + (where if len(devices) > 1 else ""),
        considered=("More work alone is no reason: only waits, queues, stalls and losses are held against the band.",),
        next=KIND.next_steps,
    )  # fmt: skip


def _compared(unusual: Unusual) -> str:
    times = unusual.departure.mean / max(unusual.departure.usual, unusual.floor)
    return f"{times:.1f} times what is usual" + (" at most" if unusual.departure.usual < unusual.floor else "")


def _covered(finding: Finding, others: Sequence[Finding]) -> float:
    """The largest share of it that one other finding covers."""
    return max(
        (
            max(min(finding.end_ns, other.end_ns) - max(finding.start_ns, other.start_ns), 0)
            / max(finding.end_ns - finding.start_ns, 1)
            for other in others
        ),
        default=0.0,
    )
