"""Slow changes put together: what happened to several devices at once is one change, and what matters comes first."""

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from reditus.core.comparison.roles import Meaning
from reditus.core.measures.selection import SeriesKey
from reditus.core.slow.change_points import Piece
from reditus.core.slow.changes import SlowChange

SAME_SHARE = 0.03
"""Of the whole length: changes that lie no farther apart are of the same time."""
ALIKE, ALIKE_OF_LATE = 0.3, 0.5
"""Natural logarithms of how far sizes may differ for devices to be put together, and for a measure to be left out
beside a more general one."""
_SAID_BY = {
    "disk.read.wait": "disk.wait", "disk.write.wait": "disk.wait", "net.receive.packets": "net.receive.rate",
    "net.send.packets": "net.send.rate", "disk.read.requests": "disk.read.rate",
    "disk.write.requests": "disk.write.rate", "cpu.user": "cpu.busy", "cpu.system": "cpu.busy",
}  # fmt: skip
"""What says nothing more where the other changed alike."""


@dataclass(frozen=True, slots=True)
class Found:
    """A measure that changed, and what it tells of work."""

    key: SeriesKey
    meaning: Meaning
    change: SlowChange

    @property
    def latest(self) -> Piece:
        """How it is now."""
        return self.change.stretches[-1]

    @property
    def size(self) -> float:
        """From how it was to how it is, as a natural logarithm."""
        was, now = self.change.stretches[0].first, self.latest.last
        return float(np.log((now + self.meaning.floor) / (was + self.meaning.floor)))

    @property
    def weight(self) -> float:
        """How far up it stands: what it means for work, times how much it changed."""
        return self.meaning.weight * min(abs(self.size), 4.0)


@dataclass(frozen=True, slots=True)
class Together:
    """A change of one measure, on the machine or some of its devices."""

    lead: Found
    devices: tuple[str, ...]


def grouped(found: Sequence[Found], length: int) -> list[Together]:
    """In the order of what they mean. The machine's change stands for those of its devices where most changed alike;
    where only some did, those stand alone.
    """
    out: list[Together] = []
    by_measure: dict[str, list[Found]] = {}
    by_name = {item.key.name: item for item in found}
    for item in found:
        device = f"@{item.key.device}" if item.key.device is not None else ""
        general = by_name.get(_SAID_BY.get(item.key.measure.name, "") + device)
        if general is not None and _alike_of_late(general, item, length):
            continue
        by_measure.setdefault(item.key.measure.name, []).append(item)
    for own in by_measure.values():
        left = sorted((item for item in own if item.key.device is not None), key=lambda item: -item.weight)
        machine = next((item for item in own if item.key.device is None), None)
        groups: list[list[Found]] = []
        for item in left:
            group = next((each for each in groups if _alike(each[0], item, length)), None)
            if group is None:
                groups.append([item])
            else:
                group.append(item)
        for group in groups:
            devices = tuple(item.key.device for item in group if item.key.device is not None)
            lead = machine if machine is not None and _alike(machine, group[0], length) else group[0]
            out.append(Together(lead, devices))
        if machine is not None and not any(item.lead is machine for item in out) and not groups:
            out.append(Together(machine, ()))
    return sorted(out, key=lambda item: -item.lead.weight)


def _alike_of_late(general: Found, item: Found, length: int) -> bool:
    """Whether a measure became what it is at the same time as a more general one, and changed about as much."""
    return (
        abs(general.latest.start - item.latest.start) <= SAME_SHARE * length
        and abs(general.size - item.size) <= ALIKE_OF_LATE
    )


def _alike(one: Found, other: Found, length: int) -> bool:
    return (
        len(one.change.stretches) == len(other.change.stretches)
        and all(
            abs(mine.start - its.start) <= SAME_SHARE * length
            for mine, its in zip(one.change.stretches, other.change.stretches, strict=True)
        )
        and abs(one.size - other.size) <= ALIKE
    )
