"""Times as RFC 3339 writes them, to nanoseconds since the epoch and back. (The core has no calendar but NumPy's.)"""

import re

import numpy as np

from reditus.core.errors import CoreError
from reditus.core.outside import shown
from reditus.core.types import NS_PER_MS, NS_PER_S

EARLIEST_NS = 631_152_000 * NS_PER_S
LATEST_NS = 7_258_118_400 * NS_PER_S
"""1990 to 2200: what lies outside is a mistake."""
_TIME = re.compile(
    r"^(?P<date>\d{4}-\d\d-\d\d)[Tt ](?P<clock>\d\d:\d\d(:\d\d)?)(\.(?P<fraction>\d{1,9})\d*)?"
    r"(?P<zone>[Zz]|(?P<sign>[+-])(?P<hours>\d\d):(?P<minutes>\d\d))?$",
    re.ASCII,
)


class TimeError(CoreError, ValueError):
    """A time or window that cannot be used; the message says why and what would be right."""


def parse_instant(text: str) -> int:
    """Nanoseconds since the epoch of any time with a zone. Raise TimeError.

    >>> parse_instant("2026-11-12T09:00:00.5Z"), parse_instant("2026-11-12t10:00:00+01:00")
    (1794474000500000000, 1794474000000000000)
    """
    found = _TIME.match(text)
    if found is None:
        raise TimeError(f"{shown(text)} is no time; write RFC 3339, as in 2026-11-12T09:00:00Z")
    if found["zone"] is None:
        raise TimeError(
            f"{shown(text)} has no zone; end it with Z or an offset such as +01:00 (written %2B01:00 in an address)"
        )
    ahead_s = int(found["hours"] or 0) * 3_600 + int(found["minutes"] or 0) * 60
    try:
        # NumPy knows how many days a month has, and no leap second.
        seconds = int(np.datetime64(f"{found['date']}T{found['clock']}", "s").astype(np.int64))
    except ValueError:
        raise TimeError(f"{shown(text)} is no time; there is no such day or hour") from None
    if int(found["hours"] or 0) > 23 or int(found["minutes"] or 0) > 59:
        raise TimeError(f"{shown(text)} is no time; an offset is at most 23:59")
    seconds -= ahead_s if found["sign"] == "+" else -ahead_s
    return seconds * NS_PER_S + int((found["fraction"] or "").ljust(9, "0"))


def parse_time(text: str) -> int:
    """The same, and within 1990 to 2199. Raise TimeError.

    >>> parse_time("2026-11-12T09:00:00.5Z")
    1794474000500000000
    """
    at_ns = parse_instant(text)
    if not EARLIEST_NS <= at_ns < LATEST_NS:
        raise TimeError(f"{shown(text)} lies outside the years 1990 to 2199")
    return at_ns


def spell_time(at_ns: int) -> str:
    """RFC 3339 in UTC, to the microsecond, without needless zeros.

    >>> spell_time(1794474000500000000)
    '2026-11-12T09:00:00.5Z'
    """
    whole_s, rest_ns = divmod(at_ns, NS_PER_S)
    text = str(np.datetime64(whole_s, "s"))
    fraction = f"{rest_ns // 1_000:06d}".rstrip("0")
    return f"{text}.{fraction}Z" if fraction else f"{text}Z"


def spell_bounded(at_ns: int) -> str:
    """The same for a time that may lie beyond what can be: then the nearest that can."""
    return spell_time(min(max(at_ns, EARLIEST_NS), LATEST_NS))


def to_ms(at_ns: int) -> float:
    """Milliseconds since the epoch, as browsers count; a double holds them to well under a microsecond."""
    return at_ns / NS_PER_MS
