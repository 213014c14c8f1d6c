"""Which window a request is about, and how much has to be read to describe an instant."""

from reditus.core.rfc3339 import EARLIEST_NS
from reditus.core.window import Window, parse_window
from reditus.store.read.reader import Reader

LATEST_NS = (1 << 63) - 1
REACH_INTERVALS = 3
"""Ticks are read this far around an instant; a rate needs the tick before."""


def requested_window(reader: Reader, start: str | None, end: str | None) -> Window:
    """A window from two optional RFC 3339 times; what is left out is the timeline's own beginning or end. Raise
    TimeError.
    """
    if start and end:
        return parse_window(start, end, (None, None))
    return parse_window(start, end, (reader.extent.first_ns, reader.extent.last_ns))


def open_window(start: str | None, end: str | None) -> Window:
    """The same without a look at the timeline: what is left out is as early, or as late, as times can be. Raise
    TimeError.
    """
    return parse_window(start, end, (EARLIEST_NS, LATEST_NS))


def around(reader: Reader, at_ns: int) -> Window:
    """The window that has to be read to describe an instant."""
    reach_ns = REACH_INTERVALS * (reader.extent.interval_ns or 0) + 1
    return Window(at_ns - reach_ns, at_ns + reach_ns)
