"""Which measures a timeline can give, of which devices."""

from dataclasses import dataclass

from reditus.core.measures import Measure
from reditus.core.measures.selection import available, bottom_devices, devices_of
from reditus.store.read.reader import Reader


@dataclass(frozen=True, slots=True)
class AvailableMeasure:
    """A measure that a timeline can give, and its devices."""

    measure: Measure
    devices: tuple[str, ...]
    aliases: tuple[str, ...]
    """Devices that repeat what others count: volumes, partitions, the loopback."""


def available_measures(reader: Reader) -> list[AvailableMeasure]:
    """In the order of the catalogue, and behind them what others count."""
    out = []
    for measure, devices in available(reader.known):
        bottom = bottom_devices(reader.scope.facts, measure, devices)
        out.append(AvailableMeasure(measure, devices, tuple(name for name in devices if name not in bottom)))
    for other in reader.known.others.values():
        out.append(AvailableMeasure(other, devices_of(reader.known, other), ()))
    return out
