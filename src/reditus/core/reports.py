"""Reports of recorders in today's form, whichever version wrote them: times are RFC 3339, durations seconds.

Version 0.1 wrote both in milliseconds (`started_ms`, `late_ms`); its recorders still report, and its spools and
databases hold such reports.
"""

import math
from typing import Any

from reditus.core.rfc3339 import LATEST_NS, spell_time
from reditus.core.types import NS_PER_MS, Json

_TIMES = {"started_ms": "started", "last_tick_ms": "last_tick", "start_ms": "start", "end_ms": "end"}
_DURATIONS = {"late_ms": "late_s"}


def upgraded(report: Json) -> Json:
    """A report, or a part of one, in today's form. A value that is no time keeps its form, for validation to refuse.

    >>> upgraded({"started_ms": 1794474000500.0, "late_ms": 3.0, "ticks": 7})
    {'started': '2026-11-12T09:00:00.5Z', 'late_s': 0.003, 'ticks': 7}
    """
    out: Json = {}
    for key, value in report.items():
        if key in _TIMES:
            out[_TIMES[key]] = _time(value)
        elif key in _DURATIONS:
            out[_DURATIONS[key]] = value / 1_000 if _is_number(value) else value
        elif key in ("dropped", "aside") and isinstance(value, list):
            out[key] = [upgraded(part) if isinstance(part, dict) else part for part in value]
        else:
            out[key] = value
    return out


def _time(value: Any) -> Any:
    if not _is_number(value) or not 0 <= value * NS_PER_MS < LATEST_NS:
        return value
    return spell_time(round(value * NS_PER_MS))


def _is_number(value: Any) -> bool:
    return isinstance(value, int | float) and not isinstance(value, bool) and math.isfinite(value)
