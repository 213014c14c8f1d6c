"""Times as RFC 3339 writes them, to nanoseconds since the epoch. (The core has no calendar but NumPy's.)"""

import re

import numpy as np

from reditus.core.types import NS_PER_S

_TIME = re.compile(
    r"^(?P<date>\d{4}-\d\d-\d\d)[Tt ](?P<clock>\d\d:\d\d(:\d\d)?)(\.(?P<fraction>\d{1,9})\d*)?"
    r"([Zz]|(?P<sign>[+-])(?P<hours>\d\d):(?P<minutes>\d\d))$"
)


def parse_instant(text: str) -> int:
    """Raise ValueError for what is no time with a zone.

    >>> parse_instant("2026-11-12T09:00:00.5Z"), parse_instant("2026-11-12T10:00:00+01:00")
    (1794474000500000000, 1794474000000000000)
    """
    found = _TIME.match(text)
    if found is None:
        raise ValueError(f"{text!r} is not a time with its zone, such as 2026-11-12T09:00:00Z")
    # NumPy knows how many days a month has, and no leap second.
    seconds = int(np.datetime64(f"{found['date']}T{found['clock']}", "s").astype(np.int64))
    if found["hours"]:
        ahead_s = int(found["hours"]) * 3_600 + int(found["minutes"]) * 60
        seconds -= ahead_s if found["sign"] == "+" else -ahead_s
    return seconds * NS_PER_S + int((found["fraction"] or "").ljust(9, "0"))
