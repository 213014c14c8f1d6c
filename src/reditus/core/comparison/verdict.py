"""What happened, in a sentence: more work, slower work, another mix, or nothing beyond chance."""

from dataclasses import dataclass
from enum import StrEnum

from reditus.core.comparison.differences import Comparison, Difference
from reditus.core.comparison.roles import Role
from reditus.core.facts import HostFacts
from reditus.core.measures import Resource

TELLING_RATIO = 1.15
"""What differs by less is no more or less work, and takes no longer."""
MIX_RATIO = 1.5
_OF_DISKS = ("cpu.iowait", "cpu.blocked")


class What(StrEnum):
    """What a comparison comes to."""

    SAME = "same"
    MORE = "more work"
    LESS = "less work"
    SLOWER = "slower work"
    QUICKER = "quicker work"
    MIX = "other mix"


@dataclass(frozen=True, slots=True)
class Verdict:
    """What a comparison comes to, and why."""

    what: What
    sentence: str
    because: tuple[str, ...] = ()
    """What speaks for it, one sentence each."""


_OUTER_DEMAND = ("net.receive.rate", "net.send.rate", "net.receive.packets", "net.send.packets", "cpu.user")
_DISK_DEMAND = ("disk.read.requests", "disk.write.requests", "disk.read.rate", "disk.write.rate")
_SHORT_OF_CORES = ("cpu.waiting", "stall.cpu.some", "cpu.quota")
_SHORT_OF_MEMORY = ("swap.in", "memory.faults.major", "memory.refaults", "stall.memory.some")


def verdict_of(comparison: Comparison) -> Verdict:
    """More work or slower work: demand measures against response measures. Where a part of the machine is missing,
    stolen or short, what waits waits for that, however much is done.
    """
    found = comparison.differences
    signs = _Signs(comparison)
    because = tuple(filter(None, (signs.smaller, _little(comparison), _mix(found))))
    return Verdict(*_words(comparison, signs), because)


class _Signs:
    """What speaks for what."""

    def __init__(self, comparison: Comparison) -> None:
        found = comparison.differences
        self.smaller = _smaller(comparison.window.facts, comparison.reference.facts)
        self.larger = _smaller(comparison.reference.facts, comparison.window.facts)
        harm = [item for item in found if item.role in (Role.RESPONSE, Role.LOSS) and _is_telling(item)]
        self.mixed = [item for item in found if item.role is Role.MIX and _is_mix(item, found)]
        self.slower = [item for item in harm if item.rises]
        self.quicker = [item for item in harm if not item.rises]
        self.short = [item for item in self.slower if item.measure.name in _SHORT_OF_MEMORY]
        self.lacks = self.smaller if self._is_missed(comparison) else ""
        """What there is less of, where something waits for just that: of two sisters one is larger, and that is all."""
        self.stolen = [item for item in self.slower if item.measure.name == "cpu.steal"]
        self.more = _demand(found, rises=True, disks=not self.short and not self.mixed)
        self.less = _demand(found, rises=False, disks=not self.mixed)

    def _is_missed(self, comparison: Comparison) -> bool:
        now, before = comparison.window.facts, comparison.reference.facts
        if now.cores and before.cores and now.cores < before.cores:
            return any(item.measure.name in _SHORT_OF_CORES for item in self.slower)
        return bool(self.short)

    @property
    def is_mix(self) -> bool:
        """Whether the work was of another kind, and nothing but disks answered to that."""
        beside = [
            item
            for item in self.slower
            if item.measure.resource is not Resource.DISK and item.measure.name not in _OF_DISKS
        ]
        return bool(self.mixed) and not (self.lacks or self.short or self.stolen or self.more or self.less or beside)


def _words(comparison: Comparison, signs: _Signs) -> tuple[What, str]:
    slower, quicker, more, less = signs.slower, signs.quicker, signs.more, signs.less
    if signs.is_mix:
        return What.MIX, f"As many bytes were moved, in another way: {_named(signs.mixed[0])}."
    if slower and (signs.lacks or signs.short or signs.stolen or not more):
        cause = signs.lacks
        if not cause and signs.short:
            cause = "Memory is short." if signs.short[0] is slower[0] else _short(signs.short)
        cause = cause or ("The hypervisor took time away." if signs.stolen else "")
        done = "less of it was done" if less else "the same work was done"
        return What.SLOWER, f"It took longer, and {done}: {_named(slower[0])}. {cause}".strip()
    if more:
        then = f", and what waits for it grew: {_named(slower[0])}" if slower else ", and it took no longer"
        return What.MORE, f"More work was done{then}. {_capital(_named(more[0]))}."
    if less:
        then = f", and what there was took less time: {_named(quicker[0])}" if quicker else ""
        return What.LESS, f"Less work was done{then}. {_capital(_named(less[0]))}."
    if quicker:
        return What.QUICKER, f"The same work took less time: {_named(quicker[0])}. {signs.larger}".strip()
    return What.SAME, _same(comparison)


def _same(comparison: Comparison) -> str:
    if not comparison.compared:
        empty = [
            name
            for name, side in (("window", comparison.window), ("reference", comparison.reference))
            if not side.stats
        ]
        why = f"the {empty[0]} holds no ticks" if empty else "no measure has enough values on both sides"
        return f"Nothing could be compared: {why}."
    if not comparison.differences:
        return f"No difference beyond chance among {comparison.compared:,} measures."
    return f"As much work was done, and it took no longer; what stands otherwise: {_named(comparison.differences[0])}."


def _is_of_disks(item: Difference) -> bool:
    return item.measure.resource is Resource.DISK or item.measure.name in _OF_DISKS


def _capital(text: str) -> str:
    return text[:1].upper() + text[1:]


def _is_mix(item: Difference, found: tuple[Difference, ...]) -> bool:
    """Requests of another size, and as many bytes."""
    rate = item.measure.name.replace(".size", ".rate")
    moved = [other for other in found if other.measure.name == rate and item.device in (other.device, *other.likewise)]
    return max(item.ratio, 1 / item.ratio) >= MIX_RATIO and not moved


def _demand(found: tuple[Difference, ...], *, rises: bool, disks: bool) -> list[Difference]:
    """Work that comes from outside or is done by programs; of disks only where memory does not cause it."""
    names = (*_OUTER_DEMAND, *_DISK_DEMAND) if disks else _OUTER_DEMAND
    return [item for item in found if item.measure.name in names and item.rises is rises and _is_telling(item)]


def _is_telling(item: Difference) -> bool:
    return max(item.ratio, 1 / item.ratio) >= TELLING_RATIO


def _smaller(now: HostFacts, before: HostFacts) -> str:
    """What the machine has less of than before, as a sentence; empty for nothing."""
    if now.cores and before.cores and now.cores < before.cores:
        return f"It has {now.cores} cores, and had {before.cores}."
    if now.memory_bytes and before.memory_bytes and now.memory_bytes < 0.97 * before.memory_bytes:
        return f"It has {now.memory_bytes / 2**30:.1f} GiB of memory, and had {before.memory_bytes / 2**30:.1f}."
    return ""


def _short(short: list[Difference]) -> str:
    return f"Memory is short: {_named(short[0])}."


def _little(comparison: Comparison) -> str:
    """Little's law: a queue is requests a second times the wait of each, so what it grew by comes from the two."""
    found = {(item.measure.name, item.device): item for item in (*comparison.differences, *comparison.alike)}
    for queue in comparison.differences:
        if queue.measure.name != "disk.queue" or not queue.rises or queue.device is None:
            continue
        wait = found.get(("disk.wait", queue.device))
        if wait is None or min(queue.reference.mean, wait.reference.mean, wait.window.mean) <= 0:
            continue
        grown, longer = queue.window.mean / queue.reference.mean, wait.window.mean / wait.reference.mean
        return (
            f"By Little's law the queue of {queue.device}, {grown:.2g} times as long, comes from waits {longer:.2g} "
            f"times as long and requests {grown / longer:.2g} times as many."
        )
    return ""


def _mix(found: tuple[Difference, ...]) -> str:
    for item in found:
        if item.role is Role.MIX and max(item.ratio, 1 / item.ratio) >= MIX_RATIO:
            return f"The mix is another: {_named(item)}."
    return ""


def _named(item: Difference) -> str:
    """A difference as part of a sentence."""
    of = f" of {item.device}" if item.device else ""
    title = (
        item.measure.title[0].lower() + item.measure.title[1:]
        if item.measure.title[1:2].islower()
        else item.measure.title
    )
    return f"{title}{of} {_times(item)}"


def _times(item: Difference) -> str:
    if item.measure.resource is Resource.LOG and item.reference.mean == 0:
        return "appeared"
    if item.ratio >= 2:
        return f"{item.ratio:.2g} times as high" if item.ratio < 60 else "more than 60 times as high"
    if item.ratio > 1:
        return f"{100 * (item.ratio - 1):.0f} % higher"
    if item.ratio <= 1 / 2:
        return f"{1 / item.ratio:.2g} times lower"
    return f"{100 * (1 - item.ratio):.0f} % lower"
