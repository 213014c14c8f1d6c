"""/sys/class/net: what /proc/net/dev does not tell of interfaces (Documentation/ABI/testing/sysfs-class-net)."""

import re
from collections.abc import Iterator

from reditus.core.counters import INTERFACE
from reditus.core.kernel_columns import kernel_column
from reditus.recorder.kernel_text import Field, Word
from reditus.recorder.sources.source import SLOW_S, Source, each_file

_DUPLEX = re.compile(rb"^(@ \S+/duplex\n)(full|half)$", re.MULTILINE)
_FILE = re.compile(r"^/sys/class/net/([^/]+)/(.+)$")
MEGABIT = (1_000_000, 1)
COUNTERS = {
    "speed": ("system.network.linux.link.speed", MEGABIT),
    "duplex": ("system.network.linux.link.full_duplex", (1, 1)),
    "carrier": ("system.network.linux.link.carrier", (1, 1)),
    "carrier_changes": ("system.network.linux.link.carrier_changes", (1, 1)),
    "statistics/rx_nohandler": ("system.network.linux.no_handler", (1, 1)),
}


def prepare(raw: bytes) -> bytes:
    """Full duplex is 1, half is 0; anything else is unknown."""
    return _DUPLEX.sub(lambda found: found[1] + (b"1" if found[2] == b"full" else b"0"), raw)


def learn_file(path: str, body: list[list[Word]]) -> Iterator[Field]:
    """Speed, duplex and carrier of an interface."""
    found = _FILE.match(path)
    # A link that is down says that its speed is -1.
    if found and body and body[0][0].text.isdigit():
        counter, scale = COUNTERS[found[2]]
        yield Field(kernel_column(counter, {INTERFACE: found[1]}, scale=scale), body[0][0].at)


_FOLDER = "/sys/class/net/*"
SOURCE = Source(
    "network.link", f"{_FOLDER}/speed", each_file(learn_file), prepare,
    more=tuple(f"{_FOLDER}/{name}" for name in COUNTERS if name != "speed"), pace_s=SLOW_S,
)  # fmt: skip
