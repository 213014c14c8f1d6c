"""Durations as people write them: `500ms`, `60s`, `5m`, `1h`."""

import re
from itertools import pairwise

from reditus.core.outside import shown
from reditus.core.types import NS_PER_MS, NS_PER_S

_UNITS_NS = {"ms": NS_PER_MS, "s": NS_PER_S, "m": 60 * NS_PER_S, "h": 3_600 * NS_PER_S, "d": 86_400 * NS_PER_S}
MOST_LETTERS = 40
MOST_NS = 36_525 * 86_400 * NS_PER_S
_PATTERN = re.compile(r"^(?P<number>\d+(\.\d+)?)\s*(?P<unit>ms|s|m|h|d)$")


def parse_duration(text: str) -> int:
    """Return nanoseconds. Raise ValueError, saying what would be right, for anything else.

    >>> parse_duration("1.5s")
    1500000000
    """
    found = _PATTERN.match(text.strip()) if len(text) <= MOST_LETTERS else None
    if not found or float(found["number"]) * _UNITS_NS[found["unit"]] > MOST_NS:
        raise ValueError(
            f"{shown(text)} is no duration; write a number and ms, s, m, h or d, as in 500ms, 60s or 1.5h, a century "
            f"at most"
        )
    return round(float(found["number"]) * _UNITS_NS[found["unit"]])


def counted(number: int, noun: str) -> str:
    """A number of things, the noun in the plural where it has to be.

    >>> counted(1, "tick"), counted(1200, "tick")
    ('1 tick', '1,200 ticks')
    """
    return f"{number:,} {noun}{'' if number == 1 else 's'}"


def spell_duration(seconds: float) -> str:
    """A duration for reading, in at most two units.

    >>> spell_duration(3_725)
    '1 h 2 min'
    """
    if seconds < 1:
        return f"{seconds * 1000:.0f} ms"
    if seconds < 60:
        return f"{seconds:.3g} s"
    whole = round(seconds)
    for (size, name), (smaller, smaller_name) in pairwise(_SPELLED):
        if whole >= size:
            rest = whole % size // smaller
            return f"{whole // size} {name}" + (f" {rest} {smaller_name}" if rest else "")
    return f"{whole} s"


_SPELLED = [(86_400, "d"), (3_600, "h"), (60, "min"), (1, "s")]
