"""/proc/loadavg: the damped counts, and how many tasks exist."""

import re

from reditus.core.kernel_columns import kernel_column, load_average
from reditus.recorder.kernel_text import Field
from reditus.recorder.sources.source import Source

# "0.61 1.42 0.47 1/123 4567": always two decimals.
_LINE = re.compile(rb"(\d+)\.(\d\d) (\d+)\.(\d\d) (\d+)\.(\d\d) \d+/(\d+)")


def learn(text: bytes) -> list[Field]:
    """Fields of /proc/loadavg."""
    found = _LINE.match(text)
    if not found:
        return []
    loads = [
        Field(load_average(span), found.start(2 * at + 1), found.start(2 * at + 2))
        for at, span in enumerate(("1m", "5m", "15m"))
    ]
    return [*loads, Field(kernel_column("system.process.count"), found.start(7))]


SOURCE = Source("load", "/proc/loadavg", learn)
