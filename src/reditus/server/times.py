"""Times at the edge: RFC 3339 text outside, nanoseconds since the epoch inside."""

import re
from datetime import UTC, datetime

from reditus.core.outside import shown
from reditus.core.types import NS_PER_MS, NS_PER_S
from reditus.core.window import Window

EARLIEST_NS = int(datetime(1990, 1, 1, tzinfo=UTC).timestamp()) * NS_PER_S
LATEST_NS = int(datetime(2200, 1, 1, tzinfo=UTC).timestamp()) * NS_PER_S
_FRACTION = re.compile(r"\.(\d{1,9})\d*")


class BadTime(ValueError):
    """A time or window that cannot be taken; the message says why and what would be right."""


def parse_time(text: str) -> int:
    """RFC 3339 with a zone, to the nanosecond. Raise BadTime for anything else, and outside 1990 to 2200.

    >>> parse_time("2026-11-12T09:00:00.5Z")
    1794474000500000000
    """
    fraction = _FRACTION.search(text)
    try:
        moment = datetime.fromisoformat(_FRACTION.sub("", text, count=1))
        if moment.tzinfo is not None:
            moment.timestamp()
    except (ValueError, OverflowError):
        raise BadTime(f"{shown(text)} is no time; write RFC 3339, as in 2026-11-12T09:00:00Z") from None
    if moment.tzinfo is None:
        raise BadTime(
            f"{shown(text)} has no zone; end it with Z or an offset such as +01:00 (written %2B01:00 in an address)"
        )
    whole_s = int(moment.timestamp())
    at_ns = whole_s * NS_PER_S + (int(fraction[1].ljust(9, "0")) if fraction else 0)
    if not EARLIEST_NS <= at_ns < LATEST_NS:
        raise BadTime(f"{shown(text)} lies outside the years 1990 to 2199")
    return at_ns


def parse_window(start: str | None, end: str | None, extent: tuple[int | None, int | None]) -> Window:
    """A window from two optional times; what is left out is the archive's own beginning or end."""
    first_ns = parse_time(start) if start else extent[0]
    last_ns = parse_time(end) if end else extent[1]
    if first_ns is None or last_ns is None:
        raise BadTime("the archive is empty, so from and to cannot be left out; or wait for the first ticks")
    if first_ns >= last_ns:
        if start and end:
            raise BadTime(f"from {start} is not before to {end}; a window has to end after it starts")
        last_ns = first_ns + NS_PER_S
    return Window(first_ns, last_ns)


def spell_time(at_ns: int) -> str:
    """RFC 3339 in UTC, to the microsecond, without needless zeros.

    >>> spell_time(1794474000500000000)
    '2026-11-12T09:00:00.5Z'
    """
    whole_s, rest_ns = divmod(at_ns, NS_PER_S)
    text = datetime.fromtimestamp(whole_s, UTC).strftime("%Y-%m-%dT%H:%M:%S")
    fraction = f"{rest_ns // 1_000:06d}".rstrip("0")
    return f"{text}.{fraction}Z" if fraction else f"{text}Z"


def spell_bounded(at_ns: int) -> str:
    """The same for a time that may lie beyond what can be: then the nearest that can."""
    return spell_time(min(max(at_ns, EARLIEST_NS), LATEST_NS))


def to_ms(at_ns: int) -> float:
    """Milliseconds since the epoch, as browsers count; a double holds them to well under a microsecond."""
    return at_ns / NS_PER_MS
