"""Files that hold a number or two: uptime, and the fill of the connection-tracking table."""

import re
from functools import partial

from reditus.core.kernel_columns import kernel_column
from reditus.recorder.kernel_text import Field
from reditus.recorder.sources.source import Source

_UPTIME = re.compile(rb"(\d+)\.(\d\d) ")
_NUMBER = re.compile(rb"\s*(\d+)\s*$")


def learn_uptime(text: bytes) -> list[Field]:
    """Fields of /proc/uptime."""
    found = _UPTIME.match(text)
    return [Field(kernel_column("system.uptime", scale=(1, 100)), found.start(1), found.start(2))] if found else []


def learn_number(counter: str, text: bytes) -> list[Field]:
    """A file that holds one number."""
    found = _NUMBER.match(text)
    return [Field(kernel_column(counter), found.start(1))] if found else []


def _number(group: str, path: str, counter: str) -> Source:
    return Source(group, path, partial(learn_number, counter))


TRACKING = "/proc/sys/net/netfilter/nf_conntrack"
SOURCES = (
    Source("uptime", "/proc/uptime", learn_uptime),
    _number("tracking.count", f"{TRACKING}_count", "system.network.linux.connections.tracked"),
    _number("tracking.limit", f"{TRACKING}_max", "system.network.linux.connections.limit"),
)
