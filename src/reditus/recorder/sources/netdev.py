"""/proc/net/dev: every column of every interface, each direction for itself. It is per network namespace."""

import re

from reditus.core.counters import INTERFACE, NETWORK_DIRECTION
from reditus.core.layout import Column
from reditus.recorder.kernel_text import Field
from reditus.recorder.sources.source import Source, column

_LINE = re.compile(rb"^[ \t]*(?P<name>[^\s:]\S*?):[ \t]*(?P<numbers>[\d \t]+)$", re.MULTILINE)
_NUMBER = re.compile(rb"\d+")


def _columns(name: str) -> list[Column]:
    """The file's columns from left to right."""
    own = {INTERFACE: name}
    into, out = ({INTERFACE: name, NETWORK_DIRECTION: direction} for direction in ("receive", "transmit"))
    return [
        column("system.network.io", into),
        column("system.network.packet.count", into),
        column("system.network.errors", into),
        column("system.network.packet.dropped", into),
        column("system.network.linux.fifo_errors", into),
        column("system.network.linux.frame_errors", own),
        column("system.network.linux.compressed", into),
        column("system.network.linux.multicast", own),
        column("system.network.io", out),
        column("system.network.packet.count", out),
        column("system.network.errors", out),
        column("system.network.packet.dropped", out),
        column("system.network.linux.fifo_errors", out),
        column("system.network.linux.collisions", own),
        column("system.network.linux.carrier_errors", own),
        column("system.network.linux.compressed", out),
    ]


def learn(text: bytes) -> list[Field]:
    fields: list[Field] = []
    for line in _LINE.finditer(text):
        places = [line.start("numbers") + found.start() for found in _NUMBER.finditer(line["numbers"])]
        columns = _columns(line["name"].decode("utf-8", "replace"))
        fields.extend(Field(found, at) for found, at in zip(columns, places, strict=False))
    return fields


SOURCE = Source("network", ("/proc/net/dev",), learn)
