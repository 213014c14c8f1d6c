"""Which columns the measures need, and which measures the columns can give."""

from collections.abc import Sequence
from dataclasses import dataclass
from functools import lru_cache

from reditus.core.facts import HostFacts
from reditus.core.measures import MEASURES, Measure, Per
from reditus.core.measures.measure import Need, Reach
from reditus.store.known import KnownColumns, device_attribute
from reditus.store.records import KnownColumn

LOOPBACK = "lo"
REMEMBERED = 64
"""Archives for which it is remembered what they can give; that changes only when a device comes or goes."""


@dataclass(frozen=True, slots=True)
class Wanted:
    """A measure, of a device or of the machine."""

    measure: Measure
    device: str | None

    @property
    def name(self) -> str:
        """As it is asked for: NAME or NAME@DEVICE."""
        return self.measure.name if self.device is None else f"{self.measure.name}@{self.device}"


@lru_cache(maxsize=REMEMBERED)
def available(known: KnownColumns) -> tuple[tuple[Measure, tuple[str, ...]], ...]:
    """The measures that these columns can give, each with its devices."""
    counters = known.by_counter.keys()
    out = []
    for measure in MEASURES.values():
        required = {need.counter for need in measure.needs if not need.optional}
        optional = {need.counter for need in measure.needs}
        if required <= counters and optional & counters:
            out.append((measure, devices_of(known, measure)))
    return tuple(out)


def everything(known: KnownColumns) -> tuple[Wanted, ...]:
    """Every measure that these columns can give, of the machine and of each device."""
    return tuple(Wanted(measure, device) for measure, devices in available(known) for device in [None, *devices])


@lru_cache(maxsize=16 * REMEMBERED)
def devices_of(known: KnownColumns, measure: Measure) -> tuple[str, ...]:
    asked = {need.counter for need in measure.needs}
    return tuple(measure.devices(one.column for counter in asked for one in known.by_counter.get(counter, ())))


def own_devices(facts: HostFacts, measure: Measure, devices: Sequence[str]) -> list[str]:
    """Those devices that tell nothing again which others tell: bottom disks, and interfaces without the loopback."""
    if measure.per is Per.DISK:
        return facts.bottom_disks(devices) or list(devices)
    if measure.per is Per.INTERFACE:
        return [name for name in devices if name != LOOPBACK] or list(devices)
    return list(devices)


@lru_cache(maxsize=4 * REMEMBERED)
def needed_columns(known: KnownColumns, wanted: tuple[Wanted, ...]) -> tuple[KnownColumn, ...]:
    """The columns that the measures read, each once."""
    found: dict[KnownColumn, None] = {}
    # What does not depend on the device is asked again for each of them.
    shared: dict[Need, tuple[KnownColumn, ...]] = {}
    for one in wanted:
        for need in one.measure.needs:
            if need.reach is Reach.THIS:
                found |= dict.fromkeys(_matching(known, need, one.device))
                continue
            if need.reach is Reach.WHOLE and one.device is not None:
                continue
            if need not in shared:
                shared[need] = _matching(known, need, None)
            found |= dict.fromkeys(shared[need])
    return tuple(found)


def _matching(known: KnownColumns, need: Need, device: str | None) -> tuple[KnownColumn, ...]:
    if need.reach in (Reach.EVERY, Reach.WHOLE):
        near = known.by_counter.get(need.counter, ())
    else:
        # A counter as it is asks for its own column, with the device among what is fixed.
        of = device if need.reach is Reach.THIS else dict(need.fixed).get(device_attribute(need.counter) or "")
        near = known.by_device.get((need.counter, of), ())
    return tuple(one for one in near if need.matches(one.column, device))
