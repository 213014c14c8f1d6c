"""System metrics of the semantic conventions, newer and older, as the counters of our own recorder.

Source: OpenTelemetry semantic conventions, "System metrics" 1.x, and the names that senders of the years before still
use. What is not among them keeps its own name.
"""

from collections.abc import Mapping
from dataclasses import dataclass, field

from reditus.core.counters import COUNTERS, MEMORY_FIELD
from reditus.core.schema import Column, Kind

_RENAMED = {
    "system.disk.merged": "system.disk.merged",
    "system.network.packets": "system.network.packet.count",
    "system.network.dropped": "system.network.packet.dropped",
    "system.network.dropped_packets": "system.network.packet.dropped",
    "system.network.connections": "system.network.connection.count",
    "system.processes.count": "system.process.count",
    "system.processes.created": "system.process.created",
    "system.cpu.physical.count": "",
}
_ATTRIBUTES: Mapping[str, Mapping[str, str]] = {
    "system.cpu": {"state": "cpu.mode", "cpu": "cpu.logical_number", "system.cpu.state": "cpu.mode",
                   "system.cpu.logical_number": "cpu.logical_number"},
    "system.disk": {"device": "system.device", "direction": "disk.io.direction",
                    "system.disk.direction": "disk.io.direction"},
    "system.network": {"device": "network.interface.name", "direction": "network.io.direction",
                       "system.device": "network.interface.name", "system.network.direction": "network.io.direction"},
    "system.paging": {"direction": "system.paging.direction", "state": "system.paging.state",
                      "type": "system.paging.fault.type", "system.paging.type": "system.paging.fault.type"},
    "system.filesystem": {"mountpoint": "system.filesystem.mountpoint", "state": "system.filesystem.state"},
    "system.process": {"status": "linux.process.state", "process.state": "linux.process.state"},
}  # fmt: skip
_MEMORY_STATES = {"free": "MemFree", "cached": "Cached", "buffered": "Buffers", "buffers": "Buffers",
                  "slab_reclaimable": "SReclaimable", "slab_unreclaimable": "SUnreclaim", "inactive": "Inactive",
                  "active": "Active"}  # fmt: skip
MEMORY = "system.memory.linux.bytes"
_MEMORY_NAMES = {"system.memory.limit": "MemTotal", "system.memory.linux.available": "MemAvailable",
                 "system.linux.memory.available": "MemAvailable", "system.memory.shared": "Shmem"}  # fmt: skip
_MODES = {"wait": "iowait", "softirq": "softirq", "irq": "interrupt"}


@dataclass(frozen=True, slots=True)
class Stream:
    """What tells one series of a sender from all others."""

    name: str
    attributes: tuple[tuple[str, str], ...]
    unit: str
    kind: Kind
    _hash: int = field(init=False, repr=False, compare=False)

    def __post_init__(self) -> None:
        # Looked up several times for each point.
        object.__setattr__(self, "_hash", hash((self.name, self.attributes, self.unit, self.kind is Kind.LEVEL)))

    def __hash__(self) -> int:
        return self._hash


def ours(stream: Stream) -> Column | None:
    """The column of our catalogue that means the same; None where there is none."""
    name = _RENAMED.get(stream.name, stream.name)
    given = dict(stream.attributes)
    if name in _MEMORY_NAMES:
        return _memory(_MEMORY_NAMES[name]) if not given else None
    if name == "system.memory.usage":
        state = given.get("system.memory.state", given.get("state", ""))
        return _memory(_MEMORY_STATES[state]) if state in _MEMORY_STATES and len(given) == 1 else None
    counter = COUNTERS.get(name)
    if counter is None or counter.kind is not stream.kind or not _same_unit(counter.unit, stream.unit):
        return None
    renames = next((table for start, table in _ATTRIBUTES.items() if name.startswith(start)), {})
    allowed = {*counter.attributes, *([counter.device] if counter.device else [])}
    attributes = {renames.get(key, key): value for key, value in given.items()}
    attributes = {key: value for key, value in attributes.items() if key in allowed}
    if name == "system.cpu.time":
        mode, core = attributes.get("cpu.mode"), attributes.get("cpu.logical_number")
        if mode is None:
            return None
        attributes["cpu.mode"] = _MODES.get(mode, mode)
        if core is not None:
            attributes["cpu.logical_number"] = core.removeprefix("cpu")
    # What the catalogue has by direction or state is nothing without it.
    if not set(counter.attributes) <= set(attributes) and name not in _PLAIN:
        return None
    return Column.of(name, attributes, unit=counter.unit, kind=counter.kind, double=True)


_PLAIN = ("system.disk.io_time", "system.process.count")
"""Whose further attributes may be missing."""


def _memory(field: str) -> Column:
    counter = COUNTERS[MEMORY]
    return Column.of(MEMORY, {MEMORY_FIELD: field}, unit=counter.unit, kind=counter.kind, double=True)


def _same_unit(one: str, other: str) -> bool:
    """Curly braces are remarks in UCUM: {packet} is 1."""
    plain = [("1" if unit.startswith("{") or not unit else unit) for unit in (one, other)]
    return plain[0] == plain[1]
