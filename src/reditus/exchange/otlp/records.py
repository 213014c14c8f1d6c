"""Log records of OTLP as markers: what a sender logged stands beside what it counted."""

import json
from collections.abc import Iterator
from hashlib import sha256
from typing import Any

from reditus.core.markers import MAX_LOG, MAX_SOURCE, MAX_TEXT, SEVERITIES, Marker
from reditus.core.rfc3339 import EARLIEST_NS
from reditus.exchange.otlp.points import AHEAD_NS, Refused, attributes_of, text_of

# OpenTelemetry logs data model, "Displaying severity": numbers by fours, from trace to fatal.
_SEVERITIES = {
    1: "debug", 2: "debug", 3: "debug", 4: "debug", 5: "debug", 6: "debug", 7: "debug", 8: "debug",
    9: "informational", 10: "informational", 11: "informational", 12: "notice",
    13: "warning", 14: "warning", 15: "warning", 16: "warning", 17: "error", 18: "error", 19: "error", 20: "error",
    21: "critical", 22: "critical", 23: "alert", 24: "emergency",
}  # fmt: skip
assert set(_SEVERITIES.values()) <= set(SEVERITIES)


def markers_of(resource_logs: Any, log_name: str, now_ns: int, refused: Refused) -> Iterator[Marker]:
    """The markers of one sender. The same record sent twice has the same id."""
    for scope in resource_logs.scope_logs:
        source = (scope.scope.name or log_name)[:MAX_SOURCE]
        for record in scope.log_records:
            at_ns = record.time_unix_nano or record.observed_time_unix_nano
            if not EARLIEST_NS <= at_ns <= now_ns + AHEAD_NS:
                refused.add("a time that cannot be: before 1990, or over a day ahead")
                continue
            text = _plain(_body(record))
            if not text:
                refused.add("neither a body nor a name")
                continue
            attributes = attributes_of(list(record.attributes)[:16]) or ()
            spelled = json.dumps([at_ns, record.severity_number, text, source, log_name, attributes])
            yield Marker(
                ident=f"otlp/{sha256(spelled.encode()).hexdigest()[:40]}",
                at_ns=at_ns,
                kind="log",
                text=text,
                source=_plain(source)[:MAX_SOURCE],
                severity=_SEVERITIES.get(record.severity_number),
                log=_plain(log_name)[:MAX_LOG],
            )


def _body(record: Any) -> str:
    return text_of(record.body) or getattr(record, "event_name", "") or record.severity_text


def _plain(text: str) -> str:
    return "".join(letter if letter.isprintable() else " " for letter in text[:MAX_TEXT]).strip()
